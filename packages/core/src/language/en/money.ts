/** Amounts of money as they are told in English: captions write them, and slots take them. */
import { readNumber } from './numbers.js';

export interface Currency {
  /** ISO 4217. */
  code: string;
  /** Before the amount where it is written. */
  sign: string;
  name: string;
}

const CURRENCIES: readonly (Currency & { words: readonly string[] })[] = [
  { code: 'EUR', sign: '€', name: 'euro', words: ['euro', 'euros', 'eur', '€'] },
  { code: 'USD', sign: '$', name: 'dollar', words: ['dollar', 'dollars', 'usd', '$'] },
  { code: 'GBP', sign: '£', name: 'pound', words: ['pound', 'pounds', 'gbp', '£'] },
  { code: 'CHF', sign: 'CHF ', name: 'franc', words: ['franc', 'francs', 'chf'] },
];
const BY_WORD = new Map(CURRENCIES.flatMap((one) => one.words.map((word) => [word, one] as const)));

export const currencyOf = (word: string | undefined): Currency | undefined => BY_WORD.get(word ?? '');
export const currencyCoded = (code: string): Currency | undefined =>
  CURRENCIES.find((one) => one.code === code);

const CENTS = /^(?:cents?|pence|penny)$/;
export const isCents = (word: string | undefined): boolean => CENTS.test(word ?? '');

export interface ToldMoney {
  currency: Currency;
  /** Hundredths that were told behind the currency; null for none. */
  cents: number | null;
  count: number;
  /** A bare number stands behind the currency, and more words behind it: it may count something else. */
  isLoose: boolean;
}

function smallAt(words: readonly string[], at: number): { value: number; count: number } | null {
  if (/^\d{1,2}$/.test(words[at] ?? '')) return { value: Number(words[at]), count: 1 };
  const read = readNumber(words, at);
  return read && !read.ordinal && read.value < 100 ? read : null;
}

/**
 * "… euros", "… euros fifty", "… pounds and five pence".
 * @param amount the words before the currency: how many there are, and whether they are a whole number
 */
export function moneyAfter(
  words: readonly string[],
  at: number,
  amount: { count: number; isWhole: boolean },
): ToldMoney | null {
  const currency = currencyOf(words[at + amount.count]);
  if (!currency) return null;
  const count = amount.count + 1;
  const joined = Number(words[at + count] === 'and');
  const small = amount.isWhole ? smallAt(words, at + count + joined) : null;
  const end = count + joined + (small?.count ?? 0);
  const named = isCents(words[at + end]);
  if (!small || !(named || (joined === 0 && small.value >= 10)))
    return { currency, cents: null, count, isLoose: false };
  return {
    currency,
    cents: small.value,
    count: end + Number(named),
    isLoose: !named && words[at + end] !== undefined,
  };
}
