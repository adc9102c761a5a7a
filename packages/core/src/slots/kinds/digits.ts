/** A row of digits: a number of a booking, a code. */
import type { Meaning } from '../../language/common/meaning.js';
import { anyText, bound, fitting, one, spelledOut, type Kind, type ReadingContext } from '../common/kind.js';

/** "One to oh one": beside digits what sounds like one is one. */
export function withDigits(
  said: readonly string[],
  { words, now }: Pick<ReadingContext, 'words' | 'now'>,
): readonly string[] {
  const isDigit = (i: number) => i >= 0 && i < said.length && words.values.digits(said, i, now) !== null;
  return said.map((word, i) =>
    Object.hasOwn(words.soundsLike, word) && (isDigit(i - 1) || isDigit(i + 1))
      ? words.values.sayNumber(words.soundsLike[word]!)
      : word,
  );
}

/** The first words that are so many digits: what comes after them may be another number. */
function digitsOf(
  length: number,
  ways: readonly (readonly string[])[],
  at: number,
  read: (said: readonly string[]) => Meaning<string> | null,
): Meaning<string> | null {
  for (const said of ways)
    for (let end = at + 1; end <= Math.min(said.length, at + length); end++) {
      const found = read(said.slice(0, end));
      if (found?.value.length === length) return found;
    }
  return null;
}

export const digits: Kind = {
  read({ said, at }, { length }, context) {
    const read = (all: readonly string[]) => context.words.values.digits(all, at, context.now);
    const known = length === undefined ? null : digitsOf(length, [said, withDigits(said, context)], at, read);
    const found = known ?? read(said);
    return found ? one(found.value, found.count, known !== null && length! >= 3) : [];
  },
  breach: (value, { length }, _now, { sayings, values }) =>
    length !== undefined && String(value).length !== length
      ? bound(sayings.length, values.sayNumber(length))
      : null,
  say: spelledOut,
  from: fitting(/^\d+$/),
  schema: anyText,
  answers: ({ length }, { name, lead, isAsked }) =>
    !isAsked ? [] : [`${lead}<${name}: digits${length ? ` ${length}` : ''}>`],
  open: { pattern: 'digits', ears: 'digits' },
  keys: 'digits',
};
