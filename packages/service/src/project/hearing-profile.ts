/** From an assistant's expected phrases and lexicon to what the ears need of them. */
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { XMLParser } from 'fast-xml-parser';
import { dictionaryWords, expandPhrases, Fault } from '@verbalon/core';
import type { HearingProfile } from '@verbalon/engines';
import type { AssistantFile } from '@verbalon/protocol';
import { ProblemError } from '../problems.js';

const DEFAULT_WEIGHT = 0.3;

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
  let root: Lexicon['lexicon'];
  try {
    root = (parser.parse(readFileSync(file, 'utf8'), true) as Lexicon).lexicon;
  } catch (error) {
    throw new ProblemError('assistant-broken', `${file}: ${(error as Error).message}`);
  }
  if (root?.['@alphabet'] !== 'x-arpabet') {
    throw new ProblemError('assistant-broken', `${file}: its alphabet must be "x-arpabet"`);
  }
  const found: Record<string, string> = {};
  for (const { grapheme = [], phoneme = [] } of root.lexeme ?? []) {
    for (const word of grapheme) if (phoneme[0]) found[dictionaryWords(word).join(' ')] = phoneme[0].trim();
  }
  return found;
}

/** Null for an assistant without expected phrases. */
export function hearingProfile(file: AssistantFile, lexiconFile: string | null): HearingProfile | null {
  if (!file.expect) return null;
  const pronunciations = lexiconFile ? readLexicon(lexiconFile) : {};
  const weight = file.expect.weight ?? DEFAULT_WEIGHT;
  try {
    const sentences = expandPhrases(file.expect);
    const key = createHash('sha256')
      .update(JSON.stringify([sentences, weight, pronunciations]))
      .digest('hex')
      .slice(0, 16);
    return { key, sentences, weight, pronunciations };
  } catch (error) {
    if (error instanceof Fault) throw new ProblemError('assistant-broken', `expect: ${error.detail}`);
    throw error;
  }
}
