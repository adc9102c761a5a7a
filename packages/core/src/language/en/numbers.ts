/** English numbers in words: cardinals, ordinals, years, strings of digits. */

const UNITS = ['zero', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine'];
const TEENS = [
  'ten',
  'eleven',
  'twelve',
  'thirteen',
  'fourteen',
  'fifteen',
  'sixteen',
  'seventeen',
  'eighteen',
  'nineteen',
];
const TENS = ['', '', 'twenty', 'thirty', 'forty', 'fifty', 'sixty', 'seventy', 'eighty', 'ninety'];
/** Words that are said are looked up in maps: every object has a "constructor". */
const ORDINALS = new Map(
  'zeroth first second third fourth fifth sixth seventh eighth ninth tenth eleventh twelfth thirteenth fourteenth fifteenth sixteenth seventeenth eighteenth nineteenth'
    .split(' ')
    .map((word, i) => [word, i] as const),
);
const TENS_ORDINALS = new Map(
  'twentieth thirtieth fortieth fiftieth sixtieth seventieth eightieth ninetieth'
    .split(' ')
    .map((word, i) => [word, 20 + 10 * i] as const),
);
const SCALES = new Map([
  ['thousand', 1e3],
  ['million', 1e6],
  ['billion', 1e9],
]);

export interface ReadNumber {
  value: number;
  /** So many words were read. */
  count: number;
  ordinal: boolean;
}

type Words = readonly string[];

/** 0 to 9 as one word, or null. */
export function unitOf(word: string | undefined): number | null {
  const value = word === undefined ? -1 : UNITS.indexOf(word);
  return value < 0 ? null : value;
}

/** 0 to 99, or an ordinal of that size. */
export function readBelow100(words: Words, at: number): ReadNumber | null {
  const word = words[at];
  if (word === undefined) return null;
  const tens = TENS.indexOf(word, 2);
  if (tens >= 2) {
    const next = words[at + 1] ?? '';
    const unit = UNITS.indexOf(next);
    if (unit >= 1) return { value: tens * 10 + unit, count: 2, ordinal: false };
    const ordinal = ORDINALS.get(next);
    if (ordinal !== undefined && ordinal >= 1 && ordinal <= 9)
      return { value: tens * 10 + ordinal, count: 2, ordinal: true };
    return { value: tens * 10, count: 1, ordinal: false };
  }
  const teen = TEENS.indexOf(word);
  if (teen >= 0) return { value: 10 + teen, count: 1, ordinal: false };
  const unit = UNITS.indexOf(word);
  if (unit >= 0) return { value: unit, count: 1, ordinal: false };
  const ordinal = ORDINALS.get(word) ?? TENS_ORDINALS.get(word);
  return ordinal === undefined ? null : { value: ordinal, count: 1, ordinal: true };
}

/** Up to 999, "a hundred" and "twelve hundred" included. */
function readBelow1000(words: Words, at: number): ReadNumber | null {
  const article = words[at] === 'a' && /^(?:hundred|thousand|million)$/.test(words[at + 1] ?? '');
  const first = article ? { value: 1, count: 1, ordinal: false } : readBelow100(words, at);
  if (!first || first.ordinal || first.value === 0) return first;
  let { value, count } = first;
  const hundred = words[at + count];
  if (hundred === 'hundredth') return { value: value * 100, count: count + 1, ordinal: true };
  if (hundred !== 'hundred') return article && !SCALES.has(hundred!) ? null : first;
  value *= 100;
  count++;
  const joined = Number(words[at + count] === 'and');
  const rest = readBelow100(words, at + count + joined);
  if (!rest || rest.value === 0) return { value, count, ordinal: false };
  return { value: value + rest.value, count: count + joined + rest.count, ordinal: rest.ordinal };
}

/** A whole number in words, as long as it goes; null where none begins. */
export function readNumber(words: Words, at: number): ReadNumber | null {
  const first = readBelow1000(words, at);
  if (!first || first.ordinal) return first;
  let { count } = first;
  let group = first.value;
  let total = 0;
  for (;;) {
    const scale = SCALES.get(words[at + count] ?? '');
    if (scale === undefined || group === 0) return { value: total + group, count, ordinal: false };
    total += group * scale;
    count++;
    if (words[at + count] === 'point') return { value: total, count, ordinal: false };
    const joined = Number(words[at + count] === 'and');
    const next = readBelow1000(words, at + count + joined);
    if (!next || next.value === 0) return { value: total, count, ordinal: false };
    count += joined + next.count;
    if (next.ordinal) return { value: total + next.value, count, ordinal: true };
    group = next.value;
  }
}

/** A whole number of up to three digits, or in words. */
export function cardinalAt(words: Words, at: number): { value: number; count: number } | null {
  if (/^\d{1,3}$/.test(words[at] ?? '')) return { value: Number(words[at]), count: 1 };
  const read = readNumber(words, at);
  return read && !read.ordinal ? { value: read.value, count: read.count } : null;
}

/** "nineteen ninety nine", "twenty twenty six", "twenty oh six": 1100 to 2099. */
export function readYear(words: Words, at: number): { year: number; count: number } | null {
  const century = readBelow100(words, at);
  if (!century || century.ordinal || century.count !== 1 || century.value < 11 || century.value > 20)
    return null;
  const oh = words[at + 1] === 'oh' ? unitOf(words[at + 2]) : null;
  if (oh !== null && oh > 0) return { year: century.value * 100 + oh, count: 3 };
  const rest = readBelow100(words, at + 1);
  if (!rest || rest.ordinal || rest.value < 10) return null;
  return { year: century.value * 100 + rest.value, count: 1 + rest.count };
}

export interface ReadDigits {
  digits: string;
  count: number;
  /** Index, in `digits`, before which the caller paused. */
  breaks: number[];
}

/** Digits said one by one, "double" and "triple" included. */
export function readDigits(words: Words, at: number, isPause: (index: number) => boolean): ReadDigits {
  let digits = '';
  let i = at;
  const breaks: number[] = [];
  for (;;) {
    const times = words[i] === 'double' ? 2 : words[i] === 'triple' ? 3 : 1;
    const word = words[times > 1 ? i + 1 : i];
    const digit = word === 'oh' || word === 'o' ? 0 : unitOf(word);
    if (digit === null) return { digits, count: i - at, breaks };
    if (i > at && isPause(i)) breaks.push(digits.length);
    digits += String(digit).repeat(times);
    i += times > 1 ? 2 : 1;
  }
}

export function ordinalText(value: number): string {
  const lastTwo = value % 100;
  const ending = lastTwo >= 11 && lastTwo <= 13 ? 'th' : (['th', 'st', 'nd', 'rd'][value % 10] ?? 'th');
  return `${grouped(value)}${ending}`;
}

/** With a comma between thousands. */
export function grouped(value: number): string {
  return String(value).replace(/\B(?=(\d{3})+(?!\d))/g, ',');
}
