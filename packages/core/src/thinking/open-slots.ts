/** What an open slot of a pattern takes of the words that were said. */
import type { Language } from '../language/common/contract.js';
import type { Part } from '../language/template.js';

type Open = Extract<Part, { kind: 'open' }>;

interface Fit {
  /** The first word after it. */
  to: number;
  /** What the slot holds, as it is written. */
  text: string;
}

/** Any words are not more than this. */
const MOST_WORDS = 12;
const MOST_COUNT_DIGITS = 4;

const isDigit = (word: string | undefined) => word !== undefined && /^\d$/.test(word);

/** All that the slot may take from this word on. @param words with digits one by one */
export function openFits(
  { of, length }: Open,
  words: readonly string[],
  at: number,
  { namedDay }: Pick<Language, 'namedDay'>,
): Fit[] {
  if (of === 'words')
    return Array.from({ length: Math.min(MOST_WORDS, words.length - at) }, (_, i) => ({
      to: at + i + 1,
      text: readable(words.slice(at, at + i + 1)),
    }));
  if (of === 'date') {
    const day = namedDay(words.slice(at));
    return day ? [{ to: at + day.count, text: day.text }] : [];
  }
  let to = at;
  while (isDigit(words[to])) to++;
  const digits = (until: number) => ({ to: until, text: words.slice(at, until).join('') });
  if (of === 'digits' && length > 0) return to - at >= length ? [digits(at + length)] : [];
  const most = of === 'count' ? MOST_COUNT_DIGITS : Infinity;
  // The longest first: of equal fits the first counts.
  return Array.from({ length: Math.min(to - at, most) }, (_, i) => digits(at + Math.min(to - at, most) - i));
}

/** Digits that were taken apart stand together again. */
function readable(words: readonly string[]): string {
  return words.join(' ').replace(/(?<=\d) (?=\d)/g, '');
}
