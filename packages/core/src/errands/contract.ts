/** Errands as a file describes them, and a run of one: one doing, with what is known of its slots. */
import type { Grammar } from '../grammar/grammar.js';
import type { Slot, SlotValue } from '../slots/common/slot.js';

/** Instead of a sentence: only a value that was not heard for sure is read back. */
export const READ_BACK_WHEN_UNSURE = 'when unsure';

export interface Errand {
  /** What it does, to go on after "I can": "book bunks". */
  title: string;
  /** What it is for, in words for a model. */
  about: string;
  /** Patterns of sayings that begin it; without any, only a model does. */
  begins?: readonly string[] | undefined;
  /** Sayings that fit this begin it too; its tags `slot=value` fill slots. */
  grammar?: Grammar | undefined;
  slots: Readonly<Record<string, Slot>>;
  /**
   * Read back before it is done; `false`: it is done at once; `when unsure`: at once, unless a word of a
   * value was heard with a confidence below one half.
   */
  readBack?: string | false | undefined;
  /** What is said of each outcome; `{name}` is a slot, or what the doing gave. */
  says?: Readonly<Record<string, string>> | undefined;
  /** A run that is under way may be called off. */
  mayStop?: boolean | undefined;
  /** Long results are read in parts of about so many words. */
  wordsAtOnce?: number | undefined;
  /** Where its results come from: said with them. */
  source?: string | undefined;
  /** When its examples are said: `YYYY-MM-DD`, or `YYYY-MM-DDTHH:MM`. */
  examplesOn?: string | undefined;
  examples?: readonly { say: string; gives: Readonly<Record<string, SlotValue>> }[] | undefined;
  /** Done here, in the conversation: no system outside is asked. */
  handsOver?: boolean | undefined;
}

export interface NamedErrand extends Errand {
  name: string;
  /**
   * Its slots in the order in which they are asked for: a database that keeps it as JSON does not keep the
   * order of keys.
   */
  order?: readonly string[] | undefined;
}

/** A slot that was filled. */
export interface Filled {
  value: SlotValue;
  /** As it is said back. */
  text: string;
  /** The words it was taken from. */
  said: string;
  fromMs?: number;
  toMs?: number;
  /** 0 to 1; of the least certain of its words. */
  confidence?: number;
  /** By default, not by anybody's word. */
  byDefault?: boolean;
  /** A time of which nobody said whether it is before or after noon. */
  openHalf?: boolean;
}

/**
 * `asking`: for the slot `asking`, or (null) for what is to be changed; `reading back`: yes or no is waited
 * for; `offering`: to leave it, or a person; `taking up`: whether a parked one goes on; `doing`: it is under
 * way.
 */
export type RunStage = 'asking' | 'reading back' | 'offering' | 'taking up' | 'doing';

export interface Run {
  /** Counted in the talk, from 1. */
  run: number;
  errand: string;
  stage: RunStage;
  asking: string | null;
  /** In a row for the slot that is asked for. */
  misses: number;
  /** The last question, as it was said. */
  question: string;
  slots: Record<string, Filled>;
  /** Slots in the order in which they were last said. */
  order: string[];
  by: 'caller' | 'model';
}

export type RunEnding = 'done' | 'failed' | 'unsure' | 'cancelled' | 'handed over';

/** All that is known of errands in a talk. */
export interface Errands {
  current: Run | null;
  parked: Run | null;
  lastRun: number;
  /** The rest of a long result, to be read on. */
  more: string;
  /** What was said together with what is done now, and is next, in the order in which it was said. */
  later: readonly string[];
}

export const newErrands = (): Errands => ({ current: null, parked: null, lastRun: 0, more: '', later: [] });

/** What came of a run. */
export interface RunOutcome {
  ending: 'done' | 'failed' | 'unsure' | 'cancelled';
  /** A name of the errand's own, of its `says`: "full". */
  code?: string;
  /** What the doing gave. */
  given: Readonly<Record<string, string>>;
  /** Another value of this slot may make it possible. */
  asks?: string;
}
