/** What an assistant's lineup comes to with the cards that there are. */
import {
  ENGINE_ROLES,
  Fault,
  forbidden,
  speaks,
  spokenLanguage,
  type AnswerBook,
  type EngineRole,
} from '@verbalon/core';
import { relative } from 'node:path';
import type { AssistantFile, EngineCard, ProjectFile } from '@verbalon/protocol';
import type { ProblemError } from '../problems/problems.js';
import { choicesOf, factsOf, isModule, nameOf } from './cards.js';
import type { Expecting } from './hearing-profile.js';

type Cards = ReadonlyMap<string, EngineCard>;

/** What callers of this assistant are likely to say. @throws Fault */
export function expectingOf(
  { expect, lineup }: AssistantFile,
  engines: Cards,
  books: ReadonlyMap<string, AnswerBook>,
): Expecting | null {
  const own = expect === undefined || typeof expect === 'string' ? null : ownPhrases(expect);
  if (!expectsAnswers({ expect })) return own;
  const named = choicesOf(lineup, 'llm').flatMap(({ engine }) => {
    const card = engines.get(engine);
    return card?.wire === 'answers' ? [books.get(card.answers)] : [];
  });
  if (named.length === 0)
    throw new Fault(
      'file-broken',
      '"from answers" wants an engine of authored answers (wire: answers) in the lineup',
      '/expect',
    );
  const all = named.flatMap((book) => (book ? [book.expected] : []));
  const slots = Object.assign({}, ...all.map((one) => one.slots)) as Record<string, string[]>;
  return {
    ...own,
    phrases: [...(own?.phrases ?? []), ...all.flatMap(({ phrases }) => phrases)],
    slots: { ...slots, ...own?.slots },
  };
}

/**
 * Are the patterns of its authored answers what its callers are likely to say, beside phrases of its own or
 * without?
 */
export function expectsAnswers({ expect }: { expect?: AssistantFile['expect'] | undefined }): boolean {
  return expect === 'from answers' || (typeof expect === 'object' && expect.from === 'answers');
}

function ownPhrases({
  phrases = [],
  slots,
  weight,
}: Exclude<AssistantFile['expect'], string | undefined>): Expecting {
  return { phrases, ...(slots ? { slots } : {}), ...(weight === undefined ? {} : { weight }) };
}

/** Engines of the lineup that do or remember what they are asked. */
export function actingIn({ lineup }: AssistantFile, engines: Cards): string[] {
  const acts = (engine: string): boolean => {
    const card = engines.get(engine);
    if (card?.role !== 'llm') return false;
    if (card.wire === 'answers') return card.passTo !== undefined && acts(card.passTo);
    // A chat has what it was asked in its history.
    return card.wire === 'page' || card.acts === true;
  };
  const all = choicesOf(lineup, 'llm');
  return all.filter(({ engine }) => acts(engine)).map(nameOf);
}

/** All engines that it names or needs, usable or not. */
export function enginesOf(file: AssistantFile, engines: Cards): string[] {
  const named = ENGINE_ROLES.flatMap((role) => choicesOf(file.lineup, role).map(({ engine }) => engine));
  const wakes = wakeEarsOf(file, engines);
  return wakes === null ? named : [...named, wakes];
}

/**
 * What is wrong with it besides its own shape: engines that cannot serve it. @param why an engine may not, or
 * null
 */
export function assistantFaults(
  file: AssistantFile,
  engines: Cards,
  why: (role: EngineRole, engine: string) => string | null,
): Fault[] {
  return [
    ...ENGINE_ROLES.flatMap((role) => lineupFaults(file, role, (engine) => why(role, engine))),
    ...languageFaults(file, engines),
    ...wakeFaults(file, engines),
  ];
}

/** What listens for the phrases that wake it; null where there are none, or nothing can. */
export function wakeEarsOf({ manners, language }: AssistantFile, engines: Cards): string | null {
  if (!Array.isArray(manners?.wake)) return null;
  const ears = [...engines].find(
    ([name, { wire }]) => wire === 'pocketsphinx' && speaks(factsOf(name, engines), language),
  );
  return ears?.[0] ?? null;
}

/** Phrases are to wake it, and nothing can listen for them. */
function wakeFaults(file: AssistantFile, engines: Cards): Fault[] {
  if (!Array.isArray(file.manners?.wake) || wakeEarsOf(file, engines) !== null) return [];
  const what = `phrases wake it, and no card of local ears (wire: pocketsphinx) knows ${file.language}: add one, or write "tap"`;
  return [new Fault('file-broken', what, '/manners/wake')];
}

/** @param whyNot why an engine may not serve, or null */
function lineupFaults(
  file: AssistantFile,
  role: EngineRole,
  why: (engine: string) => string | null,
): Fault[] {
  const isList = Array.isArray(file.lineup[role]);
  return choicesOf(file.lineup, role).flatMap(({ engine }, i) => {
    const what = why(engine);
    const path = `/lineup/${role}${isList ? `/${i}` : ''}`;
    return what === null ? [] : [new Fault('file-broken', `the lineup's ${role}: ${what}`, path)];
  });
}

/** Other languages in which it is to talk, and of a role no engine of the lineup knows it. */
function languageFaults({ also, lineup }: AssistantFile, engines: Cards): Fault[] {
  return Object.keys(also ?? {}).flatMap((tag) =>
    ENGINE_ROLES.flatMap((role) => {
      const names = choicesOf(lineup, role).map(({ engine }) => engine);
      if (names.some((name) => engines.has(name) && speaks(factsOf(name, engines), tag))) return [];
      const what = `it also talks ${tag}, and of ${names.join(', ')} none knows it`;
      return [new Fault('file-broken', what, `/also/${tag}`)];
    }),
  );
}

/** Why this engine may not serve this assistant in this role, or null. */
export function whyNot(
  file: AssistantFile,
  role: EngineRole,
  engine: string,
  engines: Cards,
  broken: ReadonlyMap<string, ProblemError>,
  standins: NonNullable<ProjectFile['standins']>,
): string | null {
  const card = engines.get(engine);
  if (card?.role !== role) {
    const known = [...engines].filter(([, one]) => one.role === role).map(([one]) => one);
    const problem = broken.get(`engines/${engine}`);
    if (!card && problem) return `the card of "${engine}" cannot be used: ${problem.detail}`;
    const what = card ? `is of the role ${card.role}` : 'has no card in engines/';
    return `"${engine}" ${what}; known are ${known.join(', ') || 'none'}`;
  }
  const standin = 'address' in card ? /^standin:([a-z0-9-]+)/.exec(card.address)?.[1] : undefined;
  if (standin !== undefined && !standins.some(({ name }) => name === standin))
    return `"${engine}" is the stand-in "${standin}", and project.yaml starts none of that name`;
  const away = forbidden(factsOf(engine, engines), file.stay);
  if (away !== null) return away;
  const language = role === 'stt' ? file.language : spokenLanguage(file);
  const knows = (one: string) => speaks(factsOf(one, engines), language);
  if (knows(engine)) return null;
  const others = [...engines.keys()].filter((one) => engines.get(one)!.role === role && knows(one));
  const remedy =
    others.length > 0
      ? `${others.join(', ')} would do`
      : 'no card of this role does: add one, or install the language (verbalon languages)';
  return `"${engine}" knows ${card.languages.join(', ')}, not ${language}; ${remedy}`;
}

/** Cards of authored answers that pass on to a model, and what is wrong where they name none. */
export function passings(cards: Cards): { name: string; what: string; isWrong: boolean }[] {
  return [...cards].flatMap(([name, card]) => {
    if (card.wire !== 'answers' || card.passTo === undefined) return [];
    const other = cards.get(card.passTo);
    const what = `engines/${name}.yaml: "passTo" must name a model, and "${card.passTo}" is none`;
    return [{ name, what, isWrong: other?.role !== 'llm' || other.wire === 'answers' }];
  });
}

/** Modules of the project that stand between the stages of assistants, by their paths within it. */
export function modulesOf(assistants: readonly AssistantFile[]): string[] {
  const all = assistants.flatMap(({ stages }) => Object.values(stages ?? {}));
  return all.flatMap((stage) => (stage && isModule(stage.at) ? [relative('.', stage.at)] : []));
}
