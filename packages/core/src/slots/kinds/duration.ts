/** How long, in minutes. */
import { described, limits, one, sizeBreach, sizeOf, whole, type Kind } from '../common/kind.js';

export const duration: Kind = {
  read({ said, at }, _slot, { words, now }) {
    const found = words.values.duration(said, at, now);
    return found ? one(found.value, found.count, true) : [];
  },
  breach: (value, slot, _now, words) =>
    sizeBreach(Number(value), slot, words, (limit) => words.values.sayDuration(limit)),
  say: (value, _slot, _now, { values }) => values.sayDuration(Number(value)),
  from: (given) => whole(sizeOf(given)),
  schema: (slot) => ({ type: 'integer', ...limits(slot), ...described(slot, 'In minutes.') }),
};
