/** Yes or no, by the words that the file gives for either. */
import { phraseAt } from '../../language/tokens.js';
import { about, one, type Kind } from '../common/kind.js';

export const yesNo: Kind = {
  read({ said, at }, { yes = [], no = [] }) {
    const [agreed, denied] = [phraseAt(said, at, yes), phraseAt(said, at, no)];
    return agreed + denied === 0 ? [] : one(agreed > denied, Math.max(agreed, denied), true);
  },
  say: (value, _slot, _now, { yesNo: [yes, no] }) => (value === true ? yes : no),
  from: (given) => (typeof given === 'boolean' ? given : null),
  schema: (slot) => ({ type: 'boolean', ...about(slot) }),
};
