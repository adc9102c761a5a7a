/** Dates and clock times. */
import { ordinalText, readBelow100, readNumber, readYear, unitOf } from './numbers.js';
import { capital, type Rule } from '../writing.js';

export const MONTHS =
  'january february march april may june july august september october november december'.split(' ');
export const DAYS = 'monday tuesday wednesday thursday friday saturday sunday'.split(' ');
/** Months that are words of their own too. */
const AMBIGUOUS = new Set(['march', 'may']);
const BEFORE_A_MONTH = new Set([
  'in',
  'of',
  'next',
  'last',
  'this',
  'by',
  'until',
  'since',
  'early',
  'late',
  'mid',
]);
/** A time of day follows one of these. */
const BEFORE_A_TIME = new Set(
  "at by until till before after around about from between and is it's at's past exactly".split(' '),
);
const AFTER_A_TIME = new Set(['tonight', 'tomorrow', 'today', 'sharp']);

export function isDay(word: string | undefined): boolean {
  return DAYS.includes((word ?? '').replace(/s$/, ''));
}

function monthAt(words: readonly string[], at: number): string | null {
  const word = words[at];
  return word !== undefined && MONTHS.includes(word) ? capital(word) : null;
}

function yearAfter(words: readonly string[], at: number): { text: string; count: number } {
  const said = readYear(words, at);
  if (said) return { text: ` ${said.year}`, count: said.count };
  const number = readNumber(words, at);
  return number && !number.ordinal && number.value >= 1900 && number.value < 2100
    ? { text: ` ${number.value}`, count: number.count }
    : { text: '', count: 0 };
}

/** "the twenty first of june [twenty twenty six]", "june [the] twenty first [twenty twenty six]", "june twenty twenty six". */
export const date: Rule = (words, at) => {
  const day = readBelow100(words, at);
  if (day?.ordinal && day.value <= 31 && words[at + day.count] === 'of') {
    const month = monthAt(words, at + day.count + 1);
    if (month) {
      const year = yearAfter(words, at + day.count + 2);
      const written = `${ordinalText(day.value)} of ${month}${year.text}`;
      return { count: day.count + 2 + year.count, written };
    }
  }
  const month = monthAt(words, at);
  if (!month) return null;
  const article = Number(words[at + 1] === 'the');
  const after = readBelow100(words, at + 1 + article);
  const goesOn = after !== null && /^(?:hundred|thousand)$/.test(words[at + 1 + article + after.count] ?? '');
  if (
    after &&
    !goesOn &&
    after.value >= 1 &&
    after.value <= 31 &&
    (after.ordinal || !readYear(words, at + 1))
  ) {
    const year = yearAfter(words, at + 1 + article + after.count);
    const text = article ? `the ${ordinalText(after.value)}` : String(after.value);
    const comma = year.text === '' ? '' : ',';
    return { count: 1 + article + after.count + year.count, written: `${month} ${text}${comma}${year.text}` };
  }
  const year = yearAfter(words, at + 1);
  if (year.count > 0) return { count: 1 + year.count, written: `${month}${year.text}` };
  return null;
};

export const month: Rule = (words, at) => {
  const name = monthAt(words, at);
  if (!name) return null;
  return AMBIGUOUS.has(words[at]!) && !BEFORE_A_MONTH.has(words[at - 1] ?? '')
    ? null
    : { count: 1, written: name };
};

export const year: Rule = (words, at) => {
  const found = readYear(words, at);
  const after = /^(?:in|since|of|year|until)$/.test(words[at - 1] ?? '') ? yearAfter(words, at) : null;
  if (!found && after && after.count > 1) return { count: after.count, written: after.text.trim() };
  return found ? { count: found.count, written: String(found.year) } : null;
};

interface Half {
  text: string;
  count: number;
}

/** "p m", "pm", "p.m." */
function halfOfDay(words: readonly string[], at: number): Half | null {
  const word = (words[at] ?? '').replace(/\./g, '');
  if (word === 'am' || word === 'pm') return { text: ` ${word[0]}.m.`, count: 1 };
  const isSpelled = (word === 'a' || word === 'p') && (words[at + 1] ?? '').replace(/\./g, '') === 'm';
  return isSpelled ? { text: ` ${word}.m.`, count: 2 } : null;
}

function hourAt(words: readonly string[], at: number, most: number): { hour: number; count: number } | null {
  const found = readBelow100(words, at);
  const isHour = found && !found.ordinal && found.value <= most && (found.value > 0 || words[at] === 'zero');
  return isHour ? { hour: found.value, count: found.count } : null;
}

/** Minutes after the hour: "thirty", "oh five", "forty five". */
function minutesAt(words: readonly string[], at: number): { text: string; count: number } | null {
  if (words[at] === 'oh') {
    const unit = unitOf(words[at + 1]);
    return unit === null ? null : { text: `0${unit}`, count: 2 };
  }
  const found = readBelow100(words, at);
  if (!found || found.ordinal || found.value < 10 || found.value > 59) return null;
  return { text: String(found.value), count: found.count };
}

/** "half past six", "quarter to seven", "twenty past six", "ten to seven" after a word that a time follows. */
const aroundTheHour: Rule = (words, at) => {
  const article = Number(words[at] === 'a' && words[at + 1] === 'quarter');
  const word = words[at + article];
  const found = word === 'half' || word === 'quarter' ? null : readBelow100(words, at);
  const minutes = word === 'half' ? 30 : word === 'quarter' ? 15 : (found?.value ?? 0);
  let next = at + article + (found?.count ?? 1);
  if (words[next] === 'minutes') next++;
  const to = words[next];
  if (minutes < 1 || minutes > 30 || found?.ordinal || (to !== 'past' && to !== 'to')) return null;
  if (word === 'half' && to === 'to') return null;
  const isRange =
    found !== null && to === 'to' && !/^(?:at|it's|is|until|till|by|before|after)$/.test(words[at - 1] ?? '');
  const hour = hourAt(words, next + 1, 12);
  if (!hour || isRange || hour.hour === 0) return null;
  const half = halfOfDay(words, next + 1 + hour.count);
  const shown = to === 'past' ? hour.hour : hour.hour === 1 ? 12 : hour.hour - 1;
  const past = to === 'past' ? minutes : 60 - minutes;
  return {
    count: next + 1 + hour.count + (half?.count ?? 0) - at,
    written: `${shown}:${String(past).padStart(2, '0')}${half?.text ?? ''}`,
  };
};

/** "… seven thirty to nine thirty": the second of two times. */
function isRangeEnd(words: readonly string[], at: number): boolean {
  return words[at - 1] === 'to' && readBelow100(words, at - 2) !== null;
}

/** "six o'clock", "six p m", "six thirty p m", "at six thirty", "at eighteen thirty", "eighteen hundred hours". */
const onTheClock: Rule = (words, at) => {
  const hour = hourAt(words, at, 24);
  if (!hour) return null;
  const next = at + hour.count;
  if (words[next] === "o'clock" || words[next] === 'oclock')
    return { count: hour.count + 1, written: `${hour.hour} o'clock` };
  if (words[next] === 'hundred' && words[next + 1] === 'hours')
    return { count: hour.count + 2, written: `${hour.hour}:00` };
  const bare = hour.hour >= 1 && hour.hour <= 12 ? halfOfDay(words, next) : null;
  if (bare) return { count: hour.count + bare.count, written: `${hour.hour}${bare.text}` };
  const minutes = minutesAt(words, next);
  if (!minutes) return null;
  const after = next + minutes.count;
  const half = halfOfDay(words, after);
  const expected =
    BEFORE_A_TIME.has(words[at - 1] ?? '') ||
    isRangeEnd(words, at) ||
    AFTER_A_TIME.has(words[after] ?? '') ||
    (words[after] === 'in' && words[after + 1] === 'the');
  if (!half && !expected) return null;
  if (!half && hour.count > 1) return null;
  return {
    count: hour.count + minutes.count + (half?.count ?? 0),
    written: `${hour.hour}:${minutes.text}${half?.text ?? ''}`,
  };
};

export const clock: Rule = (words, at, around) =>
  aroundTheHour(words, at, around) ?? onTheClock(words, at, around);
