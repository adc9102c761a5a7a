/**
 * A name: what stands there until a word comes that is none; one that is spelled out afterwards is written
 * so.
 */
import { phraseAt } from '../../language/tokens.js';
import { plainPhrase } from '../../language/common/phrase.js';
import type { ErrandWords } from '../../language/common/errand-words.js';
import type { Token } from '../../language/common/meaning.js';
import { capital } from '../../language/common/writing.js';
import { choiceForms } from '../common/choices.js';
import { anyText, asItIs, one, textOf, type Kind, type Place } from '../common/kind.js';
import { contact } from './choice.js';

/** A name has at most so many words. */
const MOST_WORDS = 3;

/** As it was written where it has a capital. */
const written = ({ word, text }: Token): string =>
  capital(/\p{Lu}/u.test(text) ? text.replace(/[.,;:!?]+$/, '') : word);

const spelledName = (letters: string) => capital(letters.toLowerCase());

function isNameWord(word: string, { notNames }: ErrandWords): boolean {
  return /^\p{L}[\p{L}'-]*$/u.test(word) && !notNames.has(word) && word.length > 1;
}

/** Where the words that may be a name end. */
function endOfName({ said, tokens, at }: Place, words: ErrandWords): number {
  let end = at;
  while (end < said.length && end - at < MOST_WORDS && isNameWord(said[end]!, words)) {
    end++;
    // "This is Turner. Can you …": a sentence ends a name.
    if (/[.,;:!?]$/.test(tokens[end - 1]!.text)) break;
  }
  return end;
}

export const name: Kind = {
  read(place, slot, context) {
    const { said, tokens, at } = place;
    const { words, now } = context;
    const spelt = words.values.letters(said, at, now);
    if (spelt) return one(spelledName(spelt.value), spelt.count, false);
    const likely = contact.read(place, slot, context).find(({ value }) => value !== null);
    let end = likely ? at + likely.count : endOfName(place, words);
    if (end === at) return [];
    let text = likely ? String(likely.value) : tokens.slice(at, end).map(written).join(' ');
    const lead = phraseAt(said, end, words.spelling);
    const letters = words.values.letters(said, end + lead, now);
    if (letters) {
      text = [...text.split(' ').slice(0, -1), spelledName(letters.value)].join(' ');
      end += lead + letters.count;
    }
    return one(text, end - at, false);
  },
  say: asItIs,
  from: textOf,
  schema: anyText,
  answers({ values = [] }, { words, isAsked }) {
    if (!isAsked) return [];
    const names = choiceForms(values)
      .map((form) => plainPhrase(form.words.join(' ')))
      .filter(Boolean);
    return names.length === 0
      ? []
      : [`[${words.beforeName.map(plainPhrase).join('|')}] (${names.join('|')})`];
  },
  leads: ({ beforeName }) => beforeName,
  isOpenEnded: true,
  isNamed: true,
};
