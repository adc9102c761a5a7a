/** One of a list, or several of it: a choice, and a contact. */
import { choiceForms, choiceOf, keysOf, sayChoice, valueOfKeys } from '../common/choices.js';
import { about, described, one, textOf, type Kind, type Place, type Reading } from '../common/kind.js';
import type { Slot } from '../common/slot.js';

/** Each value, or what may be any of several, that begins here. */
export function oneChoice({ values = [] }: Slot, said: readonly string[], at: number): Reading[] {
  return choiceForms(values)
    .filter(({ words }) => words.every((word, i) => said[at + i] === word || said[at + i] === `${word}'s`))
    .map(({ words, values: of }) =>
      of.length === 1
        ? { value: of[0]!, count: words.length, plain: true }
        : { value: null, count: words.length, plain: true, options: of },
    );
}

/** "Pavel, Mina and all wardens". @param and the word between the last two */
function severalChoices(slot: Slot, { said, at }: Place, and: string): Reading[] {
  const longest = (from: number) =>
    oneChoice(slot, said, from)
      .filter(({ value }) => value !== null)
      .sort((a, b) => b.count - a.count)[0];
  const keys: string[] = [];
  let end = at;
  for (let next = longest(at); next;) {
    keys.push(String(next.value));
    end += next.count;
    const gap = Number(said[end] === and);
    next = longest(end + gap);
    if (next) end += gap;
  }
  return keys.length < 2 ? [] : one(valueOfKeys([...new Set(keys)]), end - at, true);
}

function choiceNamed({ values = [] }: Slot, text: string): string | null {
  const said = text.toLowerCase();
  const found = values
    .map(choiceOf)
    .find(({ value, say, also = [] }) =>
      [value, say ?? value, ...also].some((way) => way.toLowerCase() === said),
    );
  return found?.value ?? null;
}

export const contact: Kind = {
  isListed: true,
  read(place, slot, { words }) {
    const several = slot.several ? severalChoices(slot, place, words.and) : [];
    return several.length > 0 ? several : oneChoice(slot, place.said, place.at);
  },
  say(value, slot, _now, { values }) {
    const keys = slot.several ? keysOf(String(value)) : [String(value)];
    return values.sayList(
      keys.map((key) => sayChoice(slot.values ?? [], key)),
      'and',
    );
  },
  from(given, slot) {
    const text = textOf(given);
    if (text === null) return null;
    const keys = (slot.several ? keysOf(text) : [text]).map((said) => choiceNamed(slot, said));
    return keys.includes(null) ? null : valueOfKeys(keys as string[]);
  },
  schema(slot) {
    const values = (slot.values ?? []).map((each) => choiceOf(each).value);
    if (!slot.several) return { type: 'string', enum: values, ...about(slot) };
    return { type: 'string', ...described(slot, `One or several of: ${values.join(', ')}.`) };
  },
  answers: ({ values = [] }, { name, lead, words }) =>
    values.length === 0 ? [] : [`${lead}<${name}>`, `${words.aroundAnswers.not} ${lead}<${name}>`],
  lacks: ({ values = [] }, name) =>
    values.length === 0 ? `the slot "${name}" is a contact, and there is nobody in contacts.yaml` : null,
};

export const choice: Kind = {
  ...contact,
  lacks: ({ values }, name) => (values === undefined ? `the choice "${name}" has no "values"` : null),
  keys: 'may be all',
  // The first is 1, the second 2, and so on; what is no such number is the value itself.
  byKeys(digits, { values = [] }) {
    const named = values[Number(digits) - 1];
    return named === undefined ? undefined : choiceOf(named).value;
  },
};
