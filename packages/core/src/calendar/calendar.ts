/**
 * Days and times of day without a library: proleptic Gregorian days counted from 1970-01-01, as in H.
 * Hinnant, "chrono-Compatible Low-Level Date Algorithms".
 */

/** A calendar day, `YYYY-MM-DD` (ISO 8601). */
export type Day = string;

export interface Civil {
  year: number;
  /** 1 to 12. */
  month: number;
  day: number;
}

/** Where and when a caller is. */
export interface Moment {
  day: Day;
  /** Minutes since midnight, 0 to 1439. */
  minute: number;
}

export const MINUTES_A_DAY = 1_440;

const two = (value: number) => String(value).padStart(2, '0');

export function dayText({ year, month, day }: Civil): Day {
  return `${String(year).padStart(4, '0')}-${two(month)}-${two(day)}`;
}

export function civilOf(day: Day): Civil {
  const [year, month, date] = day.split('-').map(Number);
  return { year: year!, month: month!, day: date! };
}

export function daysInMonth(year: number, month: number): number {
  return month === 2 && (year % 4 !== 0 || (year % 100 === 0 && year % 400 !== 0))
    ? 28
    : [31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31][month - 1]!;
}

/** Is there such a day? "31 February" is none. */
export function isDay({ year, month, day }: Civil): boolean {
  return month >= 1 && month <= 12 && day >= 1 && day <= daysInMonth(year, month);
}

/** Days since 1970-01-01. */
export function dayNumber(day: Day): number {
  const { year, month, day: date } = civilOf(day);
  return Math.round(Date.UTC(year, month - 1, date) / 86_400_000);
}

export function dayOfNumber(number: number): Day {
  return new Date(number * 86_400_000).toISOString().slice(0, 10);
}

export function plusDays(day: Day, count: number): Day {
  return dayOfNumber(dayNumber(day) + count);
}

/** The same date so many months later, or the last one of that month. */
export function plusMonths(day: Day, count: number): Day {
  const { year, month, day: date } = civilOf(day);
  const index = year * 12 + month - 1 + count;
  const to = { year: Math.floor(index / 12), month: (index % 12) + 1 };
  return dayText({ ...to, day: Math.min(date, daysInMonth(to.year, to.month)) });
}

/** 0 for Monday to 6 for Sunday (ISO 8601 begins its week so). */
export function weekdayOf(day: Day): number {
  return (((dayNumber(day) + 3) % 7) + 7) % 7;
}

/** `HH:MM`. */
export function clockText(minute: number): string {
  return `${two(Math.floor(minute / 60))}:${two(minute % 60)}`;
}

export function minuteOf(clock: string): number {
  const [hours, minutes] = clock.split(':').map(Number);
  return hours! * 60 + minutes!;
}

/** The moment so many minutes later. */
export function plusMinutes({ day, minute }: Moment, count: number): Moment {
  const all = minute + count;
  const days = Math.floor(all / MINUTES_A_DAY);
  return { day: plusDays(day, days), minute: all - days * MINUTES_A_DAY };
}

/** Making one takes longer than all else here. */
const clocks = new Map<string, Intl.DateTimeFormat>();

function clockOf(zone: string): Intl.DateTimeFormat {
  const known = clocks.get(zone);
  if (known) return known;
  const digits = '2-digit' as const;
  const made = new Intl.DateTimeFormat('en-CA', {
    timeZone: zone,
    hourCycle: 'h23',
    year: 'numeric',
    month: digits,
    day: digits,
    hour: digits,
    minute: digits,
  });
  clocks.set(zone, made);
  return made;
}

/**
 * What the clocks show there.
 * @param unixMs milliseconds since 1970-01-01T00:00Z @param zone of the IANA database, such as Europe/Vienna
 * @throws RangeError for a zone that there is not
 */
export function momentIn(unixMs: number, zone: string): Moment {
  const parts = clockOf(zone).formatToParts(unixMs);
  const part = (type: string) => Number(parts.find((one) => one.type === type)!.value);
  return {
    day: dayText({ year: part('year'), month: part('month'), day: part('day') }),
    minute: part('hour') * 60 + part('minute'),
  };
}

/**
 * Milliseconds since 1970-01-01T00:00Z at which the clocks show this; of a time that is skipped, the same
 * span later.
 */
export function unixMsOf({ day, minute }: Moment, zone: string): number {
  const asUtc = dayNumber(day) * 86_400_000 + minute * 60_000;
  let guess = asUtc;
  for (let i = 0; i < 2; i++) {
    const shown = momentIn(guess, zone);
    guess += asUtc - (dayNumber(shown.day) * 86_400_000 + shown.minute * 60_000);
  }
  return guess;
}
