/** Dates as they are told in English: read once, for captions that write them and slots that take them. */
import type { Meaning } from '../common/meaning.js';
import { readBelow100, readNumber, readYear } from './numbers.js';

type Words = readonly string[];

export const MONTHS =
  'january february march april may june july august september october november december'.split(' ');
const SHORT_MONTHS = 'jan feb mar apr may jun jul aug sep oct nov dec'.split(' ');
export const DAYS = 'monday tuesday wednesday thursday friday saturday sunday'.split(' ');
/** More is no day of any month, but may be a slip that is told so. */
const MOST_DAY = 39;

/** 1 to 12; 0 for a word that is none. */
export function monthAt(word: string | undefined): number {
  if (word === undefined) return 0;
  const bare = word === 'sept' ? 'sep' : word;
  return Math.max(MONTHS.indexOf(bare), SHORT_MONTHS.indexOf(bare)) + 1;
}

/** "twenty twenty six", "two thousand and six", "2026": 1900 to 2099. */
export function yearAt(words: Words, at: number): Meaning<number> | null {
  if (/^(?:19|20)\d\d$/.test(words[at] ?? '')) return { value: Number(words[at]), count: 1 };
  const said = readYear(words, at);
  if (said) return { value: said.year, count: said.count };
  const number = readNumber(words, at);
  return number && number.value >= 1900 && number.value < 2100 && !number.ordinal
    ? { value: number.value, count: number.count }
    : null;
}

export interface ToldDay {
  value: number;
  count: number;
  ordinal: boolean;
}

/** "twenty third", "23rd", "twenty three", "23". */
export function dayNumber(words: Words, at: number): ToldDay | null {
  const written = /^(\d{1,2})(st|nd|rd|th)?$/.exec(words[at] ?? '');
  const found = written
    ? { value: Number(written[1]), count: 1, ordinal: written[2] !== undefined }
    : readBelow100(words, at);
  return found && found.value >= 1 && found.value <= MOST_DAY ? found : null;
}

export interface ToldDate {
  /** "the twenty third of may", or "may the twenty third". */
  isMonthFirst: boolean;
  /** 1 to 12. */
  month: number;
  /** Null where only a month and a year were told: "may 2027". */
  day: ToldDay | null;
  /** With "the" before the day, and "of" behind it. */
  the: boolean;
  of: boolean;
  year: number | null;
  count: number;
}

/** A date with the name of its month; null where none begins. */
export function readDate(words: Words, at: number): ToldDate | null {
  return monthAt(words[at]) > 0 ? monthFirst(words, at) : dayFirst(words, at);
}

function monthFirst(words: Words, at: number): ToldDate | null {
  const month = monthAt(words[at]);
  const the = words[at + 1] === 'the';
  const from = at + 1 + Number(the);
  const day = dayNumber(words, from);
  const isNumber = day !== null && /^(?:hundred|thousand)$/.test(words[from + day.count] ?? '');
  // "june twenty twenty six" names a year.
  const isYear = day !== null && !day.ordinal && readYear(words, at + 1) !== null;
  if (day && !isNumber && !isYear) {
    const year = yearAt(words, from + day.count);
    const count = from + day.count + (year?.count ?? 0) - at;
    return { isMonthFirst: true, month, day, the, of: false, year: year?.value ?? null, count };
  }
  const year = yearAt(words, at + 1);
  return (
    year && {
      isMonthFirst: true,
      month,
      day: null,
      the: false,
      of: false,
      year: year.value,
      count: 1 + year.count,
    }
  );
}

function dayFirst(words: Words, at: number): ToldDate | null {
  const the = words[at] === 'the';
  const day = dayNumber(words, at + Number(the));
  if (!day) return null;
  const next = at + Number(the) + day.count;
  const of = words[next] === 'of';
  const month = monthAt(words[next + Number(of)]);
  if (month === 0) return null;
  const end = next + Number(of) + 1;
  const year = yearAt(words, end);
  const count = end + (year?.count ?? 0) - at;
  return { isMonthFirst: false, month, day, the, of, year: year?.value ?? null, count };
}
