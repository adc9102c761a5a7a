/** Whom a message may go to: people and lists of them, by the names that callers say. */
import { keysOf } from '../slots/common/choices.js';
import { Fault } from '../common/faults.js';
import type { Choice } from '../slots/common/slot.js';

export interface Contact {
  key: string;
  /** As it is said. */
  name: string;
  also: readonly string[];
  /** Where messages reach them, by the names of the ways; the first is tried first. */
  ways: Readonly<Record<string, string>>;
  /** How words of the name sound, in ARPAbet. */
  sounds: Readonly<Record<string, string>>;
}

export interface ContactList {
  key: string;
  name: string;
  also: readonly string[];
  /** Keys of contacts. */
  of: readonly string[];
}

export interface Contacts {
  people: readonly Contact[];
  lists: readonly ContactList[];
}

export const NO_CONTACTS: Contacts = { people: [], lists: [] };

/**
 * @throws Fault `contacts-broken` with a path into the file, for what could never be told apart, or names
 * nobody
 */
export function checkContacts({ people, lists }: Contacts): void {
  const seen = new Map<string, string>();
  for (const { key, name, also } of [...people, ...lists])
    for (const text of [name, ...also]) {
      const said = text.toLowerCase();
      const other = seen.get(said);
      if (other !== undefined && other !== key)
        throw new Fault(
          'contacts-broken',
          `"${text}" may be "${other}" or "${key}", and nobody could tell which: give one of them another name`,
          placeOf(key, { people, lists }),
        );
      seen.set(said, key);
    }
  const keys = new Set(people.map(({ key }) => key));
  for (const { key, of } of lists) {
    if (keys.has(key))
      throw new Fault(
        'contacts-broken',
        `"${key}" is a contact and a list: only one can have that key`,
        `/lists/${key}`,
      );
    const unknown = of.find((one) => !keys.has(one));
    if (unknown !== undefined)
      throw new Fault(
        'contacts-broken',
        `"${unknown}" is no contact: there are ${[...keys].join(', ')}`,
        `/lists/${key}/of`,
      );
  }
}

const placeOf = (key: string, { lists }: Contacts): string =>
  lists.some((one) => one.key === key) ? `/lists/${key}` : `/contacts/${key}`;

/** As values of a slot. */
export const contactChoices = ({ people, lists }: Contacts): Choice[] =>
  [...people, ...lists].map(({ key, name, also }) => ({ value: key, say: name, also }));

/** The people behind a slot's value, each once; null where it names somebody that there is not. */
export function peopleOf(value: string, { people, lists }: Contacts): Contact[] | null {
  const found = new Map<string, Contact>();
  for (const key of keysOf(value)) {
    const list = lists.find((one) => one.key === key);
    for (const one of list?.of ?? [key]) {
      const person = people.find((contact) => contact.key === one);
      if (!person) return null;
      found.set(one, person);
    }
  }
  return [...found.values()];
}
