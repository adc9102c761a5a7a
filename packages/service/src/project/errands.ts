/** The errands of a project: their files, and what of them an assistant has. */
import {
  contactChoices,
  ErrandBook,
  expandPhrases,
  Fault,
  type Choice,
  type Contacts,
  type NamedErrand,
  type Slot,
} from '@verbalon/core';
import type { AssistantFile, ErrandFile } from '@verbalon/protocol';
import { readGrammar } from './grammar-file.js';
import type { Asked, Expecting } from './hearing-profile.js';
import { checkPlaces } from './places.js';

/** What there is of errands. */
export interface ErrandsByName {
  get(name: string): NamedErrand | undefined;
}

/** What slots take that does not stand in their file. */
export interface SlotSources {
  folder: string;
  contacts: Contacts;
  /** What the address of a slot's values has given, where it has. */
  listed: (errand: string, slot: string) => readonly (string | Choice)[] | undefined;
}

/**
 * As core knows it: how it is done is the service's. @throws Fault with a path into the file, ProblemError
 * for a grammar that cannot be read
 */
export function errandOf(
  name: string,
  { does, slots, grammar, ...file }: ErrandFile,
  sources: SlotSources,
): NamedErrand {
  const known = Object.entries(slots).map(([slot, one]) => [slot, slotOf(name, slot, one, sources)] as const);
  return {
    ...file,
    name,
    slots: Object.fromEntries(known),
    order: Object.keys(slots),
    ...(grammar === undefined ? {} : { grammar: readGrammar(sources.folder, grammar, '/grammar') }),
    ...('handOver' in does ? { handsOver: true } : {}),
  };
}

function slotOf(
  errand: string,
  name: string,
  { values, grammar, ...slot }: ErrandFile['slots'][string],
  { folder, contacts, listed }: SlotSources,
): Slot {
  const usual = slot.kind === 'contact' && values === undefined ? contactChoices(contacts) : values;
  const given = usual !== undefined && 'from' in usual ? (listed(errand, name) ?? usual.otherwise) : usual;
  return {
    ...slot,
    ...(given === undefined ? {} : { values: given }),
    ...(grammar === undefined ? {} : { grammar: readGrammar(folder, grammar, `/slots/${name}/grammar`) }),
  };
}

/** What is wrong with the file alone. @throws Fault with a path into it */
export function checkErrand(errand: NamedErrand, file: ErrandFile): void {
  within(
    () => new ErrandBook([errand], 'en'),
    (path) => path.replace(`/${errand.name}`, ''),
  );
  const isSlot = (slot: string, path: string) => {
    if (!Object.hasOwn(file.slots, slot))
      throw new Fault(
        'errand-broken',
        `"${slot}" is none of its slots: ${Object.keys(file.slots).join(', ')}`,
        path,
      );
  };
  for (const [i, { gives }] of (file.examples ?? []).entries())
    for (const slot of Object.keys(gives)) isSlot(slot, `/examples/${i}/gives`);
  if ('http' in file.does)
    for (const [code, { asks }] of Object.entries(file.does.http.outcomes ?? {}))
      if (asks !== undefined) isSlot(asks, `/does/http/outcomes/${code}`);
  checkPlaces(file);
}

/**
 * The errands that an assistant's file names; null where it names none. @throws Fault with a path into that
 * file
 */
export function bookOf({ errands = [], language }: AssistantFile, known: ErrandsByName): ErrandBook | null {
  const named = errands.map((name, i) => {
    const errand = known.get(name);
    if (errand) return errand;
    throw new Fault('errand-broken', `there is no errands/${name}.yaml that can be used`, `/errands/${i}`);
  });
  if (named.length === 0) return null;
  return within(
    () => new ErrandBook(named, language),
    () => '/errands',
  );
}

function within<T>(work: () => T, place: (path: string) => string): T {
  try {
    return work();
  } catch (error) {
    throw error instanceof Fault ? new Fault('errand-broken', error.detail, place(error.path)) : error;
  }
}

/** What callers are likely to say, with what they say for errands. */
export function withErrands(expect: Expecting | null, book: ErrandBook | null): Expecting | null {
  if (!book) return expect;
  const { phrases, slots } = book.expected;
  const own = expect?.slots ?? {};
  // A slot of the assistant's own may have the same name, and other values.
  const names = new Map(
    Object.keys(slots).map((name) => [name, Object.hasOwn(own, name) ? `errand-${name}` : name]),
  );
  const renamed = phrases.map((phrase) =>
    phrase.replace(/<([A-Za-z][\w-]*)>/g, (_, name: string) => `<${names.get(name) ?? name}>`),
  );
  const added = Object.fromEntries(
    Object.entries(slots).map(([name, values]) => [names.get(name)!, [...values]]),
  );
  return { ...expect, phrases: [...(expect?.phrases ?? []), ...renamed], slots: { ...own, ...added } };
}

/** What is likely while a slot is asked for, and how names of contacts sound. */
export function askedOf(book: ErrandBook | null, { people }: Contacts): Asked {
  if (!book) return {};
  const { answers } = book;
  return {
    answers: Object.fromEntries(
      Object.entries(answers).map(([key, { only, ...expected }]) => [
        key,
        { only, sentences: expandPhrases(expected, book.language) },
      ]),
    ),
    sounds: Object.fromEntries(
      people.flatMap(({ sounds }) =>
        Object.entries(sounds).map(([word, phones]) => [word.toLowerCase(), phones.replace(/\d/g, '')]),
      ),
    ),
  };
}
