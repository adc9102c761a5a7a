/** English where phrases are expected. */
import type { ExpectedWords } from '../common/contract.js';

const list = (words: string) => words.split(' ');

const DIGITS = list('zero oh one two three four five six seven eight nine');

export const ENGLISH_EXPECTED: ExpectedWords = {
  fillers: new Set(list('um uh er erm')),
  leadIns: new Set(list('um uh er erm well so and hello hi hey okay please yes no oh')),
  numbers: new Set([
    ...DIGITS,
    ...list('ten eleven twelve thirteen fourteen fifteen sixteen seventeen eighteen nineteen'),
    ...list('twenty thirty forty fifty sixty seventy eighty ninety hundred'),
  ]),
  digits: DIGITS,
  counts: list('one two three four five six seven eight nine ten eleven twelve twenty'),
  days: list('today tonight tomorrow monday tuesday wednesday thursday friday saturday sunday'),
};
