/** How complete German words are: could the caller have finished here? */
import type { Sign } from '../../vocabulary/grounds.js';
import type { Completeness } from '../common/contract.js';
import { readDigits } from './numbers.js';

const set = (words: string) => new Set(words.split(/\s+/));

const FILLERS = set('äh ähm öh hm hmm mm tja');
const CONJUNCTIONS = set(
  'und oder aber weil wenn dass ob obwohl damit als denn sondern bevor nachdem während falls sobald bis wie',
);
const PREPOSITIONS = set(
  'am im um in mit für von zu zum zur bei beim nach aus auf an über unter vor hinter neben zwischen durch gegen ohne ab seit pro ins ans vom wegen',
);
const DETERMINERS = set(
  'der die das den dem des ein eine einen einem einer eines kein keine keinen mein meine meinen unser unsere unseren dieser diese dieses diesen jeder jede jeden welche welcher welches welchen',
);
const HELPERS = set(
  'ist sind war waren bin hat haben habe hatte kann können könnte könnten darf dürfen muss müssen soll sollen wird werden würde würden will wollen möchte möchten brauche brauchen heißt heiße',
);
const SUBJECTS = set('ich wir er man sie ihr');
const ADVERBS = set(
  'sehr ganz ziemlich nur noch schon fast etwa ungefähr auch vielleicht eigentlich eher mehr weniger mindestens höchstens',
);
/** Words after which German wants its verb: "ich möchte gerne", "ich hätte". */
const OPENINGS =
  /^(?:ich|wir) (?:möchte|möchten|will|wollen|würde|würden|hätte|hätten|kann|können|muss|müssen)$/;
const CLOSING = set(
  'bitte danke heute morgen jetzt auch wieder ja nein doch tschüss okay genau richtig sicher übermorgen abend uhr',
);
const ASKING = set(
  'wann wo wer wen wem was wie warum wieso wohin woher womit wieviel welche welcher welches welchen',
);
const VERBS = set(
  'ist sind war hat haben habt kann können könnte könnten darf dürfen gibt geht muss soll wird würden kommt kostet liegt braucht fährt',
);
const GREETINGS = set('hallo tag morgen abend servus moin');
const SUBORDINATE = set('wenn weil dass ob obwohl damit als nachdem bevor falls sobald');
const ENDS = [
  ['wie viele', -0.85],
  ['wie viel', -0.7],
  ['um wie', -0.9],
  ['gibt es', -0.6],
  ['haben sie', -0.6],
  ['können sie', -0.85],
  ['könnten sie', -0.85],
  ['ich hätte', -0.85],
  ['mein name', -0.9],
  ['name ist', -0.9],
  ['nummer ist', -0.9],
  ['ich heiße', -0.9],
  ['das ist alles', 0.9],
  ['das war alles', 0.9],
  ['vielen dank', 0.9],
  ['guten tag', 0.1],
  ['guten morgen', 0.1],
  ['guten abend', 0.1],
  ['auf wiedersehen', 0.95],
] as const;
/** A telephone number has at least so many digits. */
const TELEPHONE = 6;
const LEAST_WORDS = 3;

type EndRule = (said: readonly string[], last: string) => Completeness | null;

const endsIn = (score: number, words: string): Completeness => ({ score, sign: { sign: 'endsWith', words } });
const afterWord =
  (kind: ReadonlySet<string>, score: (said: readonly string[]) => number): EndRule =>
  (said, last) =>
    kind.has(last) ? endsIn(score(said), last) : null;

/** The first that fits has it. */
const END_RULES: readonly EndRule[] = [
  (said) => {
    const end = ENDS.find(([text]) => ` ${said.join(' ')}`.endsWith(` ${text}`));
    return end && (end[1] > 0 || said.length <= 4) ? endsIn(end[1], end[0]) : null;
  },
  (said, last) => (OPENINGS.test(said.join(' ')) ? endsIn(-0.9, last) : null),
  unfinishedNumber,
  afterWord(CONJUNCTIONS, () => -0.95),
  (said, last) => (said.length > 1 ? afterWord(DETERMINERS, () => -0.9)(said, last) : null),
  afterWord(PREPOSITIONS, (said) => (isSeparable(said) ? 0.3 : -0.9)),
  (said, last) => (last === 'sie' ? null : afterWord(SUBJECTS, () => -0.7)(said, last)),
  afterWord(ADVERBS, () => -0.5),
  afterWord(CLOSING, (said) => (said.length > 1 ? 0.8 : 0.6)),
  // In a clause, and after "möchte", the verb comes last: it may be all.
  afterWord(HELPERS, (said) => (said.some((word) => SUBORDINATE.has(word)) ? 0.4 : -0.8)),
];

/** @param words in lower case; `asked` is what the assistant said last */
export function germanCompleteness(
  words: readonly string[],
  names: readonly string[],
  asked: string,
): Completeness {
  const said = words.filter((word, i) => !FILLERS.has(word) || i === words.length - 1);
  const last = said.at(-1) ?? '';
  if (said.length === 0) return { score: 0, sign: { sign: 'noWords' } };
  if (FILLERS.has(last)) return { score: -0.9, sign: { sign: 'endsWithFiller', word: last } };
  const name = brokenName(said, names);
  if (name !== null) return { score: -0.95, sign: { sign: 'nameBegun', words: name } };
  if (answers(asked, said)) return { score: 0.9, sign: { sign: 'answersQuestion' } };
  for (const rule of END_RULES) {
    const found = rule(said, last);
    if (found) return found;
  }
  return byForm(said);
}

function unfinishedNumber(said: readonly string[]): Completeness | null {
  const digits = trailingDigits(said);
  if (digits > 1 && digits < TELEPHONE) return { score: -0.2, sign: { sign: 'digitsMissing', digits } };
  return digits >= TELEPHONE ? { score: 0.2, sign: { sign: 'digitsMayBeAll', digits } } : null;
}

function byForm(said: readonly string[]): Completeness {
  const first = said.find((word) => !GREETINGS.has(word) && word !== 'guten' && word !== 'und') ?? '';
  const sign = (score: number, of: Sign['sign']): Completeness => ({ score, sign: { sign: of } as Sign });
  if (said.every((word) => GREETINGS.has(word) || word === 'guten')) return sign(-0.1, 'greeting');
  if (SUBORDINATE.has(first)) return { score: -0.3, sign: { sign: 'beganWith', word: first } };
  if (ASKING.has(first) || VERBS.has(first))
    return said.length >= LEAST_WORDS ? sign(0.8, 'wholeQuestion') : sign(-0.3, 'questionBegun');
  if (said.length < LEAST_WORDS) return sign(0, 'fewWords');
  // "ich möchte zwei Betten …": an infinitive may follow, and need not.
  const modal = said.findIndex((word) =>
    /^(?:möchte|möchten|will|wollen|würde|würden|kann|können|muss|müssen)$/.test(word),
  );
  if (modal >= 0 && !/(?:en|ern|eln)$/.test(said.at(-1)!)) return sign(0.1, 'requestBegun');
  return sign(modal >= 0 ? 0.7 : 0.5, modal >= 0 ? 'wholeRequest' : 'wholeSentence');
}

/** "… fängt es an", "… geht der Weg auf": the end of a verb, not a preposition. */
const isSeparable = (said: readonly string[]) =>
  said.length >= LEAST_WORDS &&
  /^(?:an|auf|ab|aus|vor|zu|mit|nach|ein|um)$/.test(said.at(-1)!) &&
  said.some((word) =>
    /^(?:fängt|fangen|geht|macht|machen|hört|legt|legen|kommt|kommen|bringt|schließt|öffnet|fährt|fahren|nimmt|nehmen|reicht|gibt|holt)$/.test(
      word,
    ),
  );

function brokenName(said: readonly string[], names: readonly string[]): string | null {
  for (const name of names) {
    const parts = name.toLowerCase().split(' ');
    for (let length = parts.length - 1; length >= 1; length--) {
      const head = parts.slice(0, length);
      if (length < said.length + 1 && head.every((word, i) => said[said.length - length + i] === word))
        return head.join(' ');
    }
  }
  return null;
}

function answers(asked: string, said: readonly string[]): boolean {
  if (!asked.trim().endsWith('?') || said.length > 3) return false;
  const isYesNo =
    /(?:^|[.!?] )(?:soll|sollen|möchten|haben|ist|sind|kann|können|darf|wollen|stimmt|meinen)\b[^.?!]*\?$/i.test(
      asked.trim(),
    );
  return isYesNo && /^(?:ja|nein|nee|gerne|genau|richtig|klar)$/.test(said[0]!);
}

function trailingDigits(said: readonly string[]): number {
  for (let at = 0; at < said.length; at++) {
    const { count } = readDigits(said, at, () => false);
    if (count > 0 && at + count === said.length) return count;
    at += Math.max(0, count - 1);
  }
  return 0;
}
