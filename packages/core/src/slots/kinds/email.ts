/** An address of e-mail. */
import { anyText, asItIs, fitting, one, type Kind } from '../common/kind.js';

export const email: Kind = {
  read({ said, at }, _slot, { words, now }) {
    const found = words.values.email(said, at, now);
    return found ? one(found.value, found.count, true) : [];
  },
  say: asItIs,
  from: fitting(/^[^\s@]+@[^\s@]+\.[^\s@]+$/),
  schema: anyText,
};
