/** From an assistant's expected phrases and lexicon to what the ears need of them. */
import { createHash } from 'node:crypto';
import { basename } from 'node:path';
import {
  expandPhrases,
  ExpectedPhrases,
  Fault,
  languageOf,
  primaryOf,
  type Expected,
  type Slots,
  type Sounds,
} from '@verbalon/core';
import { pronunciationsOf, type HearingProfile } from '@verbalon/engines';
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
  answers?: HearingProfile['answers'];
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
  const phrases = [...(expect?.phrases ?? []), ...wake, ...languageOf(language).interjections];
  const sentences = expanded({ phrases, ...(slots ? { slots } : {}) }, language);
  const key = createHash('sha256')
    .update(JSON.stringify([sentences, weight, pronunciations, answers]))
    .digest('hex')
    .slice(0, 16);
  return { key, sentences, weight, pronunciations, answers };
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

/** The only language of which there is a dictionary. */
const SOUNDING = 'en';

/**
 * How the expected phrases sound; null where that is not known. @param own pronunciations that go before the
 * dictionary's
 */
export function soundsOf(
  language: string,
  expect: Expecting | null,
  own: Readonly<Record<string, string>>,
): Sounds | null {
  if (primaryOf(language) !== SOUNDING || expect === null) return null;
  const { phrases, slots } = expect;
  const words = new ExpectedPhrases({ phrases, ...(slots ? { slots } : {}) }, language).words;
  return Object.fromEntries(
    [...words].map((word) => [
      word,
      [...new Set([...(own[word] === undefined ? [] : [own[word]]), ...pronunciationsOf(word)])],
    ]),
  );
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
