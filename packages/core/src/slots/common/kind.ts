/** What a kind of slot is: how its values are read, bounded, said back, taken from a model, and described. */
import type { Moment } from '../../calendar/calendar.js';
import type { ErrandWords } from '../../language/common/errand-words.js';
import type { Token } from '../../language/common/meaning.js';
import type { Slot, SlotValue } from './slot.js';

/** Free text is no longer than this. */
export const MOST_TEXT = 5_000;

export interface Reading {
  /**
   * Null where the words name something that there is not: no such day; several values where it may be any of
   * them.
   */
  value: SlotValue | null;
  count: number;
  /** The words alone tell that a value of this kind is meant. */
  plain: boolean;
  options?: readonly string[];
  noSuchDay?: boolean;
  /** A time of which nobody said whether it is before or after noon. */
  openHalf?: boolean;
}

export interface ReadingContext {
  words: ErrandWords;
  now: Moment;
  /** The day of the date slot beside a time, where it is known. */
  day: string | null;
  /** Half of the day that another part of the saying names. */
  part: 'first' | 'second' | null;
}

/** A place in a saying: its words as they are compared, and as they were written. */
export interface Place {
  said: readonly string[];
  tokens: readonly Token[];
  at: number;
}

/** A slot whose answers ears are to expect. */
export interface Asked {
  name: string;
  /** Phrases that lead to the value, as a part of a template: `[on|for] `. */
  lead: string;
  words: ErrandWords;
  /** It is asked for now; otherwise what may be said of it at any time, which is less. */
  isAsked: boolean;
}

export interface Kind {
  /** All that a slot of this kind may take from this word on. */
  read(place: Place, slot: Slot, context: ReadingContext): Reading[];
  /** Which bound the value breaks, as a sentence; null where it is possible. */
  breach?(value: SlotValue, slot: Slot, now: Moment, words: ErrandWords): string | null;
  /** As the assistant says it. */
  say(value: SlotValue, slot: Slot, now: Moment, words: ErrandWords): string;
  /** The value that an argument of a model or a program stands for; null for none of this kind. */
  from(given: unknown, slot: Slot): SlotValue | null;
  /** JSON Schema of its values, for a model. */
  schema(slot: Slot): Record<string, unknown>;
  /** Templates of answers; those that the language knows of where there are none. */
  answers?(slot: Slot, asked: Asked): readonly string[];
  /** Its values stand in a list. */
  isListed?: true;
  /** What its file lacks, as a sentence. */
  lacks?(slot: Slot, name: string): string | null;
  /** Words that lead to a value, beside those of the file. */
  leads?(words: ErrandWords): readonly string[];
  /** A bare number may be one of it. */
  counts?: true;
  /** It says which day a time is of; or is a time whose day another slot may say. */
  day?: 'said' | 'wanted';
  /** How a pattern reads it: by an open slot that knows all ways, or enough of them for ears. */
  open?: { pattern?: string; ears: string };
  /** A keypad fills it: with a row of digits, or by one key that may be all. */
  keys?: 'digits' | 'may be all';
  /** What the keys mean, where it is not the digits themselves. */
  byKeys?(digits: string, slot: Slot): string | undefined;
  /** Nobody can tell when it is whole. */
  isOpenEnded?: true;
  /** Any words may stand in it: a value is only where words lead to it. */
  isNamed?: true;
  /** What is dictated is taken as it is. */
  takesAnyWords?: true;
  isDictated?: true;
}

export const one = (value: SlotValue | null, count: number, plain: boolean): Reading[] => [
  { value, count, plain },
];

/** A text that is given, as far as it is one. @returns null for none */
export function textOf(given: unknown): string | null {
  if (typeof given === 'number') return String(given);
  return typeof given === 'string' && given.trim() !== '' ? given.trim().slice(0, MOST_TEXT) : null;
}

/** Of kinds whose values are texts of this form. */
export const fitting =
  (form: RegExp) =>
  (given: unknown): string | null => {
    const text = textOf(given);
    return text !== null && form.test(text) ? text : null;
  };

/** A number that is given, also as a text. */
export function sizeOf(given: unknown): number | null {
  const size = typeof given === 'string' && /^-?\d+(?:\.\d+)?$/.test(given.trim()) ? Number(given) : given;
  return typeof size === 'number' && Number.isFinite(size) ? size : null;
}

export const whole = (size: number | null) => (size !== null && Number.isInteger(size) ? size : null);

/** A sentence of a bound, with the bound in it. */
export const bound = (sentence: string, text: string) => sentence.replace('{bound}', text);

/** Is a size within the numbers of the file? @param say a number as it is said */
export function sizeBreach(
  size: number,
  { least, most }: Slot,
  { sayings }: ErrandWords,
  say: (limit: number) => string,
): string | null {
  if (typeof least === 'number' && size < least) return bound(sayings.least, say(least));
  return typeof most === 'number' && size > most ? bound(sayings.most, say(most)) : null;
}

/** What a model reads of a slot. */
export const about = ({ ask }: Slot) => (ask === undefined ? {} : { description: ask });
export const described = ({ ask }: Slot, what: string) => ({
  description: [ask, what].filter(Boolean).join(' '),
});
export const textAs = (what: string) => (slot: Slot) => ({ type: 'string', ...described(slot, what) });
export const anyText = (slot: Slot) => ({ type: 'string', ...about(slot) });
export const limits = ({ least, most }: Slot) => ({
  ...(typeof least === 'number' ? { minimum: least } : {}),
  ...(typeof most === 'number' ? { maximum: most } : {}),
});

export const asItIs = (value: SlotValue) => String(value);
/** One letter or digit after the other. */
export const spelledOut = (value: SlotValue) => [...String(value)].join(' ');
