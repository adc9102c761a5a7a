/** From an assistant's expected phrases and lexicon to what the ears need of them. */
import { createHash } from 'node:crypto';
import { XMLParser } from 'fast-xml-parser';
import { dictionaryWords, expandPhrases, ExpectedPhrases, Fault, languageOf, primaryOf, type Expected, type Sounds } from '@verbalon/core'; // prettier-ignore
import { pronunciationsOf, type HearingProfile } from '@verbalon/engines';
import type { AssistantFile } from '@verbalon/protocol';

import { ProblemError } from '../problems.js';
import { readText } from './read-yaml.js';

const DEFAULT_WEIGHT = 0.3;
/** … of an assistant that expects nothing but to be woken. */
const ONLY_WAKE_WEIGHT = 0.1;

interface Lexicon {
  lexicon?: { '@alphabet'?: string; lexeme?: { grapheme?: string[]; phoneme?: string[] }[] };
}

/** Pronunciations of a W3C PLS file (version 1.0) in ARPAbet. */
function readLexicon(file: string): Record<string, string> {
  const parser = new XMLParser({
    ignoreAttributes: false,
    attributeNamePrefix: '@',
    isArray: (name) => ['lexeme', 'grapheme', 'phoneme'].includes(name),
  });
  const text = readText(file, 'assistant-broken');
  let root: Lexicon['lexicon'];
  try {
    root = (parser.parse(text, true) as Lexicon).lexicon;
  } catch (error) {
    throw new ProblemError('assistant-broken', `${file}: ${(error as Error).message}`);
  }
  if (root?.['@alphabet'] !== 'x-arpabet') {
    throw new ProblemError('assistant-broken', `${file}: its alphabet must be "x-arpabet"`);
  }
  const found: Record<string, string> = Object.create(null) as Record<string, string>;
  for (const { grapheme = [], phoneme = [] } of root.lexeme ?? []) {
    for (const word of grapheme) if (phoneme[0]) found[dictionaryWords(word).join(' ')] = phoneme[0].trim();
  }
  return found;
}

/** What callers are likely to say, and how much that weighs. */
export type Expecting = Exclude<NonNullable<AssistantFile['expect']>, string>;

/** What is asked for, and how names of contacts sound. */
export interface Asked {
  answers?: HearingProfile['answers'];
  sounds?: Readonly<Record<string, string>>;
}

/** Null for an assistant without expected phrases. @throws Fault with the path of a phrase that is wrong, ProblemError for the lexicon */
export function hearingProfile(
  { language, manners }: Pick<AssistantFile, 'language' | 'manners'>,
  expect: Expecting | null,
  lexiconFile: string | null,
  { answers = {}, sounds = {} }: Asked = {},
): HearingProfile | null {
  const wake = Array.isArray(manners?.wake) ? manners.wake : [];
  if ((expect?.phrases ?? wake).length === 0) return null;
  const pronunciations = { ...sounds, ...(lexiconFile ? readLexicon(lexiconFile) : {}) };
  const weight = expect?.weight ?? (expect ? DEFAULT_WEIGHT : ONLY_WAKE_WEIGHT);
  const slots = expect?.slots;
  const phrases = [...(expect?.phrases ?? []), ...wake, ...languageOf(language).interjections];
  const sentences = expanded({ phrases, ...(slots ? { slots } : {}) });
  const key = createHash('sha256')
    .update(JSON.stringify([sentences, weight, pronunciations, answers]))
    .digest('hex')
    .slice(0, 16);
  return { key, sentences, weight, pronunciations, answers };
}

/** @throws Fault with a path into the file */
function expanded(expect: Expected): string[][] {
  try {
    return expandPhrases(expect);
  } catch (error) {
    throw error instanceof Fault ? new Fault(error.code, error.detail, `/expect${error.path}`) : error;
  }
}

/** The only language of which there is a dictionary. */
const SOUNDING = 'en';

/** How the expected phrases sound; null where that is not known. @param own pronunciations that go before the dictionary's */
export function soundsOf(
  language: string,
  expect: Expecting | null,
  own: Readonly<Record<string, string>>,
): Sounds | null {
  if (primaryOf(language) !== SOUNDING || expect === null) return null;
  const { phrases, slots } = expect;
  const words = new ExpectedPhrases({ phrases, ...(slots ? { slots } : {}) }).words;
  return Object.fromEntries(
    [...words].map((word) => [
      word,
      [...new Set([...(own[word] === undefined ? [] : [own[word]]), ...pronunciationsOf(word)])],
    ]),
  );
}

/** Names as they are written: those that the file lists, values of slots, and capitals inside expected phrases. */
export function namesOf(names: readonly string[], expect: Expecting | null): string[] {
  const values = Object.values(expect?.slots ?? {}).flat();
  // The first word of a phrase may have its capital for being the first.
  const inside = (expect?.phrases ?? []).flatMap(
    (phrase) => phrase.match(/(?<=[\s[(|])\p{Lu}[\p{L}']*(?:\s\p{Lu}[\p{L}']*)*/gu) ?? [],
  );
  const all = [...names, ...values, ...inside].filter((name) => /^\p{Lu}/u.test(name) && name !== 'I');
  return [...new Set(all)];
}
