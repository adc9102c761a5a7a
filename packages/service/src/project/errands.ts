/** The errands of a project: their files, and what of them an assistant has. */
import { ErrandBook, Fault, type NamedErrand } from '@verbalon/core';
import type { AssistantFile, ErrandFile } from '@verbalon/protocol';
import type { Expecting } from './hearing-profile.js';

/** As core knows it: how it is done is the service's. */
export function errandOf(name: string, { does, ...file }: ErrandFile): NamedErrand {
  return {
    ...file,
    name,
    order: Object.keys(file.slots),
    ...('handOver' in does ? { handsOver: true } : {}),
  };
}

/** What is wrong with the file alone. @throws Fault with a path into it */
export function checkErrand(name: string, file: ErrandFile): void {
  within(
    () => new ErrandBook([errandOf(name, file)], 'en'),
    (path) => path.replace(`/${name}`, ''),
  );
  for (const [i, { gives }] of (file.examples ?? []).entries())
    for (const slot of Object.keys(gives))
      if (!Object.hasOwn(file.slots, slot))
        throw new Fault('errand-broken', `"${slot}" is none of its slots: ${Object.keys(file.slots).join(', ')}`, `/examples/${i}/gives`); // prettier-ignore
  if ('http' in file.does)
    for (const [code, { asks }] of Object.entries(file.does.http.outcomes ?? {}))
      if (asks !== undefined && !Object.hasOwn(file.slots, asks))
        throw new Fault('errand-broken', `"${asks}" is none of its slots: ${Object.keys(file.slots).join(', ')}`, `/does/http/outcomes/${code}`); // prettier-ignore
}

/** The errands that an assistant's file names. @throws Fault with a path into that file */
export function errandsOf(
  { errands = [], language }: AssistantFile,
  files: ReadonlyMap<string, ErrandFile>,
): NamedErrand[] {
  const named = errands.map((name, i) => {
    const file = files.get(name);
    if (file) return errandOf(name, file);
    throw new Fault('errand-broken', `there is no errands/${name}.yaml that can be used`, `/errands/${i}`);
  });
  if (named.length > 0)
    within(
      () => new ErrandBook(named, language),
      () => '/errands',
    );
  return named;
}

function within(work: () => unknown, place: (path: string) => string): void {
  try {
    work();
  } catch (error) {
    throw error instanceof Fault ? new Fault('errand-broken', error.detail, place(error.path)) : error;
  }
}

/** What callers are likely to say, with what they say for errands. */
export function withErrands(
  expect: Expecting | null,
  errands: readonly NamedErrand[],
  language: string,
): Expecting | null {
  if (errands.length === 0) return expect;
  const { phrases, slots } = new ErrandBook(errands, language).expected;
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
