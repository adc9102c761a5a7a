/** Which time of day, and how long a time, English words mean, and how they are said. */
import { plusMinutes, plusMonths, type Moment } from '../../calendar/calendar.js';
import type { Meaning, Read, SaidTime } from '../common/meaning.js';
import { wordsOfPhraseAt as phraseAt } from '../common/phrase.js';
import { readClock, type ClockForm } from './clock.js';
import { cardinalAt } from './numbers.js';

type Words = readonly string[];

const UNIT_MINUTES = new Map([
  ['minute', 1],
  ['hour', 60],
  ['day', 1_440],
  ['night', 1_440],
  ['week', 10_080],
  ['fortnight', 20_160],
]);
const PARTS: readonly (readonly [string, 'first' | 'second'])[] = [
  ['in the early morning', 'first'],
  ['in the morning', 'first'],
  ['this morning', 'first'],
  ['in the afternoon', 'second'],
  ['this afternoon', 'second'],
  ['in the evening', 'second'],
  ['this evening', 'second'],
  ['at night', 'second'],
  ['tonight', 'second'],
  ['morning', 'first'],
  ['afternoon', 'second'],
  ['evening', 'second'],
];

export const englishPartOfDay: Read<'first' | 'second'> = (words, at) => {
  for (const [phrase, value] of PARTS) {
    const count = phraseAt(words, at, phrase);
    if (count > 0) return { value, count };
  }
  return null;
};

/** "in the evening", "tonight", directly after a time. */
function halfAt(words: Words, at: number): Meaning<'first' | 'second'> | null {
  const leads = ['in', 'at', 'this', 'tonight'].includes(words[at] ?? '');
  return leads ? englishPartOfDay(words, at, { day: '', minute: 0 }) : null;
}

/** What a clock shows so, by which half of the day it is. */
function shown(hour: number, minutes: number, half: SaidTime['half'], sure: boolean): SaidTime {
  if (hour > 12 || hour === 0) {
    const isSecond = hour >= 12 && hour < 24;
    return { minute: (hour % 24) * 60 + minutes, half: isSecond ? 'second' : 'first', sure };
  }
  const base = (hour % 12) * 60 + minutes;
  return { minute: half === 'second' ? base + 720 : base, half, sure };
}

/** Words that a time follows. */
const BEFORE_A_TIME = ['at', 'by', 'around', 'about', 'from', 'until', 'till', 'before', 'after'];
/** Told so, it can be nothing but a time. */
const SURE_FORMS: readonly ClockForm[] = ['around', "o'clock", 'hundred', 'oh', 'figures'];

export const englishTime: Read<SaidTime> = (words, at) => {
  const lead = Number(BEFORE_A_TIME.includes(words[at] ?? ''));
  const from = at + lead;
  if (words[from] === 'noon' || words[from] === 'midday')
    return { value: { minute: 720, half: 'second', sure: true }, count: lead + 1 };
  if (words[from] === 'midnight') return { value: { minute: 0, half: 'first', sure: true }, count: lead + 1 };
  const told = readClock(words, from);
  if (!told) return null;
  const part = told.half === null ? halfAt(words, from + told.count) : null;
  const half = told.half ?? part?.value ?? null;
  const sure = lead === 1 || half !== null || SURE_FORMS.includes(told.form);
  return {
    value: shown(told.hour, told.minutes, half, sure),
    count: lead + told.count + told.halfCount + (part?.count ?? 0),
  };
};

const PARTS_OF_A_UNIT: readonly (readonly [string, number])[] = [
  ['half an', 0.5],
  ['half a', 0.5],
  ['a quarter of an', 0.25],
  ['quarter of an', 0.25],
  ['three quarters of an', 0.75],
  ['3 quarters of an', 0.75],
];

/**
 * "two hours", "an hour and a half", "two and a half hours", "half an hour", "three quarters of an hour",
 * "2h".
 */
export const englishDuration: Read<number> = (words, at) => {
  for (const [phrase, share] of PARTS_OF_A_UNIT) {
    const count = phraseAt(words, at, phrase);
    if (count > 0) return unitAt(words, at, count, share);
  }
  const written = /^(\d{1,3})(h|min)$/.exec(words[at] ?? '');
  if (written) return { value: Number(written[1]) * (written[2] === 'h' ? 60 : 1), count: 1 };
  const one = words[at] === 'a' || words[at] === 'an' ? { value: 1, count: 1 } : cardinalAt(words, at);
  if (!one) return null;
  const halfMore = phraseAt(words, at + one.count, 'and a half');
  if (halfMore > 0) return unitAt(words, at, one.count + halfMore, one.value + 0.5);
  const first = unitAt(words, at, one.count, one.value);
  return first && withRest(words, at, first, one.value);
};

/** "… and a half", "… and twenty minutes": what is told behind so many of a unit. */
function withRest(words: Words, at: number, first: Meaning<number>, times: number): Meaning<number> {
  const unit = first.value / times;
  const tail = phraseAt(words, at + first.count, 'and a half');
  if (tail > 0) return { value: first.value + unit / 2, count: first.count + tail };
  const joined = Number(words[at + first.count] === 'and');
  const rest = cardinalAt(words, at + first.count + joined);
  const more = rest && unitAt(words, at + first.count + joined, rest.count, rest.value);
  if (more && more.value < unit)
    return { value: first.value + more.value, count: first.count + joined + more.count };
  return first;
}

function unitAt(words: Words, at: number, count: number, times: number): Meaning<number> | null {
  const unit = UNIT_MINUTES.get((words[at + count] ?? '').replace(/s$/, ''));
  return unit === undefined ? null : { value: Math.round(times * unit), count: count + 1 };
}

/** "in an hour", "in three days", "two hours from now", "in a month", "now". */
export const englishFromNow: Read<Moment & { hasTime: boolean }> = (words, at, now) => {
  const soon = ['right now', 'straight away', 'right away', 'at once', 'immediately', 'now']
    .map((phrase) => phraseAt(words, at, phrase))
    .find((count) => count > 0);
  if (soon !== undefined) return { value: { ...now, hasTime: true }, count: soon };
  const lead = Number(words[at] === 'in');
  const month = lead === 1 && (words[at + 1] === 'a' || words[at + 1] === 'one') && words[at + 2] === 'month';
  if (month) return { value: { ...now, day: plusMonths(now.day, 1), hasTime: false }, count: 3 };
  const span = englishDuration(words, at + lead, now);
  if (!span) return null;
  const count = lead + span.count;
  const tail = phraseAt(words, at + count, 'from now');
  if (lead === 0 && tail === 0) return null;
  return {
    value: { ...plusMinutes(now, span.value), hasTime: span.value % 1_440 !== 0 },
    count: count + tail,
  };
};

/** "noon", "midnight", "6:30 in the morning". */
export function sayTime(minute: number): string {
  if (minute === 720) return 'noon';
  if (minute === 0) return 'midnight';
  const hour = Math.floor(minute / 60);
  const shown = hour % 12 === 0 ? 12 : hour % 12;
  const past = minute % 60;
  const part = hour < 12 ? 'in the morning' : hour < 18 ? 'in the afternoon' : 'in the evening';
  return `${shown}${past === 0 ? '' : `:${String(past).padStart(2, '0')}`} ${part}`;
}

export function sayDuration(minutes: number): string {
  const parts: string[] = [];
  const add = (count: number, unit: string) => {
    if (count > 0) parts.push(`${count} ${unit}${count === 1 ? '' : 's'}`);
  };
  add(Math.floor(minutes / 1_440), 'day');
  add(Math.floor((minutes % 1_440) / 60), 'hour');
  add(minutes % 60, 'minute');
  return parts.length === 0 ? '0 minutes' : parts.join(' and ');
}
