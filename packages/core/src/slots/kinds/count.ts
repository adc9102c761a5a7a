/** How many: a whole number, said with what is counted. */
import { phraseAt } from '../../language/tokens.js';
import { plainPhrase } from '../../language/common/phrase.js';
import { about, limits, one, sizeBreach, sizeOf, whole, type Kind } from '../common/kind.js';
import { nearOf } from '../common/slot.js';
import { number } from './number.js';

export const count: Kind = {
  read({ said, at }, slot, { words, now }) {
    const isCounted = phraseAt(said, at + 1, nearOf(slot)) > 0;
    if (isCounted && words.one.has(said[at]!)) return one(1, 1, true);
    const found = words.values.number(said, at, now);
    if (found) return one(found.value, found.count, false);
    // "to bunks" is two.
    const heard = Object.hasOwn(words.soundsLike, said[at]!) ? words.soundsLike[said[at]!]! : null;
    return heard !== null && isCounted ? one(heard, 1, true) : [];
  },
  breach: (value, slot, _now, words) =>
    sizeBreach(Number(value), slot, words, (limit) => words.values.sayNumber(limit)),
  say: number.say,
  from: (given) => whole(sizeOf(given)),
  schema: (slot) => ({ type: 'integer', ...limits(slot), ...about(slot) }),
  answers(slot, { name, words: { aroundAnswers: around } }) {
    const near = nearOf(slot).map(plainPhrase);
    const tail = near.length === 0 ? '' : ` [${near.join('|')}]`;
    const value = `<${name}: count>`;
    return [`${value}${tail}`, `${around.not} ${value}`, `${around.rather} ${value}`];
  },
  counts: true,
  open: { pattern: 'count', ears: 'count' },
  keys: 'may be all',
};
