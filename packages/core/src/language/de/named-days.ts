/** Days as they are named: "morgen", "nächsten Freitag". Which day that is, is not worked out here. */
import type { NamedDay } from '../common/contract.js';
import { capital } from '../common/writing.js';

const BY_THEMSELVES = new Set(['heute', 'morgen', 'übermorgen']);
const LEADS = new Set(['am', 'nächsten', 'diesen']);
const DAY = /^(?:montag|dienstag|mittwoch|donnerstag|freitag|samstag|sonnabend|sonntag)$/;

/** The day that the words begin with. @param words in lower case */
export function germanNamedDay(words: readonly string[]): NamedDay | null {
  const [first = ''] = words;
  if (BY_THEMSELVES.has(first)) return { count: 1, text: first };
  const lead = LEADS.has(first) ? 1 : 0;
  const day = words[lead] ?? '';
  if (!DAY.test(day)) return null;
  const before = lead === 1 && first !== 'am' ? `${first} ` : '';
  return { count: lead + 1, text: `${before}${capital(day)}` };
}
