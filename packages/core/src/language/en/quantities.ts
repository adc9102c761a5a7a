/** Which number, amount, row of digits or letters English words mean, and how they are said. */
import type { Meaning, Read } from '../meaning.js';
import { grouped, readNumber, unitOf } from './numbers.js';

type Words = readonly string[];

const CURRENCIES = new Map([
  ['euro', 'EUR'], ['euros', 'EUR'], ['eur', 'EUR'], ['€', 'EUR'],
  ['dollar', 'USD'], ['dollars', 'USD'], ['usd', 'USD'], ['$', 'USD'],
  ['pound', 'GBP'], ['pounds', 'GBP'], ['gbp', 'GBP'], ['£', 'GBP'],
  ['franc', 'CHF'], ['francs', 'CHF'], ['chf', 'CHF'],
]); // prettier-ignore
const SAID_CURRENCIES = new Map([
  ['EUR', 'euro'],
  ['USD', 'dollar'],
  ['GBP', 'pound'],
  ['CHF', 'franc'],
]);
const CENTS = /^(?:cents?|pence|penny)$/;
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
  let count = whole.count;
  if (words[from + count] === 'point') {
    let digits = '';
    for (let i = from + count + 1; digitAt(words, i) !== null; i++) digits += digitAt(words, i);
    if (digits !== '') return { value: sign * Number(`${whole.value}.${digits}`), count: minus + count + 1 + digits.length }; // prettier-ignore
  }
  const half = ['and', 'a', 'half'].every((word, i) => words[from + count + i] === word);
  if (half) count += 3;
  return { value: sign * (whole.value + (half ? 0.5 : 0)), count: minus + count };
};

/** "twenty four euros fifty", "€24.50", "24.50 euros", "fifty cents", "three pounds and five pence". */
export const englishMoney: Read<{ amount: number; currency: string }> = (words, at) => {
  const written = /^([€$£])(\d[\d,]*(?:\.\d+)?)$/.exec(words[at] ?? '');
  if (written)
    return { value: { amount: Number(written[2]!.replaceAll(',', '')), currency: CURRENCIES.get(written[1]!)! }, count: 1 }; // prettier-ignore
  const behind = /^(\d[\d,]*(?:\.\d+)?)([€$£])$/.exec(words[at] ?? '');
  if (behind)
    return { value: { amount: Number(behind[1]!.replaceAll(',', '')), currency: CURRENCIES.get(behind[2]!)! }, count: 1 }; // prettier-ignore
  const amount = englishDecimal(words, at, { day: '', minute: 0 });
  if (!amount || amount.value < 0) return null;
  const word = words[at + amount.count] ?? '';
  if (CENTS.test(word)) return { value: { amount: amount.value / 100, currency: 'EUR' }, count: amount.count + 1 }; // prettier-ignore
  const currency = CURRENCIES.get(word);
  if (currency === undefined) return null;
  const count = amount.count + 1;
  const joined = Number(words[at + count] === 'and');
  const small = englishNumber(words, at + count + joined, { day: '', minute: 0 });
  const named = small !== null && CENTS.test(words[at + count + joined + small.count] ?? '');
  const isSmall = small !== null && Number.isInteger(amount.value) && small.value < 100 && (named || (joined === 0 && small.value >= 10)); // prettier-ignore
  if (!isSmall) return { value: { amount: amount.value, currency }, count };
  return {
    value: { amount: amount.value + small.value / 100, currency },
    count: count + joined + small.count + Number(named),
  };
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
    const group = /^[a-z](?:-[a-z])+$/.test(word)
      ? word.replaceAll('-', '')
      : /^[a-z]$/.test(word)
        ? word
        : '';
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
  let seenAt = false;
  for (let i = at; i < words.length && i < at + 20; i++) {
    const word = words[i]!;
    const sign = { dot: '.', point: '.', at: '@', dash: '-', hyphen: '-', underscore: '_', minus: '-' }[word];
    if (sign === '@') {
      if (seenAt) return null;
      seenAt = true;
    }
    const isJoined = text === '' || /[.@_-]$/.test(text);
    if (sign === undefined && !isJoined) {
      // Letters and digits that are said one by one stand together.
      if (!/^[a-z0-9]$/.test(word) && digitAt(words, i) === null) break;
    }
    text += sign ?? digitAt(words, i) ?? word;
    if (
      seenAt &&
      /^[a-z0-9._-]+@[a-z0-9-]+(?:\.[a-z0-9-]+)*\.[a-z]{2,}$/.test(text) &&
      words[i + 1] !== 'dot'
    )
      return { value: text, count: i + 1 - at };
  }
  return null;
};

/** Up to twelve in words. */
export function sayNumber(value: number): string {
  if (!Number.isInteger(value)) return String(value);
  return WORDS[value] ?? grouped(value);
}

export function sayMoney(amount: number, currency: string): string {
  const name = SAID_CURRENCIES.get(currency) ?? currency;
  const unit = amount === 1 || name === currency ? name : `${name}s`;
  return `${Number.isInteger(amount) ? amount : amount.toFixed(2)} ${unit}`;
}

export function sayList(items: readonly string[], last: 'and' | 'or'): string {
  if (items.length < 2) return items.join('');
  return `${items.slice(0, -1).join(', ')} ${last} ${items.at(-1)!}`;
}
