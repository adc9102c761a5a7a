/**
 * Days as they are named: "tomorrow", "next friday", "the twenty third of may". Which day that is, is not
 * worked out here.
 */
import type { NamedDay } from '../common/contract.js';
import { capital } from '../common/writing.js';
import { DAYS, MONTHS } from './dates.js';

const AFTER_TOMORROW = 'the day after tomorrow';
const BY_THEMSELVES = new Set(['today', 'tonight', 'tomorrow']);
const LEADS = new Set(['next', 'this', 'on']);
const ORDINALS = new Set(
  'first second third fourth fifth sixth seventh eighth ninth tenth eleventh twelfth thirteenth fourteenth fifteenth sixteenth seventeenth eighteenth nineteenth twentieth thirtieth'.split(
    ' ',
  ),
);
const TENS = new Set(['twenty', 'thirty']);

const isDigit = (word: string | undefined) => word !== undefined && /^\d$/.test(word);

/** The day that the words begin with. @param words in lower case, with digits one by one */
export function englishNamedDay(words: readonly string[]): NamedDay | null {
  if (BY_THEMSELVES.has(words[0] ?? '')) return { count: 1, text: words[0]! };
  if (words.slice(0, 4).join(' ') === AFTER_TOMORROW) return { count: 4, text: AFTER_TOMORROW };
  const lead = LEADS.has(words[0] ?? '') ? 1 : 0;
  const named = words.slice(lead);
  const day = weekday(named, lead === 1 && words[0] !== 'on' ? `${words[0]} ` : '');
  const found = day ?? monthAndDay(named) ?? dayAndMonth(named);
  return found && { ...found, count: lead + found.count };
}

function weekday([day = '']: readonly string[], before: string): NamedDay | null {
  return DAYS.includes(day) ? { count: 1, text: `${before}${capital(day)}` } : null;
}

/** "May 23". */
function monthAndDay([month = '', ...digits]: readonly string[]): NamedDay | null {
  if (!MONTHS.includes(month) || !isDigit(digits[0])) return null;
  const day = digits.slice(0, isDigit(digits[1]) ? 2 : 1);
  return { count: 1 + day.length, text: `${capital(month)} ${day.join('')}` };
}

/** "The twenty third of may", "23rd may", "the third". */
function dayAndMonth(words: readonly string[]): NamedDay | null {
  const from = words[0] === 'the' ? 1 : 0;
  const length = ordinalLength(words[from] ?? '', words[from + 1] ?? '');
  if (length === 0) return null;
  const end = from + length;
  const day = `the ${words.slice(from, end).join(' ')}`;
  const toMonth = words[end] === 'of' ? end + 1 : end;
  const month = words[toMonth] ?? '';
  return MONTHS.includes(month)
    ? { count: toMonth + 1, text: `${day} of ${capital(month)}` }
    : { count: end, text: day };
}

/** Of how many words the ordinal is; 0 where there is none. */
function ordinalLength(word: string, next: string): number {
  if (/^(?:\d*(?:1st|2nd|3rd|\dth))$/.test(word) || ORDINALS.has(word)) return 1;
  return TENS.has(word) && ORDINALS.has(next) ? 2 : 0;
}
