/** Which time of day, and how long a time, English words mean, and how they are said. */
import { plusMinutes, plusMonths, type Moment } from '../../calendar/calendar.js';
import type { Meaning, Read, SaidTime } from '../meaning.js';
import { wordsOfPhraseAt as phraseAt } from '../phrase.js';
import { cardinalAt, readBelow100, unitOf } from './numbers.js';

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

/** "pm", "p.m.", "p m", "in the evening", "tonight", directly after a time. */
function halfAt(words: Words, at: number): Meaning<'first' | 'second'> | null {
  const bare = (words[at] ?? '').replace(/\./g, '');
  if (bare === 'am' || bare === 'pm') return { value: bare === 'am' ? 'first' : 'second', count: 1 };
  if ((bare === 'a' || bare === 'p') && words[at + 1] === 'm')
    return { value: bare === 'a' ? 'first' : 'second', count: 2 };
  const part = englishPartOfDay(words, at, { day: '', minute: 0 });
  return part && (words[at] === 'in' || words[at] === 'at' || words[at] === 'this' || words[at] === 'tonight') ? part : null; // prettier-ignore
}

function small(words: Words, at: number): Meaning<number> | null {
  if (/^\d{1,2}$/.test(words[at] ?? '')) return { value: Number(words[at]), count: 1 };
  const read = readBelow100(words, at);
  return read && !read.ordinal ? { value: read.value, count: read.count } : null;
}

function time(hour: number, minutes: number, half: SaidTime['half'], sure: boolean): SaidTime | null {
  if (hour > 24 || minutes > 59 || (hour === 24 && minutes > 0)) return null;
  if (hour > 12 || hour === 0) {
    const isSecond = hour >= 12 && hour < 24;
    return { minute: (hour % 24) * 60 + minutes, half: isSecond ? 'second' : 'first', sure };
  }
  const base = (hour % 12) * 60 + minutes;
  return { minute: half === 'second' ? base + 720 : base, half, sure };
}

function ended(words: Words, at: number, count: number, hour: number, minutes: number, sure: boolean) {
  const half = halfAt(words, at + count);
  const value = time(hour, minutes, half?.value ?? null, sure || half !== null);
  return value && { value, count: count + (half?.count ?? 0) };
}

/** "half past six", "quarter to seven", "twenty past six", "ten minutes to seven". */
function aroundTheHour(words: Words, at: number): Meaning<SaidTime> | null {
  const article = Number(words[at] === 'a' && words[at + 1] === 'quarter');
  const word = words[at + article];
  const named = word === 'half' ? 30 : word === 'quarter' ? 15 : null;
  const said = named === null ? small(words, at) : { value: named, count: 1 + article };
  if (!said || said.value < 1 || said.value > 30) return null;
  let next = at + said.count;
  if (words[next] === 'minutes') next++;
  const to = words[next];
  if (to !== 'past' && to !== 'to' && to !== 'after') return null;
  if ((word === 'half' && to !== 'past') || (to === 'after' && named === null)) return null;
  const hour = small(words, next + 1);
  if (!hour || hour.value < 1 || hour.value > 12) return null;
  const minutes = to === 'to' ? 60 - said.value : said.value;
  const shown = to === 'to' ? (hour.value === 1 ? 12 : hour.value - 1) : hour.value;
  return ended(words, at, next + 1 + hour.count - at, shown, minutes, true);
}

/** "6:30", "6.30", "18:30", "six thirty", "six oh five", "six o'clock", "six p m", "eighteen hundred", "six". */
function onTheClock(words: Words, at: number): Meaning<SaidTime> | null {
  const word = words[at] ?? '';
  const written = /^(\d{1,2})[:.](\d\d)(am|pm)?$/.exec(word) ?? /^(\d{1,2})()(am|pm)$/.exec(word);
  if (written) {
    const half = written[3] === undefined ? null : written[3] === 'am' ? ('first' as const) : ('second' as const); // prettier-ignore
    if (half === null) return ended(words, at, 1, Number(written[1]), Number(written[2]), true);
    const value = time(Number(written[1]), Number(written[2]), half, true);
    return value && { value, count: 1 };
  }
  const hour = small(words, at);
  if (!hour || hour.value > 24) return null;
  const next = at + hour.count;
  if (/^o'?clock$/.test(words[next] ?? '')) return ended(words, at, hour.count + 1, hour.value, 0, true);
  if (words[next] === 'hundred') {
    const hours = Number(words[next + 1] === 'hours');
    return ended(words, at, hour.count + 1 + hours, hour.value, 0, true);
  }
  if (words[next] === 'oh' || words[next] === 'o') {
    const unit = unitOf(words[next + 1]) ?? (/^\d$/.test(words[next + 1] ?? '') ? Number(words[next + 1]) : null); // prettier-ignore
    if (unit !== null) return ended(words, at, hour.count + 2, hour.value, unit, true);
  }
  const minutes = small(words, next);
  if (minutes && minutes.value >= 10 && minutes.value < 60)
    return ended(words, at, hour.count + minutes.count, hour.value, minutes.value, false);
  return ended(words, at, hour.count, hour.value, 0, false);
}

export const englishTime: Read<SaidTime> = (words, at) => {
  const lead = ['at', 'by', 'around', 'about', 'from', 'until', 'till', 'before', 'after'].includes(words[at] ?? '') ? 1 : 0; // prettier-ignore
  const from = at + lead;
  if (words[from] === 'noon' || words[from] === 'midday') return { value: { minute: 720, half: 'second', sure: true }, count: lead + 1 }; // prettier-ignore
  if (words[from] === 'midnight') return { value: { minute: 0, half: 'first', sure: true }, count: lead + 1 };
  const found = aroundTheHour(words, from) ?? onTheClock(words, from);
  return (
    found && { value: { ...found.value, sure: found.value.sure || lead === 1 }, count: lead + found.count }
  );
};

/** "two hours", "an hour and a half", "two and a half hours", "half an hour", "three quarters of an hour", "2h". */
export const englishDuration: Read<number> = (words, at) => {
  const half = phraseAt(words, at, 'half an') || phraseAt(words, at, 'half a');
  if (half > 0) return unitAt(words, at, half, 0.5);
  const quarter = phraseAt(words, at, 'a quarter of an') || phraseAt(words, at, 'quarter of an');
  if (quarter > 0) return unitAt(words, at, quarter, 0.25);
  const three = phraseAt(words, at, 'three quarters of an') || phraseAt(words, at, '3 quarters of an');
  if (three > 0) return unitAt(words, at, three, 0.75);
  const written = /^(\d{1,3})(h|min)$/.exec(words[at] ?? '');
  if (written) return { value: Number(written[1]) * (written[2] === 'h' ? 60 : 1), count: 1 };
  const one = words[at] === 'a' || words[at] === 'an' ? { value: 1, count: 1 } : cardinalAt(words, at);
  if (!one) return null;
  const halfMore = phraseAt(words, at + one.count, 'and a half');
  if (halfMore > 0) return unitAt(words, at, one.count + halfMore, one.value + 0.5);
  const first = unitAt(words, at, one.count, one.value);
  if (!first) return null;
  const unit = first.value / one.value;
  const tail = phraseAt(words, at + first.count, 'and a half');
  if (tail > 0) return { value: first.value + unit / 2, count: first.count + tail };
  const joined = Number(words[at + first.count] === 'and');
  const rest = cardinalAt(words, at + first.count + joined);
  const more = rest && unitAt(words, at + first.count + joined, rest.count, rest.value);
  if (more && more.value < unit) return { value: first.value + more.value, count: first.count + joined + more.count }; // prettier-ignore
  return first;
};

function unitAt(words: Words, at: number, count: number, times: number): Meaning<number> | null {
  const unit = UNIT_MINUTES.get((words[at + count] ?? '').replace(/s$/, ''));
  return unit === undefined ? null : { value: Math.round(times * unit), count: count + 1 };
}

/** "in an hour", "in three days", "two hours from now", "in a month", "now". */
export const englishFromNow: Read<Moment & { hasTime: boolean }> = (words, at, now) => {
  const soon = ['right now', 'straight away', 'right away', 'at once', 'immediately', 'now'].map((phrase) => phraseAt(words, at, phrase)).find((count) => count > 0); // prettier-ignore
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
