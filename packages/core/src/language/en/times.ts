/** Dates and clock times. */
import { readClock } from './clock.js';
import { DAYS, MONTHS, readDate, yearAt } from './dates.js';
import { ordinalText, readBelow100, readYear } from './numbers.js';
import { capital, type Rule } from '../common/writing.js';

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

/** As it is written; only where the word is whole: "mar" may be anything. */
const monthText = (word: string | undefined): string | null =>
  word !== undefined && MONTHS.includes(word) ? capital(word) : null;

/**
 * "the twenty first of june [twenty twenty six]", "june [the] twenty first [twenty twenty six]", "june twenty
 * twenty six".
 */
export const date: Rule = (words, at) => {
  const told = readDate(words, at);
  if (!told) return null;
  const { day, the, year, count } = told;
  const name = capital(MONTHS[told.month - 1]!);
  if (!told.isMonthFirst) {
    // "The" stands before it as it is.
    if (the || !told.of || !day!.ordinal || day!.value > 31) return null;
    return { count, written: `${ordinalText(day!.value)} of ${name}${year === null ? '' : ` ${year}`}` };
  }
  if (monthText(words[at]) === null || (day && day.value > 31)) return null;
  if (!day) return { count, written: `${name} ${year}` };
  const text = the ? `the ${ordinalText(day.value)}` : String(day.value);
  return { count, written: `${name} ${text}${year === null ? '' : `, ${year}`}` };
};

export const month: Rule = (words, at) => {
  const name = monthText(words[at]);
  if (!name) return null;
  return AMBIGUOUS.has(words[at]!) && !BEFORE_A_MONTH.has(words[at - 1] ?? '')
    ? null
    : { count: 1, written: name };
};

export const year: Rule = (words, at) => {
  const found = readYear(words, at);
  if (found) return { count: found.count, written: String(found.year) };
  const told = /^(?:in|since|of|year|until)$/.test(words[at - 1] ?? '') ? yearAt(words, at) : null;
  return told && told.count > 1 ? { count: told.count, written: String(told.value) } : null;
};

/** "… seven thirty to nine thirty": the second of two times. */
function isRangeEnd(words: readonly string[], at: number): boolean {
  return words[at - 1] === 'to' && readBelow100(words, at - 2) !== null;
}

/** "five to six" may be a range: it is a time only after a word that a time follows. */
const BEFORE_A_TIME_OF_TO = /^(?:at|it's|is|until|till|by|before|after)$/;

function mayBeRange(words: readonly string[], at: number): boolean {
  const begins = readBelow100(words, at);
  if (!begins) return false;
  const next = at + begins.count + Number(words[at + begins.count] === 'minutes');
  return words[next] === 'to' && !BEFORE_A_TIME_OF_TO.test(words[at - 1] ?? '');
}

/** Something beside "six thirty" tells that it is a time. */
function isExpected(words: readonly string[], at: number, after: number): boolean {
  return (
    BEFORE_A_TIME.has(words[at - 1] ?? '') ||
    isRangeEnd(words, at) ||
    AFTER_A_TIME.has(words[after] ?? '') ||
    (words[after] === 'in' && words[after + 1] === 'the')
  );
}

const HALVES = { first: ' a.m.', second: ' p.m.' };

/**
 * "half past six", "six o'clock", "six p m", "six thirty p m", "at six thirty", "at eighteen thirty",
 * "eighteen hundred hours".
 */
export const clock: Rule = (words, at) => {
  const told = readClock(words, at);
  if (!told) return null;
  const { form, hour, minutes, half, count, halfCount } = told;
  const shown = `${hour}:${String(minutes).padStart(2, '0')}`;
  const behind = half === null ? '' : HALVES[half];
  const whole = count + halfCount;
  switch (form) {
    case 'around':
      return mayBeRange(words, at) ? null : { count: whole, written: `${shown}${behind}` };
    case "o'clock":
      return { count, written: `${hour} o'clock` };
    case 'hundred':
      return words[at + count - 1] === 'hours' ? { count, written: shown } : null;
    case 'bare':
      return half !== null && hour >= 1 && hour <= 12 ? { count: whole, written: `${hour}${behind}` } : null;
    case 'figures':
      return null;
    default:
      return half !== null || isTold(words, at, count)
        ? { count: whole, written: `${shown}${behind}` }
        : null;
  }
};

/** Something tells that an hour with minutes is meant, without a half of the day. */
function isTold(words: readonly string[], at: number, count: number): boolean {
  // "at twenty five thirty" is none.
  const hourWords = readBelow100(words, at)?.count ?? 1;
  return hourWords === 1 && isExpected(words, at, at + count);
}
