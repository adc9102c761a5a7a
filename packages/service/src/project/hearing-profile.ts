/** From an assistant's expected phrases and lexicon to what the ears need of them. */
import { createHash } from 'node:crypto';
import { basename } from 'node:path';
import {
  closedGrammar,
  eitherOf,
  expandPhrases,
  Fault,
  languageOf,
  type ErrandBook,
  type Expected,
  type Slots,
} from '@verbalon/core';
import type { HearingProfile } from '@verbalon/engines';
import type { AssistantFile } from '@verbalon/protocol';
import { parseLexicon } from './lexicon.js';
import { readText } from './read-yaml.js';

const DEFAULT_WEIGHT = 0.3;
/** … of an assistant that expects nothing but to be woken. */
const ONLY_WAKE_WEIGHT = 0.1;

/** What callers are likely to say, and how much that weighs. */
export interface Expecting {
  phrases: readonly string[];
  slots?: Slots;
  weight?: number;
}

/** What is asked for, and how names of contacts sound. */
export interface Asked {
  answers?: ErrandBook['answers'];
  sounds?: Readonly<Record<string, string>>;
}

/**
 * Null for an assistant without expected phrases. @throws Fault with the path of a phrase that is wrong,
 * ProblemError for the lexicon
 */
export function hearingProfile(
  { language, manners }: Pick<AssistantFile, 'language' | 'manners'>,
  expect: Expecting | null,
  lexiconFile: string | null,
  { answers = {}, sounds = {} }: Asked = {},
): HearingProfile | null {
  const wake = Array.isArray(manners?.wake) ? manners.wake : [];
  if ((expect?.phrases ?? wake).length === 0) return null;
  const pronunciations = { ...sounds, ...(lexiconFile ? lexiconOf(lexiconFile) : {}) };
  const weight = weightOf(expect);
  const slots = expect?.slots;
  const { interjections, expected } = languageOf(language);
  const phrases = [...(expect?.phrases ?? []), ...wake, ...interjections];
  const usual: Expected = { phrases, ...(slots ? { slots } : {}) };
  const heard = {
    sentences: expanded(usual, language),
    grammar: eitherOf([
      closedGrammar(usual, language),
      closedGrammar({ phrases: expected.always }, language),
    ]),
    weight,
    pronunciations,
    answers: Object.fromEntries(
      Object.entries(answers).map(([name, { only, ...said }]) => {
        const sentences = expandPhrases(said, language);
        return [name, { only, sentences, grammar: closedGrammar(said, language) }];
      }),
    ),
  };
  const key = createHash('sha256').update(JSON.stringify(heard)).digest('hex').slice(0, 16);
  return { key, ...heard };
}

const weightOf = (expect: Expecting | null): number =>
  expect ? (expect.weight ?? DEFAULT_WEIGHT) : ONLY_WAKE_WEIGHT;

const lexiconOf = (path: string) =>
  parseLexicon(readText(path, 'lexicon-broken'), `assistants/${basename(path)}`);

/** @throws Fault with a path into the file */
function expanded(expect: Expected, language: string): string[][] {
  try {
    return expandPhrases(expect, language);
  } catch (error) {
    throw error instanceof Fault ? new Fault(error.code, error.detail, `/expect${error.path}`) : error;
  }
}

/**
 * Names as they are written: those that the file lists, values of slots, and capitals inside expected
 * phrases.
 */
export function namesOf(names: readonly string[], expect: Expecting | null): string[] {
  const values = Object.values(expect?.slots ?? {}).flat();
  // The first word of a phrase may have its capital for being the first.
  const inside = (expect?.phrases ?? []).flatMap(
    (phrase) => phrase.match(/(?<=[\s[(|])\p{Lu}[\p{L}']*(?:\s\p{Lu}[\p{L}']*)*/gu) ?? [],
  );
  const all = [...names, ...values, ...inside].filter((name) => /^\p{Lu}/u.test(name) && name !== 'I');
  return [...new Set(all)];
}
