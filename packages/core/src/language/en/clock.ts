/** Times of day as they are told in English: captions write them, and slots take them. */
import type { Meaning } from '../common/meaning.js';
import { readBelow100, unitOf } from './numbers.js';

type Words = readonly string[];

/**
 * How it was told: around the hour ("half past six"), with "o'clock", with hundreds ("eighteen hundred"),
 * with minutes behind the hour ("six thirty", "six oh five"), as a bare hour, or in figures ("6:30").
 */
export type ClockForm = 'around' | "o'clock" | 'hundred' | 'minutes' | 'oh' | 'bare' | 'figures';

export interface ToldClock {
  form: ClockForm;
  /** As the clock shows it: 1 to 12, or 0 to 24 where it was told so. */
  hour: number;
  minutes: number;
  /** Before or after noon, where it was said directly: "p m". */
  half: 'first' | 'second' | null;
  /** Words of the time, and of its half. */
  count: number;
  halfCount: number;
}

/** "pm", "p.m.", "p m". */
function lettersOfHalf(words: Words, at: number): Meaning<'first' | 'second'> | null {
  const bare = (words[at] ?? '').replace(/\./g, '');
  if (bare === 'am' || bare === 'pm') return { value: bare === 'am' ? 'first' : 'second', count: 1 };
  const isSpelled = (bare === 'a' || bare === 'p') && (words[at + 1] ?? '').replace(/\./g, '') === 'm';
  return isSpelled ? { value: bare === 'a' ? 'first' : 'second', count: 2 } : null;
}

function small(words: Words, at: number): Meaning<number> | null {
  if (/^\d{1,2}$/.test(words[at] ?? '')) return { value: Number(words[at]), count: 1 };
  const read = readBelow100(words, at);
  return read && !read.ordinal ? { value: read.value, count: read.count } : null;
}

function told(words: Words, at: number, form: ClockForm, hour: number, minutes: number, count: number) {
  const half = lettersOfHalf(words, at + count);
  return { form, hour, minutes, count, half: half?.value ?? null, halfCount: half?.count ?? 0 };
}

const NAMED_MINUTES = new Map([
  ['half', 30],
  ['quarter', 15],
]);

function waysOf(minutes: string): readonly string[] {
  if (minutes === 'half') return ['past'];
  return minutes === 'quarter' ? ['past', 'to', 'after'] : ['past', 'to'];
}

/** "half past six", "quarter to seven", "quarter after six", "twenty past six", "ten minutes to seven". */
function aroundTheHour(words: Words, at: number): ToldClock | null {
  const article = Number(words[at] === 'a' && words[at + 1] === 'quarter');
  const word = words[at + article] ?? '';
  const named = NAMED_MINUTES.get(word);
  const said = named === undefined ? small(words, at) : { value: named, count: 1 + article };
  if (!said || said.value < 1 || said.value > 30) return null;
  const next = at + said.count + Number(words[at + said.count] === 'minutes');
  const way = words[next] ?? '';
  const hour = waysOf(word).includes(way) ? small(words, next + 1) : null;
  if (!hour || hour.value < 1 || hour.value > 12) return null;
  const count = next + 1 + hour.count - at;
  if (way !== 'to') return told(words, at, 'around', hour.value, said.value, count);
  return told(words, at, 'around', hour.value === 1 ? 12 : hour.value - 1, 60 - said.value, count);
}

/** "6:30", "6.30", "6pm", "6:30pm". */
function inFigures(words: Words, at: number): ToldClock | null {
  const word = words[at] ?? '';
  const written = /^(\d{1,2})[:.](\d\d)(am|pm)?$/.exec(word) ?? /^(\d{1,2})()(am|pm)$/.exec(word);
  if (!written) return null;
  const found = told(words, at, 'figures', Number(written[1]), Number(written[2]), 1);
  return written[3] === undefined
    ? found
    : { ...found, half: written[3] === 'am' ? 'first' : 'second', halfCount: 0 };
}

/** Minutes after the hour: "thirty", "oh five", "forty five". */
function minutesAt(words: Words, at: number): Meaning<number> | null {
  if (/^oh?$/.test(words[at] ?? '')) {
    const word = words[at + 1] ?? '';
    const unit = unitOf(word) ?? (/^\d$/.test(word) ? Number(word) : null);
    return unit === null ? null : { value: unit, count: 2 };
  }
  const found = small(words, at);
  return found && found.value >= 10 && found.value < 60 ? found : null;
}

/** "six o'clock", "eighteen hundred", "six thirty", "six oh five", "six p m", "six". */
function hourFirst(words: Words, at: number): ToldClock | null {
  const hour = small(words, at);
  if (!hour || hour.value > 24) return null;
  const next = at + hour.count;
  if (/^o'?clock$/.test(words[next] ?? '')) return told(words, at, "o'clock", hour.value, 0, hour.count + 1);
  if (words[next] === 'hundred')
    return told(words, at, 'hundred', hour.value, 0, hour.count + 1 + Number(words[next + 1] === 'hours'));
  const minutes = minutesAt(words, next);
  const form = /^oh?$/.test(words[next] ?? '') ? 'oh' : 'minutes';
  if (minutes) return told(words, at, form, hour.value, minutes.value, hour.count + minutes.count);
  return told(words, at, 'bare', hour.value, 0, hour.count);
}

export function readClock(words: Words, at: number): ToldClock | null {
  const found = aroundTheHour(words, at) ?? inFigures(words, at) ?? hourFirst(words, at);
  return found && found.hour <= 24 && found.minutes < 60 && !(found.hour === 24 && found.minutes > 0)
    ? found
    : null;
}
