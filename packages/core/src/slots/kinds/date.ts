/** A day: `YYYY-MM-DD`. */
import { civilOf, isDay, minuteOf, weekdayOf, type Moment } from '../../calendar/calendar.js';
import type { ErrandWords } from '../../language/common/errand-words.js';
import { bound, textAs, textOf, type Kind } from '../common/kind.js';
import type { Slot, SlotValue } from '../common/slot.js';

const WEEKDAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

export const isDate = (text: string) => /^\d{4}-\d\d-\d\d$/.test(text) && isDay(civilOf(text));

/** Bounds of a day, and of a moment: `YYYY-MM-DDTHH:MM`. */
export function dayBreach(
  value: SlotValue,
  { past, days, least, most }: Slot,
  now: Moment,
  { sayings, values }: ErrandWords,
): string | null {
  const text = String(value);
  const [day = '', clock] = text.split('T');
  const isOver = day < now.day || (clock !== undefined && day === now.day && minuteOf(clock) < now.minute);
  if (isOver && past !== true) return sayings.past;
  if (days && !days.includes(WEEKDAYS[weekdayOf(day)]!)) return sayings.closedThen;
  const said = (limit: string) => values.sayDay(limit.slice(0, 10), now);
  if (typeof least === 'string' && text < least) return bound(sayings.least, said(least));
  if (typeof most === 'string' && text.slice(0, most.length) > most) return bound(sayings.most, said(most));
  return null;
}

export const date: Kind = {
  read({ said, at }, _slot, { words, now }) {
    const found = words.values.day(said, at, now);
    if (!found) return [];
    const { value, count } = found;
    return [{ value, count, plain: true, ...(value === null ? { noSuchDay: true } : {}) }];
  },
  breach: dayBreach,
  say: (value, _slot, now, { values }) => values.sayDay(String(value), now),
  from(given) {
    const text = textOf(given);
    return text !== null && isDate(text) ? text : null;
  },
  schema: textAs('As YYYY-MM-DD.'),
  answers(_slot, { name, words: { aroundAnswers: around, likely }, isAsked }) {
    if (isAsked) return likely.date ?? [];
    return [`${around.day} <${name}: date>`, `${around.not} <${name}: date>`];
  },
  day: 'said',
  open: { ears: 'date' },
};
