/** Errands as a file describes them, and a run of one: one doing, with what is known of its slots. */
import type { Grammar } from '../grammar/grammar.js';

export const SLOT_KINDS = [
  'choice', 'yes-no', 'count', 'number', 'digits', 'money', 'date', 'time', 'moment', 'duration',
  'name', 'spelled', 'phone', 'email', 'address', 'contact', 'rule', 'text',
] as const; // prettier-ignore
export type SlotKind = (typeof SLOT_KINDS)[number];

/**
 * What a slot holds. A number for `count`, `number` and `duration` (minutes); true or false for `yes-no`; text for the others:
 * `YYYY-MM-DD` of a date, `HH:MM` of a time, `YYYY-MM-DDTHH:MM` of a moment, `24.50 EUR` of money.
 */
export type SlotValue = string | number | boolean;

export interface Choice {
  value: string;
  /** How it is said back; the value itself where it is left out. */
  say?: string | undefined;
  /** Other ways to say it. */
  also?: readonly string[] | undefined;
}

/** As the file says it; see protocol's `ErrandFile`. */
export interface Slot {
  kind: SlotKind;
  /** Of a choice; of a name, those that are likely. */
  values?: readonly (string | Choice)[] | undefined;
  /** Of a choice or a contact: several may be said; the value is all of them, with commas between. */
  several?: boolean | undefined;
  /** Of a rule: the grammar, and which of its rules; its root where none is named. */
  grammar?: Grammar | undefined;
  rule?: string | undefined;
  /** While it is asked for, the ears listen for its values only. */
  heard?: 'fixed' | undefined;
  /** A question, and a simpler one for when it was not understood. */
  ask?: string | undefined;
  again?: string | undefined;
  /** Said when a value is not possible, in place of our own sentence. */
  why?: string | undefined;
  /** A number; of a date or time, the earliest and the latest. */
  least?: number | string | undefined;
  most?: number | string | undefined;
  /** Of digits: so many. */
  length?: number | undefined;
  /** A date or a moment may lie in the past. */
  past?: boolean | undefined;
  /** Weekdays, in English, on which a date may fall. */
  days?: readonly string[] | undefined;
  optional?: boolean | undefined;
  default?: SlotValue | undefined;
  /** Words before a value, and words directly after it, that tell that this slot is meant. */
  after?: readonly string[] | undefined;
  near?: readonly string[] | undefined;
  /** What is counted, one and several of it: [bunk, bunks]. Said with the number, and told by it. */
  unit?: readonly string[] | undefined;
  /** Of yes or no: what else says so, anywhere in a sentence. */
  yes?: readonly string[] | undefined;
  no?: readonly string[] | undefined;
}

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
  /** Read back before it is done; with `false` it is done at once. */
  readBack?: string | false | undefined;
  /** What is said of each outcome; `{name}` is a slot, or what the doing gave. */
  says?: Readonly<Record<string, string>> | undefined;
  /** A run that is under way may be called off. */
  mayStop?: boolean | undefined;
  /** Long results are read in parts of about so many words. */
  wordsAtOnce?: number | undefined;
  /** Where its results come from: said with them. */
  source?: string | undefined;
  examples?: readonly { say: string; gives: Readonly<Record<string, SlotValue>> }[] | undefined;
  /** Done here, in the conversation: no system outside is asked. */
  handsOver?: boolean | undefined;
}

export interface NamedErrand extends Errand {
  name: string;
  /** Its slots in the order in which they are asked for: a database that keeps it as JSON does not keep the order of keys. */
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
}

/**
 * `asking`: for the slot `asking`, or (null) for what is to be changed; `reading back`: yes or no is waited for; `offering`: to leave it,
 * or a person; `taking up`: whether a parked one goes on; `doing`: it is under way.
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
}

export const newErrands = (): Errands => ({ current: null, parked: null, lastRun: 0, more: '' });

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
