/** The number of an account (ISO 13616): letters and digits one by one, in groups, or written. */
import { anyText, one, spelledOut, textOf, type Kind } from '../common/kind.js';

/** A country, two digits, and up to 30 characters; what is shorter is not looked at. */
const LEAST_LETTERS = 8;
const MOST_LETTERS = 34;

/** Do its check digits fit (ISO 7064, mod 97-10)? @param text capitals and digits without spaces */
export function isIban(text: string): boolean {
  if (!/^[A-Z]{2}\d{2}[A-Z\d]{4,30}$/.test(text)) return false;
  const digits = [...(text.slice(4) + text.slice(0, 4))].map((sign) => Number.parseInt(sign, 36)).join('');
  return [...digits].reduce((rest, digit) => (rest * 10 + Number(digit)) % 97, 0) === 1;
}

export const iban: Kind = {
  read({ said, at }, _slot, { words, now }) {
    let text = '';
    let end = at;
    while (end < said.length && text.length <= MOST_LETTERS) {
      const read = words.values.digits(said, end, now) ?? words.values.letters(said, end, now);
      const written = /^[a-z\d]+$/.test(said[end]!) && (/\d/.test(said[end]!) || said[end]!.length === 1);
      if (!read && !written) break;
      text += read?.value ?? said[end]!;
      end += read?.count ?? 1;
    }
    if (text.length < LEAST_LETTERS) return [];
    const value = text.toUpperCase();
    return one(isIban(value) ? value : null, end - at, true);
  },
  say: spelledOut,
  from(given) {
    const value = textOf(given)?.replace(/\s/g, '').toUpperCase() ?? '';
    return isIban(value) ? value : null;
  },
  schema: anyText,
};
