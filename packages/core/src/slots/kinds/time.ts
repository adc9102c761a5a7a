/** A time of day: `HH:MM`. */
import { clockText, minuteOf } from '../../calendar/calendar.js';
import type { SaidTime } from '../../language/common/meaning.js';
import { bound, fitting, one, textAs, type Kind, type ReadingContext } from '../common/kind.js';
import type { Slot } from '../common/slot.js';

/** Without another word, a time of day is one of these hours: from seven in the morning on. */
const FIRST_USUAL_MINUTE = 7 * 60;
const HALF_DAY = 720;

/** Which of the two times a clock shows so: by the words, the bounds, what is still to come, and by day. */
export function settleTime(said: SaidTime, slot: Slot, { now, day, part }: ReadingContext): number {
  if (said.half !== null || said.minute >= HALF_DAY) return said.minute;
  const both = [said.minute, said.minute + HALF_DAY];
  if (part !== null) return both[part === 'first' ? 0 : 1]!;
  const least = typeof slot.least === 'string' ? minuteOf(slot.least) : 0;
  const most = typeof slot.most === 'string' ? minuteOf(slot.most) : 2 * HALF_DAY - 1;
  const inside = both.filter((minute) => minute >= least && minute <= most);
  if (inside.length === 1) return inside[0]!;
  if (day === null || day === now.day) return both.find((minute) => minute > now.minute) ?? both[0]!;
  return both.find((minute) => minute >= FIRST_USUAL_MINUTE)!;
}

export const time: Kind = {
  read({ said, at }, slot, context) {
    const { words, now } = context;
    const away = words.values.fromNow(said, at, now);
    if (away?.value.hasTime) return one(clockText(away.value.minute), away.count, true);
    const found = words.values.time(said, at, now);
    if (!found) return [];
    const value = clockText(settleTime(found.value, slot, context));
    const openHalf = found.value.half === null && context.part === null && found.value.minute < HALF_DAY;
    return [{ value, count: found.count, plain: found.value.sure, ...(openHalf ? { openHalf } : {}) }];
  },
  breach(value, { least, most }, _now, { sayings, values }) {
    const said = (limit: string) => values.sayTime(minuteOf(limit));
    if (typeof least === 'string' && String(value) < least) return bound(sayings.least, said(least));
    return typeof most === 'string' && String(value) > most ? bound(sayings.most, said(most)) : null;
  },
  say: (value, _slot, _now, { values }) => values.sayTime(minuteOf(String(value))),
  from: fitting(/^(?:[01]\d|2[0-3]):[0-5]\d$/),
  schema: textAs('As HH:MM.'),
  day: 'wanted',
};
