/** What an open slot of a pattern takes of the words that were said. */
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
const WEEKDAY = /^(?:mon|tues|wednes|thurs|fri|satur|sun)day$/;
const MONTHS = new Set('january february march april may june july august september october november december'.split(' ')); // prettier-ignore
const GERMAN_DAY = /^(?:montag|dienstag|mittwoch|donnerstag|freitag|samstag|sonnabend|sonntag)$/;

const isDigit = (word: string | undefined) => word !== undefined && /^\d$/.test(word);

/** All that the slot may take from this word on. @param words with digits one by one */
export function openFits({ of, length }: Open, words: readonly string[], at: number): Fit[] {
  if (of === 'words')
    return Array.from({ length: Math.min(MOST_WORDS, words.length - at) }, (_, i) => ({
      to: at + i + 1,
      text: readable(words.slice(at, at + i + 1)),
    }));
  if (of === 'date') return dateFits(words, at);
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

const capital = (word: string) => word.charAt(0).toUpperCase() + word.slice(1);

/** "tomorrow", "on the twenty third of may", "next friday": as it was said; which day that is, is not worked out here. */
function dateFits(words: readonly string[], at: number): Fit[] {
  const word = (i: number) => words[at + i] ?? '';
  const fit = (count: number, text: string): Fit[] => [{ to: at + count, text }];
  if (['today', 'tonight', 'tomorrow', 'heute', 'morgen', 'übermorgen'].includes(word(0)))
    return fit(1, word(0));
  if (words.slice(at, at + 4).join(' ') === 'the day after tomorrow') return fit(4, 'the day after tomorrow');
  const lead = ['next', 'this', 'on', 'am', 'nächsten', 'diesen'].includes(word(0)) ? 1 : 0;
  const before = lead === 1 && word(0) !== 'on' && word(0) !== 'am' ? `${word(0)} ` : '';
  if (WEEKDAY.test(word(lead)) || GERMAN_DAY.test(word(lead)))
    return fit(lead + 1, `${before}${capital(word(lead))}`);
  if (MONTHS.has(word(lead)) && isDigit(word(lead + 1))) {
    const count = isDigit(word(lead + 2)) ? 2 : 1;
    return fit(
      lead + 1 + count,
      `${capital(word(lead))} ${words.slice(at + lead + 1, at + lead + 1 + count).join('')}`,
    );
  }
  const the = word(lead) === 'the' ? lead + 1 : lead;
  const ordinal = /^(?:\d*(?:1st|2nd|3rd|\dth))$/.test(word(the)) || ORDINALS.has(word(the)) ? 1 : TENS.has(word(the)) && ORDINALS.has(word(the + 1)) ? 2 : 0; // prettier-ignore
  if (ordinal === 0) return [];
  const said = words.slice(at + the, at + the + ordinal).join(' ');
  const end = the + ordinal;
  if (word(end) === 'of' && MONTHS.has(word(end + 1)))
    return fit(end + 2, `the ${said} of ${capital(word(end + 1))}`);
  return MONTHS.has(word(end))
    ? fit(end + 1, `the ${said} of ${capital(word(end))}`)
    : fit(end, `the ${said}`);
}

const ORDINALS = new Set(
  'first second third fourth fifth sixth seventh eighth ninth tenth eleventh twelfth thirteenth fourteenth fifteenth sixteenth seventeenth eighteenth nineteenth twentieth thirtieth'.split(' '), // prettier-ignore
);
const TENS = new Set(['twenty', 'thirty']);
