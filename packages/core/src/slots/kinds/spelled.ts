/** Letters that are said one by one. */
import { anyText, one, spelledOut, textOf, type Kind } from '../common/kind.js';

/** So many letters in a row are surely spelled. */
const SURE_LETTERS = 3;

export const spelled: Kind = {
  read({ said, at }, _slot, { words, now }) {
    const found = words.values.letters(said, at, now);
    return found ? one(found.value, found.count, found.value.length >= SURE_LETTERS) : [];
  },
  say: spelledOut,
  from: textOf,
  schema: anyText,
  isNamed: true,
};
