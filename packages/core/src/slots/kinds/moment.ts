/** A day and a time of it: `YYYY-MM-DDTHH:MM`. */
import { clockText, minuteOf, plusDays } from '../../calendar/calendar.js';
import type { SaidTime } from '../../language/common/meaning.js';
import { one, textAs, textOf, type Kind, type Place, type ReadingContext } from '../common/kind.js';
import { dayBreach, isDate } from './date.js';
import { settleTime } from './time.js';

/** What was said of a moment, in any order. */
interface Said {
  /** Null for a day that there is not; undefined where none was said. */
  day?: string | null;
  clock?: SaidTime;
  part?: 'first' | 'second';
  /** Words from the place on. */
  count: number;
}

/** Takes what stands at a place into what was said. @returns how many words it has; 0 where it is nothing */
function take(found: Said, said: readonly string[], at: number, { words, now }: ReadingContext): number {
  const day = found.day === undefined ? words.values.day(said, at, now) : null;
  const clock = found.clock === undefined ? words.values.time(said, at, now) : null;
  const part = words.values.partOfDay(said, at, now);
  if (day && day.count >= (clock?.count ?? 0)) {
    found.day = day.value;
    // "Tonight" is a day and a part of it.
    if (part) found.part ??= part.value;
    return day.count;
  }
  if (clock && (clock.value.sure || found.day !== undefined)) {
    found.clock = clock.value;
    return clock.count;
  }
  if (part) found.part = part.value;
  return part?.count ?? 0;
}

function allSaid({ said, at }: Place, context: ReadingContext): Said {
  const found: Said = { count: 0 };
  for (let i = at; i < said.length;) {
    const count = take(found, said, i, context);
    if (count > 0) found.count = i + count - at;
    else if (i === at || !context.words.leadIns.has(said[i]!)) break;
    i += Math.max(1, count);
  }
  return found;
}

/** "tomorrow at six", "at half past six on friday", "in an hour", "now", "tonight at eight". */
export const moment: Kind = {
  read(place, slot, context) {
    const { words, now } = context;
    const away = words.values.fromNow(place.said, place.at, now);
    if (away?.value.hasTime)
      return one(`${away.value.day}T${clockText(away.value.minute)}`, away.count, true);
    const { day, clock, part = null, count } = allSaid(place, context);
    if (!clock) return [];
    if (day === null) return [{ value: null, count, plain: true, noSuchDay: true }];
    const minute = settleTime(clock, slot, { ...context, day: day ?? null, part });
    const isOver = day === undefined && minute <= now.minute;
    const on = day ?? (isOver ? plusDays(now.day, 1) : now.day);
    return one(`${on}T${clockText(minute)}`, count, clock.sure || day !== undefined);
  },
  breach: dayBreach,
  say(value, _slot, now, { values }) {
    const [day, clock] = String(value).split('T');
    return `${values.sayDay(day!, now)}, ${values.sayTime(minuteOf(clock!))}`;
  },
  from(given) {
    const text = textOf(given);
    return text !== null && /T(?:[01]\d|2[0-3]):[0-5]\d$/.test(text) && isDate(text.slice(0, -6))
      ? text
      : null;
  },
  schema: textAs('As YYYY-MM-DDTHH:MM, local time.'),
};
