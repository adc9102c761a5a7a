/** Telephone numbers, codes, and letters that are said one by one. */
import { readDigits } from './numbers.js';
import type { Rule } from '../common/writing.js';

/** So many digits in a row are a number that is read out, not counted. */
const LEAST_DIGITS = 3;
const NAMED = new Set('number room bunk code pin line extension postcode zip phone'.split(' '));

/**
 * After one of these a run of letters may begin with an "a"; elsewhere that is the article ("have a T V").
 */
const BEFORE_SPELLING = new Set('is name spelled spelt spell letters code plate'.split(' '));

function letter(word: string | undefined): string | null {
  const bare = (word ?? '').replace(/\.$/, '');
  return /^[a-z]$/.test(bare) ? bare.toUpperCase() : null;
}

/** Grouped as the caller grouped it: a pause is a space. */
export const digits: Rule = (words, at, { isPause }) => {
  const plus = Number(words[at] === 'plus');
  const found = readDigits(words, at + plus, isPause);
  const least = NAMED.has(words[at - 1] ?? '') ? 2 : LEAST_DIGITS;
  if (found.digits.length < least || found.count === 0) return null;
  if (found.count === 1) return null;
  const text = [...found.digits].map((digit, i) => (found.breaks.includes(i) ? ` ${digit}` : digit)).join('');
  return { count: found.count + plus, written: `${plus ? '+' : ''}${text}` };
};

export const letters: Rule = (words, at) => {
  const isArticle =
    words[at] === 'a' && letter(words[at + 1]) !== null && !BEFORE_SPELLING.has(words[at - 1] ?? '');
  if (isArticle && at > 0) return null;
  let text = '';
  let i = at;
  for (;;) {
    const times = words[i] === 'double' ? 2 : 1;
    const found = letter(words[times > 1 ? i + 1 : i]);
    if (!found) break;
    text += found.repeat(times);
    i += times;
  }
  // "a" and "I" are words: alone, or beside each other, they are no spelling.
  const sure = [...text].filter((one) => one !== 'A' && one !== 'I').length;
  return text.length >= 2 && sure >= 1 && i - at >= 2 ? { count: i - at, written: text } : null;
};
