/**
 * Expected phrases: templates with alternatives `(a|b)`, parts that may be left out `[a]` and slots `<hut>`,
 * written out as plain sentences from which a small language model is made.
 */
import { Fault } from '../common/faults.js';
import type { ExpectedWords } from '../language/common/contract.js';
import { languageOf } from '../language/language.js';
import { optionsOf, Templates, type Part, type Slots } from '../language/template.js';
import { seeded } from '../common/seeded.js';

/**
 * So many sentences are drawn from each template, repeats included: every template counts alike, long or
 * short.
 */
const SENTENCES_A_TEMPLATE = 60;
const SEED = 7;

export interface Expected {
  phrases: readonly string[];
  slots?: Slots;
}

/** Words in the form in which a recogniser knows them: lower case, no marks but the apostrophe. */
export function dictionaryWords(text: string): string[] {
  return text
    .toLowerCase()
    .replace(/’/g, "'")
    .replace(/[^\p{L}\p{N}'\s]/gu, ' ')
    .split(/\s+/)
    .filter(Boolean);
}

/**
 * Sentences that stand for all that the templates allow; each is a list of dictionary words.
 * @param language BCP 47, of what open slots hold
 * @throws Fault `phrase-malformed`, with a path into `expected`, for a template that cannot be read.
 */
export function expandPhrases(expected: Expected, language: string): string[][] {
  const random = seeded(SEED);
  const { expected: heard } = languageOf(language);
  const sentences: string[][] = [];
  for (const parts of readAll(expected)) {
    for (let i = 0; i < SENTENCES_A_TEMPLATE; i++) {
      const words = draw(parts, heard, random);
      if (words.length > 0) sentences.push(words);
    }
  }
  return sentences;
}

function readAll({ phrases, slots }: Expected): Part[][] {
  const templates = new Templates(slots ?? {}, dictionaryWords);
  return phrases.map((template, i) => {
    try {
      return templates.read(template);
    } catch (error) {
      throw error instanceof Fault ? new Fault(error.code, error.detail, `/phrases/${i}`) : error;
    }
  });
}

function draw(parts: readonly Part[], words: ExpectedWords, random: () => number): string[] {
  return parts.flatMap((part) => {
    if (part.kind === 'word') return [part.word];
    if (part.kind === 'anything') return [];
    if (part.kind === 'open') return drawOpen(part, words, random);
    const options = optionsOf(part);
    return draw(options[Math.floor(random() * options.length)] ?? [], words, random);
  });
}

const USUAL_DIGITS = 4;

/**
 * What an open slot may hold, where a list stands for it well enough; any words are left to the general
 * model.
 */
function drawOpen(
  { of, length }: Extract<Part, { kind: 'open' }>,
  { digits, counts, days }: ExpectedWords,
  random: () => number,
): string[] {
  const pick = (list: readonly string[], times = 1) =>
    list.length === 0 ? [] : Array.from({ length: times }, () => list[Math.floor(random() * list.length)]!);
  if (of === 'digits') return pick(digits, length || USUAL_DIGITS);
  if (of === 'count') return pick(counts);
  return of === 'date' ? pick(days) : [];
}
