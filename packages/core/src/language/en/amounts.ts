/** Money, measures, decimals, percentages, and plain numbers. */
import { grouped, ordinalText, readNumber, unitOf } from './numbers.js';
import { moneyAfter } from './money.js';
import type { Rule } from '../common/writing.js';

/** Before one of these even a small number is written in digits. */
const MEASURES = new Set(
  'percent degrees degree kilometres kilometre kilometers kilometer metres metre meters meter miles mile kilos kilo kilograms kilogram grams gram litres litre liters liter centimetres centimetre millimetres'.split(
    ' ',
  ),
);
/** After one of these a number is a name, not a count. */
const NUMBERED = new Set(
  'number room bunk gate line page chapter platform route section code extension'.split(' '),
);
/** From here on numbers are written in digits. */
const FIRST_IN_DIGITS = 10;

/** A number with what may follow "point". */
function readDecimal(
  words: readonly string[],
  at: number,
): { text: string; count: number; whole: boolean } | null {
  const found = readNumber(words, at);
  if (!found || found.ordinal) return null;
  let { count } = found;
  if (words[at + count] !== 'point') return { text: grouped(found.value), count, whole: true };
  let decimals = '';
  for (let i = at + count + 1; ; i++) {
    const digit = words[i] === 'oh' ? 0 : unitOf(words[i]);
    if (digit === null) break;
    decimals += digit;
    count = i - at + 1;
  }
  if (decimals === '') return { text: grouped(found.value), count, whole: true };
  return { text: `${grouped(found.value)}.${decimals}`, count, whole: false };
}

/** "three pounds fifty", but not "three pounds and fifty people" or "three pounds twelve times". */
export const money: Rule = (words, at) => {
  const amount = readDecimal(words, at);
  const told = amount && moneyAfter(words, at, { count: amount.count, isWhole: amount.whole });
  if (!told) return null;
  const { currency, cents, count, isLoose } = told;
  if (cents === null || isLoose)
    return { count: amount.count + 1, written: `${currency.sign}${amount.text}` };
  return { count, written: `${currency.sign}${amount.text}.${String(cents).padStart(2, '0')}` };
};

export const percent: Rule = (words, at) => {
  const amount = readDecimal(words, at);
  if (!amount) return null;
  const next = words[at + amount.count];
  if (next === 'percent') return { count: amount.count + 1, written: `${amount.text}%` };
  if (next === 'per' && words[at + amount.count + 1] === 'cent')
    return { count: amount.count + 2, written: `${amount.text}%` };
  return null;
};

export const decimal: Rule = (words, at) => {
  const negative = words[at] === 'minus' || words[at] === 'negative';
  const amount = readDecimal(words, at + Number(negative));
  if (!amount || (amount.whole && !negative)) return null;
  return { count: amount.count + Number(negative), written: `${negative ? '-' : ''}${amount.text}` };
};

export const ordinal: Rule = (words, at) => {
  const found = readNumber(words, at);
  if (!found?.ordinal || found.value < FIRST_IN_DIGITS) return null;
  return { count: found.count, written: ordinalText(found.value) };
};

export const cardinal: Rule = (words, at) => {
  const found = readNumber(words, at);
  if (!found || found.ordinal) return null;
  const measured = MEASURES.has(words[at + found.count] ?? '');
  const numbered = NUMBERED.has(words[at - 1] ?? '');
  if (found.value < FIRST_IN_DIGITS && !measured && !numbered) return null;
  return { count: found.count, written: numbered ? String(found.value) : grouped(found.value) };
};
