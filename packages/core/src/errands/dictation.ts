/** Free text as it is dictated: spoken marks and lines become written ones, and what is taken back goes. */
import type { DictationWords } from '../language/common/errand-words.js';
import type { Token } from '../language/common/meaning.js';
import { capital } from '../language/common/writing.js';
import { phraseAt, phraseBefore } from '../language/tokens.js';

/** Do the words end with a phrase that ends a dictation? */
export function isOver(words: readonly string[], { over }: DictationWords): boolean {
  return phraseBefore(words, words.length, over) > 0;
}

/** The text that the words stand for. */
export function dictated(tokens: readonly Token[], words: DictationWords): string {
  const said = tokens.map(({ word }) => word);
  const end = tokens.length - phraseBefore(said, tokens.length, words.over);
  let text = '';
  for (let at = 0; at < end;) {
    const scratch = phraseAt(said, at, words.scratch);
    const mark = words.marks.find(([phrase]) => phraseAt(said, at, [phrase]) > 0);
    if (scratch > 0) {
      text = withoutLast(text);
      at += scratch;
    } else if (mark) {
      // A mark stands at the word before it, and in the place of one that was put there by itself.
      text = text.replace(/[\s.,;:!?]+$/, '') + mark[1];
      at += mark[0].split(' ').length;
    } else {
      text = put(text, tokens[at]!.text);
      at++;
    }
  }
  return capital(text.trim());
}

function put(text: string, word: string): string {
  if (word === '') return text;
  if (text === '' || text.endsWith('\n')) return text + capital(word);
  return `${text} ${/[.!?]$/.test(text) ? capital(word) : word}`;
}

/** Without the last sentence, or the last line. */
function withoutLast(text: string): string {
  const whole = text.trimEnd();
  const at = Math.max(
    ...[/[.!?]\s+(?=[^.!?\n]*[.!?]*$)/, /\n(?=[^\n]*$)/].map((end) => {
      const found = end.exec(whole);
      return found ? found.index + 1 : 0;
    }),
  );
  return whole.slice(0, at);
}
