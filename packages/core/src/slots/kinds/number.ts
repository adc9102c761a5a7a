/** A number, also with a fraction. */
import { about, limits, one, sizeBreach, sizeOf, type Kind } from '../common/kind.js';

export const number: Kind = {
  read({ said, at }, _slot, { words, now }) {
    const found = words.values.decimal(said, at, now);
    return found ? one(found.value, found.count, false) : [];
  },
  breach: (value, slot, _now, words) =>
    sizeBreach(Number(value), slot, words, (limit) => words.values.sayNumber(limit)),
  say(value, { unit }, _now, { values }) {
    const named = unit?.[value === 1 ? 0 : 1];
    return `${values.sayNumber(Number(value))}${named === undefined ? '' : ` ${named}`}`;
  },
  from: sizeOf,
  schema: (slot) => ({ type: 'number', ...limits(slot), ...about(slot) }),
  counts: true,
  keys: 'digits',
};
