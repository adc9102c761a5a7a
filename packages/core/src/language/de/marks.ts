/** Capitals and marks of German sentences. */
import { capital, type MarkOptions, type Token } from '../common/writing.js';
import { isNoun } from './nouns.js';

const set = (words: string) => new Set(words.split(/\s+/));

/** A pause of this length may end a sentence, in ms. */
const SENTENCE_PAUSE_MS = 700;
const ASKING = set(
  'wann wo wer wen wem wessen was wie warum wieso weshalb wohin woher womit wofür worüber wozu wieviel wieviele welche welcher welches welchen welchem',
);
/** Verbs with which a question begins … */
const VERBS = set(
  'ist sind war waren bin bist seid hat haben habt habe hast hatte hatten kann können könnt könnte könnten kannst darf dürfen dürfte gibt geht gehen muss müssen soll sollen sollte wird werden würde würden will wollen wollt möchten möchtest fährt fahren kommt kommen kostet kosten liegt braucht brauchen brauche weiß wissen macht passt reicht findet steht schließt öffnet dauert nehmen akzeptieren vermieten verleihen bieten servieren sprechen sprichst',
);
/** … but with "Sie" after them these ask for something. */
const ORDERS = set(
  'buchen reservieren geben sagen nennen zeigen erzählen wiederholen rufen bringen schicken stellen merken notieren warten hören nehmen kommen helfen schreiben streichen tragen',
);
const OPENERS = [
  ['guten', 'tag'],
  ['guten', 'morgen'],
  ['guten', 'abend'],
  ['grüß', 'gott'],
  ['vielen', 'dank'],
  ['alles', 'klar'],
  ['danke', 'schön'],
  ['hallo'],
  ['ja'],
  ['nein'],
  ['nee'],
  ['okay'],
  ['ok'],
  ['gut'],
  ['danke'],
  ['entschuldigung'],
  ['servus'],
  ['moin'],
  ['ach'],
  ['also'],
  ['äh'],
  ['ähm'],
  ['doch'],
];
const CLAUSES = set('dass weil wenn ob obwohl damit sondern aber nachdem bevor sobald falls');
const CONTINUING = set('und oder der die das ein eine im am mit für von zu auf in bei nach um bis dass weil');
const GOING_ON = set('und oder aber sondern');
/** Formal address after these. */
const BEFORE_YOU = set(
  'können könnten haben sind wissen würden möchten wollen dürfen geben sagen nehmen vermieten verleihen buchen reservieren zeigen nennen bieten servieren sprechen akzeptieren machen helfen erzählen wiederholen rufen bringen schicken merken notieren schließen öffnen danke werden müssen sollten',
);

export function punctuate(tokens: readonly Token[], { begins, ends, isName }: MarkOptions): string[] {
  const written = tokens.map((token, i) =>
    capitalised(token, tokens.slice(Math.max(0, i - 2), i).reverse(), tokens.slice(i + 1, i + 3)),
  );
  let from = 0;
  tokens.forEach((token, i) => {
    const isLast = i === tokens.length - 1;
    if (!isLast && !endsHere(tokens, i)) return;
    const start = from;
    const sentence = tokens.slice(from, i + 1).map(({ spoken }) => spoken.join(' '));
    if (from > 0 || begins) written[from] = capital(written[from]!);
    commas(sentence, from, written, (k) => isName(start + k));
    if (!isLast || ends)
      written[i] += isQuestion(sentence, (k) => isName(start + k))
        ? '?'
        : token.written.endsWith('.')
          ? ''
          : '.';
    from = i + 1;
  });
  return written;
}

/** Does a sentence end after this token? */
function endsHere(tokens: readonly Token[], i: number): boolean {
  const next = tokens[i + 1]!;
  return (
    next.pauseMs >= SENTENCE_PAUSE_MS &&
    !CONTINUING.has(tokens[i]!.spoken.at(-1)!) &&
    !GOING_ON.has(next.spoken[0]!)
  );
}

/** @param before the tokens before it, and after it, the nearest first */
function capitalised({ written, spoken }: Token, before: readonly Token[], after: readonly Token[]): string {
  const word = spoken[0]!;
  if (spoken.length > 1 || written !== word) return written;
  const last = before[0]?.spoken.at(-1);
  if (word === 'sie' && last !== undefined && BEFORE_YOU.has(last)) return 'Sie';
  if (word === 'ihnen') return 'Ihnen';
  // A time of day or a year counts nothing.
  const counted = /Uhr|^\d{4}$/.test(before[0]?.written ?? '') ? undefined : last;
  const next = after.map((token) => (token.pauseMs >= SENTENCE_PAUSE_MS ? undefined : token.spoken[0]));
  return isNoun(word, [counted, before[1]?.spoken.at(-1)], next) ? capital(written) : written;
}

function openerAt(words: readonly string[], at: number): number {
  const found = OPENERS.filter((opener) => opener.every((word, i) => words[at + i] === word));
  return Math.max(0, ...found.map(({ length }) => length));
}

function isQuestion(words: readonly string[], isName: (i: number) => boolean): boolean {
  const at = afterOpeners(words, isName);
  const [first = '', second = ''] = words.slice(at);
  if (ASKING.has(first)) return true;
  // "In welcher Hütte …", "um wie viel Uhr …", "bis wann …"
  if (
    /^(?:in|um|bis|ab|für|mit|von|an|auf|zu|seit|nach)$/.test(first) &&
    (ASKING.has(second) || second === 'wann')
  )
    return true;
  if (VERBS.has(first)) return !(ORDERS.has(first) && second === 'sie') || words.at(-1) === 'auch';
  // "Und am Freitag", "und die Rosenhütte"
  return (
    words[at - 1] === 'und' &&
    at > 0 &&
    words.length - at <= 4 &&
    /^(?:am|im|um|in|bei|ab|bis|der|die|das|für|wie|heute|morgen)$/.test(first)
  );
}

/** Where the sentence itself begins. */
function afterOpeners(words: readonly string[], isName: (i: number) => boolean): number {
  let at = 0;
  for (let length = openerAt(words, at); length > 0; length = openerAt(words, at)) {
    at += length;
    while (isName(at)) at++;
  }
  return at + Number(words[at] === 'und' || words[at] === 'aber');
}

function commas(
  words: readonly string[],
  from: number,
  written: string[],
  isName: (i: number) => boolean,
): void {
  const comma = (i: number) => {
    if (i >= 0 && i < words.length - 1 && !/[,.]$/.test(written[from + i]!)) written[from + i] += ',';
  };
  let at = 0;
  for (
    let length = openerAt(words, at);
    length > 0 && at + length < words.length;
    length = openerAt(words, at)
  ) {
    at += length;
    while (at < words.length && isName(at)) at++;
    // "Danke für die Auskunft" is one.
    if (/^(?:für|dass)$/.test(words[at] ?? '') || (words[at - 1] === 'also' && at > 1)) break;
    comma(at - 1);
  }
  words.forEach((word, i) => {
    if (i === 0 || !CLAUSES.has(word)) return;
    // "… und wenn …": the comma is before neither.
    if (!/^(?:und|oder|auch|nur|selbst|als|aber|sondern)$/.test(words[i - 1]!)) comma(i - 1);
  });
  if (words.length > 1 && words.at(-1) === 'bitte' && !isQuestion(words, isName)) comma(words.length - 2);
}
