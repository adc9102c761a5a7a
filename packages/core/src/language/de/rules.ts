/** What Germans write in digits: dates, times, money, measures, numbers that are read out. */
import type { Rule } from '../common/writing.js';
import { capital } from '../common/writing.js';
import { grouped, ordinalOf, readDigits, readNumber } from './numbers.js';

const MONTHS = new Set(
  'januar februar märz april mai juni juli august september oktober november dezember'.split(' '),
);
const MEASURES = new Set(
  'grad kilometer meter zentimeter millimeter liter gramm kilo kilogramm minuten stunden sekunden watt volt'.split(
    ' ',
  ),
);
/** After one of these a number is a name, not a count. */
const NUMBERED = new Set('nummer zimmer bett boot gleis linie seite kapitel raum steg kilometer'.split(' '));
const CURRENCIES = new Map([
  ['euro', '€'],
  ['dollar', '$'],
  ['franken', 'CHF'],
  ['pfund', '£'],
]);
const BEFORE_A_TIME = new Set('um ab bis gegen vor nach seit zwischen und schon erst'.split(' '));
/** From here on numbers are written in digits. */
const FIRST_IN_DIGITS = 13;
const LEAST_DIGITS = 3;

const year = (words: readonly string[], at: number) => {
  const found = readNumber(words, at);
  return found && found.value >= 1500 && found.value < 2100
    ? { text: ` ${found.value}`, count: found.count }
    : { text: '', count: 0 };
};

/** "dreiundzwanzigsten mai [zweitausendsechsundzwanzig]", "dritten zehnten". */
export const date: Rule = (words, at) => {
  const day = ordinalOf(words[at] ?? '');
  if (day === null || day > 31) return null;
  const month = words[at + 1] ?? '';
  if (MONTHS.has(month)) {
    const after = year(words, at + 2);
    return { count: 2 + after.count, written: `${day}. ${capital(month)}${after.text}` };
  }
  const numbered = ordinalOf(month);
  if (numbered === null || numbered > 12) return null;
  const after = year(words, at + 2);
  return { count: 2 + after.count, written: `${day}.${numbered}.${after.text.trim()}` };
};

export const month: Rule = (words, at) => {
  if (!MONTHS.has(words[at]!)) return null;
  const after = year(words, at + 1);
  return { count: 1 + after.count, written: `${capital(words[at]!)}${after.text}` };
};

const two = (n: number) => String(n).padStart(2, '0');

/** "sieben uhr", "achtzehn uhr dreißig". */
export const clock: Rule = (words, at) => {
  const hour =
    words[at] === 'ein' && words[at + 1] === 'uhr' ? { value: 1, count: 1 } : readNumber(words, at);
  if (!hour || hour.value > 24 || words[at + hour.count] !== 'uhr') return null;
  const minutes = readNumber(words, at + hour.count + 1);
  if (!minutes || minutes.value > 59 || words[at + hour.count + 1 + minutes.count] === 'uhr')
    return { count: hour.count + 1, written: `${hour.value} Uhr` };
  return { count: hour.count + 1 + minutes.count, written: `${hour.value}:${two(minutes.value)} Uhr` };
};

/**
 * "halb sieben", "viertel nach sechs", "zehn vor acht", "fünf vor halb neun", after a word that a time
 * follows.
 */
export const aroundTheHour: Rule = (words, at) => {
  if (!BEFORE_A_TIME.has(words[at - 1] ?? '')) return null;
  const told = (minutes: number, hour: { value: number; count: number } | null, before: number) => {
    if (!hour || hour.value < 1 || hour.value > 12) return null;
    const all = (hour.value * 60 + minutes + 720) % 720;
    const shown = Math.floor(all / 60) || 12;
    const uhr = Number(words[at + before + hour.count] === 'uhr');
    return { count: before + hour.count + uhr, written: `${shown}:${two(all % 60)} Uhr` };
  };
  const hourAt = (i: number) => (words[i] === 'eins' ? { value: 1, count: 1 } : readNumber(words, i));
  if (words[at] === 'halb') return told(-30, hourAt(at + 1), 1);
  if (words[at] === 'dreiviertel') return told(-15, hourAt(at + 1), 1);
  const quarter = words[at] === 'viertel';
  const minutes = quarter ? { value: 15, count: 1 } : readNumber(words, at);
  if (!minutes || minutes.value > 29) return null;
  let next = at + minutes.count;
  if (words[next] === 'minuten') next++;
  const sign = words[next] === 'nach' ? 1 : words[next] === 'vor' ? -1 : 0;
  if (sign === 0) return quarter ? told(-45, hourAt(at + 1), 1) : null;
  if (words[next + 1] === 'halb') return told(-30 + sign * minutes.value, hourAt(next + 2), next + 2 - at);
  return told(sign * minutes.value, hourAt(next + 1), next + 1 - at);
};

/** A number with what may follow "komma". */
function readDecimal(
  words: readonly string[],
  at: number,
): { text: string; count: number; whole: boolean } | null {
  const found = ['ein', 'einen', 'eine'].includes(words[at] ?? '')
    ? { value: 1, count: 1 }
    : readNumber(words, at);
  if (!found) return null;
  if (words[at + found.count] !== 'komma')
    return { text: grouped(found.value), count: found.count, whole: true };
  const after = readDigits(words, at + found.count + 1, () => false);
  if (after.digits === '') {
    const number = readNumber(words, at + found.count + 1);
    if (!number) return { text: grouped(found.value), count: found.count, whole: true };
    return {
      text: `${grouped(found.value)},${number.value}`,
      count: found.count + 1 + number.count,
      whole: false,
    };
  }
  return {
    text: `${grouped(found.value)},${after.digits}`,
    count: found.count + 1 + after.count,
    whole: false,
  };
}

export const money: Rule = (words, at) => {
  const amount = readDecimal(words, at);
  const sign = amount && CURRENCIES.get(words[at + amount.count] ?? '');
  if (!amount || !sign) return null;
  const after = at + amount.count + 1;
  const joined = Number(words[after] === 'und');
  const cents = readNumber(words, after + joined);
  const named = cents !== null && words[after + joined + cents.count] === 'cent';
  if (cents && cents.value < 100 && amount.whole && (named || (joined === 0 && cents.value >= 5)))
    return {
      count: amount.count + 1 + joined + cents.count + Number(named),
      written: `${amount.text},${two(cents.value)} ${sign}`,
    };
  return { count: amount.count + 1, written: `${amount.text} ${sign}` };
};

export const percent: Rule = (words, at) => {
  const amount = readDecimal(words, at);
  return amount && words[at + amount.count] === 'prozent'
    ? { count: amount.count + 1, written: `${amount.text} %` }
    : null;
};

export const decimal: Rule = (words, at) => {
  const negative = Number(words[at] === 'minus');
  const amount = readDecimal(words, at + negative);
  if (!amount || (amount.whole && !negative)) return null;
  return { count: amount.count + negative, written: `${negative ? '-' : ''}${amount.text}` };
};

/** Grouped as the caller grouped it: a pause is a space. */
export const digits: Rule = (words, at, { isPause }) => {
  const plus = Number(words[at] === 'plus');
  const found = readDigits(words, at + plus, isPause);
  const least = NUMBERED.has(words[at - 1] ?? '') ? 2 : LEAST_DIGITS;
  if (found.digits.length < least || /^hundert|^tausend/.test(words[at + plus + found.count] ?? ''))
    return null;
  const text = [...found.digits].map((digit, i) => (found.breaks.includes(i) ? ` ${digit}` : digit)).join('');
  return { count: found.count + plus, written: `${plus ? '+' : ''}${text}` };
};

export const letters: Rule = (words, at) => {
  let text = '';
  let i = at;
  while (/^[a-zäöü]$/.test(words[i] ?? '')) text += words[i++]!.toUpperCase();
  return text.length >= 2 ? { count: i - at, written: text } : null;
};

export const ordinal: Rule = (words, at) => {
  const value = ordinalOf(words[at]!);
  return value !== null && value >= FIRST_IN_DIGITS ? { count: 1, written: `${value}.` } : null;
};

export const cardinal: Rule = (words, at) => {
  const found = readNumber(words, at);
  if (!found) return null;
  const measured = MEASURES.has(words[at + found.count] ?? '');
  const numbered = NUMBERED.has(words[at - 1] ?? '');
  if (found.value < FIRST_IN_DIGITS && !measured && !numbered) return null;
  return { count: found.count, written: grouped(found.value) };
};
