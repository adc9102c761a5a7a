/** Values of a list, and the ways in which each may be said. */
import type { Choice, Slot } from './slot.js';
import { plainWord } from '../../language/common/phrase.js';

/** A word this short is no name by itself: "the", "of". */
const LEAST_LETTERS = 4;
const MOST_NEAREST = 3;

export interface Form {
  words: readonly string[];
  /** More than one where a part of a name is common to several. */
  values: readonly string[];
}

const formsOf = new WeakMap<object, Form[]>();

export const choiceOf = (one: string | Choice): Choice => (typeof one === 'string' ? { value: one } : one);

const wordsOf = (text: string) =>
  text
    .split(/[\s-]+/)
    .map(plainWord)
    .filter(Boolean);

/** All ways to say one of the values; whole ones first, then single words that tell them apart, or do not. */
export function choiceForms(values: readonly (string | Choice)[]): readonly Form[] {
  const known = formsOf.get(values);
  if (known) return known;
  const choices = values.map(choiceOf);
  const whole = choices.flatMap(({ value, say, also = [] }) =>
    [say ?? value, ...(say === undefined ? [] : [value]), ...also].map((text) => ({
      words: wordsOf(text),
      values: [value],
    })),
  );
  const byWord = new Map<string, Set<string>>();
  for (const { value, say } of choices) {
    const words = wordsOf(say ?? value);
    if (words.length < 2) continue;
    for (const word of words)
      if (word.length >= LEAST_LETTERS) byWord.set(word, (byWord.get(word) ?? new Set()).add(value));
  }
  // A word that all have tells nothing: "hut".
  const parts = [...byWord].filter(([, of]) => of.size < choices.length || choices.length === 1);
  const isWhole = new Set(whole.map(({ words }) => words.join(' ')));
  const forms = [
    ...whole.filter(({ words }) => words.length > 0),
    ...parts.filter(([word]) => !isWhole.has(word)).map(([word, of]) => ({ words: [word], values: [...of] })),
  ];
  formsOf.set(values, forms);
  return forms;
}

export function sayChoice(values: readonly (string | Choice)[], value: string): string {
  const found = values.map(choiceOf).find((one) => one.value === value);
  return found?.say ?? value;
}

/** Words that all values of several words end with, such as "hut": "eagle hut" is one that is not known. */
export function commonLastWord(values: readonly (string | Choice)[]): string | null {
  const last = new Set(
    values.map(choiceOf).map(({ value, say }) => {
      const words = wordsOf(say ?? value);
      return words.length > 1 ? words.at(-1)! : '';
    }),
  );
  const [one] = last;
  return last.size === 1 && one !== undefined && one !== '' ? one : null;
}

/** The values that are written most like this, as they are said. */
export function nearest({ values = [] }: Pick<Slot, 'values'>, said: string): string[] {
  const target = wordsOf(said).join(' ');
  return values
    .map(choiceOf)
    .map((one) => ({
      text: one.say ?? one.value,
      away: distance(target, wordsOf(one.say ?? one.value).join(' ')),
    }))
    .sort((a, b) => a.away - b.away)
    .slice(0, values.length <= MOST_NEAREST + 1 ? values.length : MOST_NEAREST)
    .map(({ text }) => text);
}

/** Letters to be put in, left out or changed (V. Levenshtein, 1966). */
function distance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++)
      next.push(Math.min(row[j]! + 1, next[j - 1]! + 1, row[j - 1]! + Number(a[i - 1] !== b[j - 1])));
    row = next;
  }
  return row[b.length]!;
}

/** What stands between several in one value. */
const BETWEEN = ', ';

/** The keys that a slot's value names. */
export const keysOf = (value: string): string[] =>
  value
    .split(',')
    .map((key) => key.trim())
    .filter(Boolean);

export const valueOfKeys = (keys: readonly string[]): string => keys.join(BETWEEN);
