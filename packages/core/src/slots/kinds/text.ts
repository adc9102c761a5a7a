/** Free text, and an address that somebody lives at: any words. */
import { textOf as textOfTokens } from '../../language/tokens.js';
import { capital } from '../../language/common/writing.js';
import { anyText, asItIs, one, textOf, type Kind } from '../common/kind.js';

export const address: Kind = {
  read({ tokens, at }) {
    const text = textOfTokens(tokens.slice(at));
    return text === '' ? [] : one(capital(text), tokens.length - at, false);
  },
  say: asItIs,
  from: textOf,
  schema: anyText,
  isNamed: true,
  takesAnyWords: true,
};

export const text: Kind = {
  ...address,
  // Read out, it is a sentence.
  say: (value) => (/[.!?…]$/.test(String(value)) ? String(value) : `${String(value)}.`),
  isOpenEnded: true,
  isDictated: true,
};
