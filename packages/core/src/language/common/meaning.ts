/**
 * What a few words of a saying mean. A language reads days, times and amounts; what is done with them is not
 * its concern.
 */
import type { Day, Moment } from '../../calendar/calendar.js';
import type { HeardWord } from '../../vocabulary/words.js';

/** A word as it is compared (lower case, no marks at its ends) beside the word as it was written. */
export interface Token extends Partial<Pick<HeardWord, 'fromMs' | 'toMs' | 'confidence'>> {
  word: string;
  text: string;
}

/** So many words from one place on mean this. */
export interface Meaning<T> {
  value: T;
  count: number;
}

type Words = readonly string[];
export type Read<T> = (words: Words, at: number, now: Moment) => Meaning<T> | null;

/** A time of day as it was said. `half`: which half of the day was meant; null where nobody said. */
export interface SaidTime {
  /** Minutes since midnight; before noon where the half is not known. */
  minute: number;
  half: 'first' | 'second' | null;
  /** The words can be nothing but a time; "six" alone may be anything. */
  sure: boolean;
}

/** What a language must be able to read and say for errands. */
export interface ValueWords {
  number: Read<number>;
  decimal: Read<number>;
  /** ISO 4217 beside the amount. */
  money: Read<{ amount: number; currency: string }>;
  /** Digits said one by one, or in groups. */
  digits: Read<string>;
  /** Letters said one by one, in capitals. */
  letters: Read<string>;
  /** Null for a day that there is not, such as 31 February. */
  day: Read<Day | null>;
  time: Read<SaidTime>;
  /** "In an hour", "in three days": a moment told from now; `hasTime` where it names a time of day. */
  fromNow: Read<Moment & { hasTime: boolean }>;
  /** "Tonight", "in the morning": the part of the day, for times whose half is not said. */
  partOfDay: Read<'first' | 'second'>;
  /** In minutes. */
  duration: Read<number>;
  email: Read<string>;

  sayNumber(value: number): string;
  sayDay(day: Day, now: Moment): string;
  sayTime(minute: number): string;
  sayDuration(minutes: number): string;
  sayMoney(amount: number, currency: string): string;
  /** "a, b and c". */
  sayList(items: readonly string[], last: 'and' | 'or'): string;
}
