/** A number of a telephone. */
import { anyText, one, spelledOut, textOf, type Kind } from '../common/kind.js';
import { withDigits } from './digits.js';

/** What is heard with fewer digits is none. */
const LEAST_HEARD_DIGITS = 5;
/**
 * Digits of a telephone number: a short one is a part of one that was not heard whole; no more are in one
 * (ITU-T E.164).
 */
const LEAST_DIGITS = 7;
const MOST_DIGITS = 15;

const limit = (own: number | string | undefined, usual: number) => (typeof own === 'number' ? own : usual);

export const phone: Kind = {
  read({ said, at }, _slot, context) {
    const { words, now } = context;
    const plus = Number(said[at] === 'plus' || said[at] === '+');
    const written = /^\+\d/.test(said[at] ?? '');
    const list = written ? [said[at]!.slice(1), ...said.slice(at + 1)] : withDigits(said, context);
    const found = words.values.digits(list, written ? 0 : at + plus, now);
    if (!found || found.value.length < LEAST_HEARD_DIGITS) return [];
    return one(`${plus === 1 || written ? '+' : ''}${found.value}`, found.count + plus, true);
  },
  breach(value, { least, most }, _now, { sayings }) {
    const { length } = String(value).replace('+', '');
    if (length < limit(least, LEAST_DIGITS)) return sayings.phoneTooShort;
    return length > limit(most, MOST_DIGITS) ? sayings.phoneTooLong : null;
  },
  say: spelledOut,
  from(given) {
    const text = textOf(given)?.replace(/[\s/-]/g, '') ?? '';
    return /^\+?\d{3,20}$/.test(text) ? text : null;
  },
  schema: anyText,
  keys: 'digits',
};
