/** Which day English words mean, and how a day is said. */
import {
  civilOf,
  dayText,
  daysInMonth,
  isDay,
  plusDays,
  plusMonths,
  weekdayOf,
  type Civil,
  type Day,
} from '../../calendar/calendar.js';
import type { Meaning, Read } from '../common/meaning.js';
import { capital } from '../common/writing.js';
import { wordsOfPhraseAt as phraseAt } from '../common/phrase.js';
import { DAYS, dayNumber, monthAt, MONTHS, readDate } from './dates.js';
import { cardinalAt, ordinalText } from './numbers.js';

type Words = readonly string[];

const SHORT_DAYS = new Map(
  ['mon', 'tue', 'tues', 'wed', 'thu', 'thur', 'thurs', 'fri', 'sat', 'sun'].map((short) => [
    short,
    DAYS.findIndex((day) => day.startsWith(short)),
  ]),
);
/** Parts of a day that may follow its name. */
const PARTS = new Set(['night', 'morning', 'afternoon', 'evening']);
/** Days with names of their own. */
const FEASTS = new Map<string, Omit<Civil, 'year'>>([
  ['christmas eve', { month: 12, day: 24 }],
  ['christmas day', { month: 12, day: 25 }],
  ['boxing day', { month: 12, day: 26 }],
  ["new year's eve", { month: 12, day: 31 }],
  ["new year's day", { month: 1, day: 1 }],
]);
const FROM_TODAY: readonly (readonly [string, number])[] = [
  ['the day before yesterday', -2],
  ['the day after tomorrow', 2],
  ['a week from tomorrow', 8],
  ['a week tomorrow', 8],
  ['tomorrow week', 8],
  ['a week from today', 7],
  ['a week today', 7],
  ['today week', 7],
  ['a week from now', 7],
  ['yesterday', -1],
  ['tomorrow', 1],
  ['today', 0],
  ['tonight', 0],
  ['this morning', 0],
  ['this afternoon', 0],
  ['this evening', 0],
];

function weekdayAt(word: string | undefined): number {
  if (word === undefined) return -1;
  const full = DAYS.indexOf(word);
  return full >= 0 ? full : (SHORT_DAYS.get(word) ?? -1);
}

/** The first such weekday after this day. */
function nextWeekday(after: Day, weekday: number): Day {
  return plusDays(after, ((weekday - weekdayOf(after) + 6) % 7) + 1);
}

/** The first day from today on with this date, or null where no year has it. */
function nextDate(month: number, day: number, today: Day): Day | null {
  const { year } = civilOf(today);
  for (let y = year; y <= year + 8; y++) {
    const date = { year: y, month, day };
    if (isDay(date) && dayText(date) >= today) return dayText(date);
    if (!isDay(date) && !(month === 2 && day === 29)) return null;
  }
  return null;
}

/** The first day from today on that is the so many-th of its month. */
function nextDayOfMonth(day: number, today: Day): Day | null {
  const { year, month } = civilOf(today);
  for (let i = 0; i < 12; i++) {
    const index = year * 12 + month - 1 + i;
    const date = { year: Math.floor(index / 12), month: (index % 12) + 1, day };
    if (day <= daysInMonth(date.year, date.month) && dayText(date) >= today) return dayText(date);
  }
  return null;
}

const dated = (date: Civil): Day | null => (isDay(date) ? dayText(date) : null);

/**
 * "the twenty third of may", "may the twenty third", "23 may 2027", "the first of next month", "the twenty
 * third".
 */
function fullDate(words: Words, from: number, today: Day): Meaning<Day | null> | null {
  const told = readDate(words, from);
  if (told?.day) {
    const { month, day, year, count } = told;
    const value = year === null ? nextDate(month, day.value, today) : dated({ year, month, day: day.value });
    return { value, count };
  }
  return told || monthAt(words[from]) > 0 ? null : ofThisOrThat(words, from, today);
}

/** "The last day of may", "the end of the month", "the first of next month", "the twenty third". */
function ofThisOrThat(words: Words, from: number, today: Day): Meaning<Day | null> | null {
  const the = Number(words[from] === 'the');
  const last = phraseAt(words, from + the, 'last day') || phraseAt(words, from + the, 'end');
  if (last > 0 && words[from + the + last] === 'of')
    return ofMonth(words, from, the + last + 1, 31, today, true);
  const day = dayNumber(words, from + the);
  if (!day) return null;
  if (words[from + the + day.count] === 'of')
    return ofMonth(words, from, the + day.count + 1, day.value, today, false);
  if (!day.ordinal || day.value > 31) return null;
  return { value: nextDayOfMonth(day.value, today), count: the + day.count };
}

/** "… of this month", "… of next month", "… of may". */
function ofMonth(words: Words, from: number, count: number, day: number, today: Day, last: boolean) {
  const where = from + count;
  const the = Number(words[where] === 'the');
  const next = phraseAt(words, where, 'next month');
  const same = phraseAt(words, where, 'this month') || phraseAt(words, where, 'the month');
  const named = monthAt(words[where]);
  if (next + same === 0 && (named === 0 || !last)) return null;
  const base = civilOf(named > 0 ? nextDate(named, 1, today)! : next > 0 ? plusMonths(today, 1) : today);
  const date = last ? daysInMonth(base.year, base.month) : day;
  return { value: dated({ ...base, day: date }), count: count + (next || same || 1 + the) };
}

/** "2026-11-27", "27.11.2026", "27.11", "27/11/2026": the day first where the year is not. */
function numericDate(word: string | undefined, today: Day): Meaning<Day | null> | null {
  const iso = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(word ?? '');
  if (iso)
    return { value: dated({ year: Number(iso[1]), month: Number(iso[2]), day: Number(iso[3]) }), count: 1 };
  const local = /^(\d{1,2})[./](\d{1,2})(?:[./](\d{4}|\d{2}))?$/.exec(word ?? '');
  if (!local) return null;
  const [day, month] = [Number(local[1]), Number(local[2])];
  // "6.30" is a time of day.
  if (month > 12 || (local[3] === undefined && word!.includes('.') && month === 0)) return null;
  if (local[3] === undefined) return { value: nextDate(month, day, today), count: 1 };
  return { value: dated({ year: (Number(local[3]) % 100) + 2000, month, day }), count: 1 };
}

/** "in three days", "in a week", "two weeks from now", "in a fortnight". */
function daysAway(words: Words, from: number, today: Day): Meaning<Day> | null {
  const lead = Number(words[from] === 'in');
  const where = from + lead;
  const one =
    words[where] === 'a' || words[where] === 'one' ? { value: 1, count: 1 } : cardinalAt(words, where);
  if (!one) return null;
  const unit = (words[where + one.count] ?? '').replace(/s$/, '');
  const days = { day: 1, night: 1, week: 7, fortnight: 14, month: 0 }[unit];
  if (days === undefined) return null;
  let count = lead + one.count + 1;
  const tail = phraseAt(words, from + count, 'from now') || phraseAt(words, from + count, 'from today');
  if (lead === 0 && tail === 0) return null;
  count += tail;
  return { value: days === 0 ? plusMonths(today, one.value) : plusDays(today, days * one.value), count };
}

/** "friday", "this friday", "next friday", "friday week", "a week on friday", "friday the twenty seventh". */
function weekdayDate(words: Words, from: number, today: Day): Meaning<Day | null> | null {
  const weekOn = phraseAt(words, from, 'a week on') || phraseAt(words, from, 'a week from');
  if (weekOn > 0) {
    const weekday = weekdayAt(words[from + weekOn]);
    return weekday < 0 ? null : { value: plusDays(nextWeekday(today, weekday), 7), count: weekOn + 1 };
  }
  const long = ['the coming', 'this coming', 'the next']
    .map((phrase) => phraseAt(words, from, phrase))
    .find((count) => count > 0);
  const lead = long ?? Number(['this', 'next', 'coming', 'on'].includes(words[from] ?? ''));
  const weekday = weekdayAt(words[from + lead]);
  if (weekday < 0) return null;
  let count = lead + 1;
  let value: Day | null = nextWeekday(today, weekday);
  // "Next Friday" is that of the week after this one (weeks begin on Monday).
  if (words[from] === 'next') value = plusDays(today, 7 - weekdayOf(today) + weekday);
  if (words[from] === 'this' && weekdayOf(today) === weekday && lead === 1) value = today;
  if (words[from + count] === 'week') return { value: plusDays(value, 7), count: count + 1 };
  const comma = Number(words[from + count] === 'on');
  const date = fullDate(words, from + count + comma, today);
  if (date && !PARTS.has(words[from + count] ?? '')) {
    // What is written in figures or by its month counts, not the name beside it.
    count += comma + date.count;
    value = date.value;
  }
  return { value, count };
}

/** Which day is meant; null for one that there is not. A bare weekday is the next one, and never today. */
export const englishDay: Read<Day | null> = (words, from, { day: today }) => {
  const on = Number(words[from] === 'on' && weekdayAt(words[from + 1]) < 0);
  const found = dayFrom(words, from + on, today);
  if (!found) return null;
  const part = PARTS.has(words[from + on + found.count] ?? '') ? 1 : 0;
  return { value: found.value, count: on + found.count + part };
};

function dayFrom(words: Words, from: number, today: Day): Meaning<Day | null> | null {
  for (const [phrase, days] of FROM_TODAY) {
    const count = phraseAt(words, from, phrase);
    if (count > 0) return { value: plusDays(today, days), count };
  }
  for (const [phrase, { month, day }] of FEASTS) {
    const count = phraseAt(words, from, phrase);
    if (count > 0) return { value: nextDate(month, day, today), count };
  }
  return (
    numericDate(words[from], today) ??
    daysAway(words, from, today) ??
    weekdayDate(words, from, today) ??
    fullDate(words, from, today)
  );
}

/** "today, the 26th of November", "Friday, the 27th of November", with the year where it is another one. */
export function sayDay(day: Day, today: Day): string {
  const { year, month, day: date } = civilOf(day);
  const names = new Map([
    [plusDays(today, -1), 'yesterday'],
    [today, 'today'],
    [plusDays(today, 1), 'tomorrow'],
  ]);
  const name = names.get(day) ?? capital(DAYS[weekdayOf(day)]!);
  const named = `${name}, the ${ordinalText(date)} of ${capital(MONTHS[month - 1]!)}`;
  return year === civilOf(today).year ? named : `${named} ${year}`;
}
