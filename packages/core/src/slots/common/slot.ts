/** A slot of an errand as its file describes it, and what it may hold. */
import type { Grammar } from '../../grammar/grammar.js';

export const SLOT_KINDS = [
  'choice',
  'yes-no',
  'count',
  'number',
  'digits',
  'money',
  'date',
  'time',
  'moment',
  'duration',
  'name',
  'spelled',
  'phone',
  'iban',
  'email',
  'address',
  'contact',
  'rule',
  'text',
] as const;
export type SlotKind = (typeof SLOT_KINDS)[number];

/**
 * What a slot holds. A number for `count`, `number` and `duration` (minutes); true or false for `yes-no`;
 * text for the others:
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

/** Words that stand behind a value of the slot. */
export const nearOf = ({ near = [], unit = [] }: Slot): readonly string[] => [...near, ...unit];
