/** An amount of a currency: `24.50 EUR`. */
import { fitting, one, sizeBreach, textAs, type Kind } from '../common/kind.js';

export const money: Kind = {
  read({ said, at }, _slot, { words, now }) {
    const found = words.values.money(said, at, now);
    return found ? one(`${found.value.amount.toFixed(2)} ${found.value.currency}`, found.count, true) : [];
  },
  breach: (value, slot, _now, words) =>
    sizeBreach(Number.parseFloat(String(value)), slot, words, (limit) => words.values.sayNumber(limit)),
  say(value, _slot, _now, { values }) {
    const [amount, currency] = String(value).split(' ');
    return values.sayMoney(Number(amount), currency ?? '');
  },
  from: fitting(/^\d+(?:\.\d{1,2})? [A-Z]{3}$/),
  schema: textAs('As "24.50 EUR".'),
  keys: 'digits',
};
