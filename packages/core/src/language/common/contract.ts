/**
 * What a language brings: how spoken words are written, which short sayings mean something to the talk
 * itself, and what an assistant says when it has nothing to answer.
 */
import type { Sign } from '../../vocabulary/grounds.js';
import type { HeardWord } from '../../vocabulary/words.js';
import type { ErrandWords } from './errand-words.js';

/** A word as it is written, with the words that were really spoken for it. */
export interface WrittenWord extends HeardWord {
  /** As recognised; one written word may stand for several: "25" for "twenty five". */
  spoken: string;
}

export interface WritingOptions {
  /** Names as they are written, such as `Heron Hut`: spoken in any case, written like this. */
  names: readonly string[];
  /** The words begin a sentence, and end one: false for a segment in the middle of a turn. */
  begins: boolean;
  ends: boolean;
}

/**
 * A saying about the talk itself (`person`: somebody else is wanted); `rest` is what else was said and is to
 * be answered.
 */
export interface SpokenCommand {
  command: 'fresh' | 'goodbye' | 'shorter' | 'longer' | 'person';
  rest: string;
}

/**
 * `stop!`, `stop`: the floor is wanted, at once or once the words are sure; `backchannel`: the listener only
 * says that he or she listens; `backchannel begun`: so far it may be one; `scrap`: words that say nothing by
 * themselves, as noises are heard.
 */
export type Overlap = 'stop!' | 'stop' | 'backchannel' | 'backchannel begun' | 'scrap' | 'none';

/** Could the caller have finished with these words? */
export interface Completeness {
  /** -1: certainly more comes; 1: certainly all; 0: nobody can tell. */
  score: number;
  sign: Sign;
}

/** Sentences that an assistant says by itself. */
export interface Sayings {
  /** No answer could be thought of because an engine failed. */
  cannotThink: string;
  cannotHear: string;
  cannotSpeak: string;
  tooDear: string;
  /** There was voice, and no word was understood. */
  unheard: string;
  /** Asked back when words are uncertain; `{words}` is what was understood. */
  unsure: string;
  /** What was asked back is denied. */
  again: string;
  /** Nobody spoke for a while after it was the caller's turn. */
  silence: string;
  /** Said when an answer takes long. */
  filler: string;
  /** No person takes over. */
  noPerson: string;
  /** Said to a person who is asked to take a call over: `{title}`, `{caller}`, `{known}`. */
  announces: string;
  /** Said to somebody who is rung with a message: `{title}`, `{text}`. */
  brings: string;
  /** The person who had taken over has left the caller to the assistant again. */
  backAgain: string;
  /** Said first by telephone, where the talk is recorded. */
  recorded: string;
  /** Said at the end, and played to its own end. */
  farewell: string;
}

/** A day as it was named. */
export interface NamedDay {
  /** So many words name it. */
  count: number;
  /** As it is written. */
  text: string;
}

/** For telling whether words fit expected phrases, and for saying what may stand in them. */
export interface ExpectedWords {
  /** They mean nothing wherever they are said: "um". */
  fillers: ReadonlySet<string>;
  /** Said before a phrase as often as not. */
  leadIns: ReadonlySet<string>;
  /** Words of which numbers are made. */
  numbers: ReadonlySet<string>;
  /** What open slots are likely to hold: one digit, how many, a day. */
  digits: readonly string[];
  counts: readonly string[];
  days: readonly string[];
}

export interface Language {
  /** BCP 47, primary subtag. */
  readonly code: string;
  readonly sayings: Sayings;
  written(words: readonly HeardWord[], options: WritingOptions): WrittenWord[];
  /** `names` may be addressed before a command: "Tansy, start over". */
  command(text: string, names: readonly string[]): SpokenCommand | null;
  assent(text: string): 'yes' | 'no' | null;
  /** `words` in lower case; `asked`: what the assistant said last. */
  completeness(words: readonly string[], names: readonly string[], asked: string): Completeness;
  /** What a saying over the assistant's voice means for the floor; `none` where it may be anything. */
  overlap(words: readonly string[]): Overlap;
  /** Such sayings, as templates of expected phrases. */
  readonly interjections: readonly string[];
  /** Words that matter where phrases are expected. */
  readonly expected: ExpectedWords;
  /** Words at both ends of a saying that mean nothing for what is wanted: "please", "good morning". */
  readonly polite: readonly string[];
  /** What somebody says who wants to talk to a person. */
  readonly personWanted: string;
  /** The day that the words begin with, which patterns of answers take; `words` with digits one by one. */
  namedDay(words: readonly string[]): NamedDay | null;
  /** Null where errands do not speak the language yet. */
  readonly errands: ErrandWords | null;
  /** The same text for the same meaning, for comparing: lower case, no marks, every number in digits. */
  plain(text: string): string[];
}
