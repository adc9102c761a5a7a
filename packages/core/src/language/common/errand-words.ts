/** What a language says, and understands, about errands. */
import type { ValueWords } from './meaning.js';

/** What a whole saying means to an errand that goes on. */
export type ErrandControl = 'cancel' | 'restart' | 'recall' | 'abilities' | 'person' | 'more';

export interface ErrandSayings {
  notUnderstood: string;
  /** `{value}` is not one of a list; `{list}` are the nearest ones. */
  unknown: string;
  /** `{list}`: one of several may be meant. */
  which: string;
  /** `{value}` took the place of another one. */
  changed: string;
  /** Where the file has no sentence of its own. */
  readBack: string;
  /** Asked after a question of another kind was answered. */
  past: string;
  noSuchDay: string;
  closedThen: string;
  /** `{bound}` is the least or the most there may be. */
  least: string;
  most: string;
  length: string;
  phoneTooShort: string;
  phoneTooLong: string;
  /** Before several things are done: `{first}`, then `{second}`. */
  oneByOne: string;
  /** What `{second}` is where it is no errand, to go on after "I will". */
  answerQuestion: string;
  notPossible: string;
  whatChange: string;
  leaveIt: string;
  orPerson: string;
  takeUp: string;
  cancelled: string;
  tooLate: string;
  underWay: string;
  done: string;
  failed: string;
  unsure: string;
  recall: string;
  abilities: string;
  source: string;
  /** Messages to `{list}` of an earlier talk. */
  notDelivered: string;
  perhapsDelivered: string;
}

/**
 * What is said in a dictation, and is no word of it. Of phrases that begin alike the longest stands first.
 */
export interface DictationWords {
  /** What is spoken, and what is written for it. */
  marks: readonly (readonly [string, string])[];
  /** The last sentence goes. */
  scratch: readonly string[];
  /** It is over. */
  over: readonly string[];
  /** Before what is put behind a text that is there already. */
  add: readonly string[];
}

export interface ErrandWords {
  values: ValueWords;
  /** Before a new value: what was said before does not count. Phrases, the longest first. */
  corrections: readonly string[];
  /** Before a value that is not meant. */
  negations: readonly string[];
  /** Before a name. */
  beforeName: readonly string[];
  /** They are no part of a name, and end one. */
  notNames: ReadonlySet<string>;
  /** Between a name and its letters: "spelled". */
  spelling: readonly string[];
  /** Said for yes and no. */
  yesNo: readonly [yes: string, no: string];
  /** What may stand before the value of an answer, in a template: after a denial, for another one, a day. */
  aroundAnswers: { not: string; rather: string; day: string };
  /** Words that sound like a number, and are one where a number is due: "to bunks". */
  soundsLike: Readonly<Record<string, number>>;
  /** How values of a kind of slot are said, as templates: ears expect them while one is asked for. */
  likely: Readonly<Partial<Record<string, readonly string[]>>>;
  /** Before what is counted they stand for one: "a bunk". */
  one: ReadonlySet<string>;
  /** Between two of which only one is meant. */
  or: string;
  /** Between several that are all meant. */
  and: string;
  /** Behind a number they make it a time, money or a share. */
  units: ReadonlySet<string>;
  /** Said before a value, as often as not. */
  leadIns: ReadonlySet<string>;
  dictation: DictationWords;
  /** How a saying agrees or does not: with which words, and what comes after them. */
  assent(words: readonly string[]): { is: 'yes' | 'no'; count: number } | null;
  control(words: readonly string[]): ErrandControl | null;
  /** What is obeyed at any time, for ears that listen for nothing but answers. */
  obeyed: readonly string[];
  /** It asks something rather than answering. */
  isQuestion(words: readonly string[]): boolean;
  /** It begins a question of its own, and not an order in the form of one. */
  asksAnew(words: readonly string[]): boolean;
  /** Between two wishes in one saying; the first word of them must be `and`, or a sentence must end. */
  joiners: ReadonlySet<string>;
  sayings: ErrandSayings;
}
