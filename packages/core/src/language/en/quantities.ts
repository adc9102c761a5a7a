/** Which number, amount, row of digits or letters English words mean, and how they are said. */
import type { Meaning, Read } from '../common/meaning.js';
import { currencyCoded, currencyOf, isCents, moneyAfter } from './money.js';
import { grouped, readNumber, unitOf } from './numbers.js';

type Words = readonly string[];

const WORDS = 'zero one two three four five six seven eight nine ten eleven twelve'.split(' ');

/** "three", "a dozen", "a couple of", "12", "1,200". */
export const englishNumber: Read<number> = (words, at) => {
  const word = words[at] ?? '';
  if (/^\d{1,3}(?:,\d{3})+$/.test(word) || /^\d{1,12}$/.test(word))
    return { value: Number(word.replaceAll(',', '')), count: 1 };
  const dozen = dozens(words, at);
  if (dozen) return dozen;
  const read = readNumber(words, at);
  return read && !read.ordinal ? { value: read.value, count: read.count } : null;
};

function dozens(words: Words, at: number): Meaning<number> | null {
  const a = Number(words[at] === 'a');
  const of = (count: number) => count + Number(words[at + count] === 'of');
  if (words[at + a] === 'couple') return { value: 2, count: of(a + 1) };
  if (words[at + a] === 'dozen') return { value: 12, count: of(a + 1) };
  if (words[at] === 'half' && words[at + 1] === 'a' && words[at + 2] === 'dozen')
    return { value: 6, count: of(3) };
  return null;
}

/** "two point five", "2.5", "two and a half", "minus three", "a half". */
export const englishDecimal: Read<number> = (words, at) => {
  const minus = Number(words[at] === 'minus' || words[at] === 'negative');
  const from = at + minus;
  const sign = minus === 1 ? -1 : 1;
  const written = /^-?\d+(?:\.\d+)?$/.exec(words[from] ?? '');
  if (written?.[0].includes('.') || written?.[0].startsWith('-'))
    return { value: sign * Number(written[0]), count: minus + 1 };
  if ((words[from] === 'a' && words[from + 1] === 'half') || words[from] === 'half')
    return { value: sign * 0.5, count: minus + (words[from] === 'a' ? 2 : 1) };
  const whole = englishNumber(words, from, { day: '', minute: 0 });
  if (!whole) return null;
  const { value, count } = withFraction(words, from, whole);
  return { value: sign * value, count: minus + count };
};

/** "… point five", "… and a half". */
function withFraction(words: Words, from: number, { value, count }: Meaning<number>): Meaning<number> {
  let digits = '';
  if (words[from + count] === 'point')
    for (let i = from + count + 1; digitAt(words, i) !== null; i++) digits += digitAt(words, i);
  if (digits !== '') return { value: Number(`${value}.${digits}`), count: count + 1 + digits.length };
  const half = ['and', 'a', 'half'].every((word, i) => words[from + count + i] === word);
  return half ? { value: value + 0.5, count: count + 3 } : { value, count };
}

const AMOUNT = /^([€$£])?(\d[\d,]*(?:\.\d+)?)([€$£])?$/;

/** "€24.50", "24.50€". */
function writtenMoney(word: string): { amount: number; currency: string } | null {
  const [, before, amount, behind] = AMOUNT.exec(word) ?? [];
  const currency = currencyOf(before ?? behind);
  return currency && amount !== undefined
    ? { amount: Number(amount.replaceAll(',', '')), currency: currency.code }
    : null;
}

/** "twenty four euros fifty", "€24.50", "24.50 euros", "fifty cents", "three pounds and five pence". */
export const englishMoney: Read<{ amount: number; currency: string }> = (words, at) => {
  const written = writtenMoney(words[at] ?? '');
  if (written) return { value: written, count: 1 };
  const amount = englishDecimal(words, at, { day: '', minute: 0 });
  if (!amount || amount.value < 0) return null;
  if (isCents(words[at + amount.count]))
    return { value: { amount: amount.value / 100, currency: 'EUR' }, count: amount.count + 1 };
  const isWhole = Number.isInteger(amount.value);
  const told = moneyAfter(words, at, { count: amount.count, isWhole });
  if (!told) return null;
  const { currency, cents, count } = told;
  return { value: { amount: amount.value + (cents ?? 0) / 100, currency: currency.code }, count };
};

function digitAt(words: Words, at: number): string | null {
  const word = words[at];
  if (word === undefined) return null;
  if (/^\d$/.test(word)) return word;
  if (word === 'oh' || word === 'o') return '0';
  const unit = unitOf(word);
  return unit === null ? null : String(unit);
}

/** "four seven one two", "double four", "47 12", "forty seven twelve". */
export const englishDigits: Read<string> = (words, at) => {
  let digits = '';
  let i = at;
  for (;;) {
    const times = words[i] === 'double' ? 2 : words[i] === 'triple' ? 3 : 1;
    const one = digitAt(words, times > 1 ? i + 1 : i);
    if (one !== null) {
      digits += one.repeat(times);
      i += times > 1 ? 2 : 1;
      continue;
    }
    const group = /^\d[\d-]*$/.exec(words[i] ?? '');
    if (group) {
      digits += group[0].replaceAll('-', '');
      i++;
      continue;
    }
    const read = readNumber(words, i);
    if (!read || read.ordinal || read.value < 10 || read.value > 99) break;
    digits += String(read.value);
    i += read.count;
  }
  return digits === '' ? null : { value: digits, count: i - at };
};

/** "m i double l e r", "m as in mountain", "M-I-L". */
export const englishLetters: Read<string> = (words, at) => {
  let letters = '';
  let i = at;
  for (;;) {
    const times = words[i] === 'double' ? 2 : 1;
    const word = (words[times > 1 ? i + 1 : i] ?? '').replace(/\.$/, '');
    const group = /^[a-z](?:-[a-z])*$/.test(word) ? word.replaceAll('-', '') : '';
    if (group === '') break;
    letters += group.repeat(times);
    i += times > 1 ? 2 : 1;
    if (words[i] === 'as' && words[i + 1] === 'in' && words[i + 2] !== undefined) i += 3;
    else if (words[i] === 'for' && words[i + 1]?.startsWith(group)) i += 2;
  }
  return letters.length < 2 ? null : { value: letters.toUpperCase(), count: i - at };
};

/** "tom dot reed at tarnside dot example", "tom.reed@tarnside.example". */
export const englishEmail: Read<string> = (words, at) => {
  if (/^[^\s@]+@[^\s@]+\.[a-z0-9]{2,}$/.test(words[at] ?? '')) return { value: words[at]!, count: 1 };
  let text = '';
  for (let i = at; i < words.length && i < at + MOST_EMAIL_WORDS; i++) {
    const part = emailPart(words, i, text);
    if (part === null || (part === '@' && text.includes('@'))) return null;
    text += part;
    if (EMAIL.test(text) && words[i + 1] !== 'dot') return { value: text, count: i + 1 - at };
  }
  return null;
};

const MOST_EMAIL_WORDS = 20;
const EMAIL = /^[a-z0-9._-]+@[a-z0-9-]+(?:\.[a-z0-9-]+)*\.[a-z]{2,}$/;
const EMAIL_SIGNS = new Map(
  Object.entries({ dot: '.', point: '.', at: '@', dash: '-', hyphen: '-', underscore: '_', minus: '-' }),
);

/** What a word adds to an address; null where it ends one. */
function emailPart(words: Words, at: number, text: string): string | null {
  const word = words[at]!;
  const sign = EMAIL_SIGNS.get(word);
  if (sign !== undefined) return sign;
  const digit = digitAt(words, at);
  const isJoined = text === '' || /[.@_-]$/.test(text);
  // Letters and digits that are said one by one stand together.
  return isJoined || digit !== null || /^[a-z0-9]$/.test(word) ? (digit ?? word) : null;
}

/** Up to twelve in words. */
export function sayNumber(value: number): string {
  if (!Number.isInteger(value)) return String(value);
  return WORDS[value] ?? grouped(value);
}

export function sayMoney(amount: number, currency: string): string {
  const name = currencyCoded(currency)?.name ?? currency;
  const unit = amount === 1 || name === currency ? name : `${name}s`;
  return `${Number.isInteger(amount) ? amount : amount.toFixed(2)} ${unit}`;
}

export function sayList(items: readonly string[], last: 'and' | 'or'): string {
  if (items.length < 2) return items.join('');
  return `${items.slice(0, -1).join(', ')} ${last} ${items.at(-1)!}`;
}
