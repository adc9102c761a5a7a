/**
 * What the words of a turn say: whether they are expected, and how complete they seem. Read once and kept.
 */
import { bySound } from '../../hearing/by-sound.js';
import { ExpectedPhrases, type Fit } from '../../hearing/expectation.js';
import { PhraseSounds } from '../../hearing/phrase-sounds.js';
import type { Completeness } from '../../language/common/contract.js';
import { languageOf } from '../../language/language.js';
import type { HeardWord } from '../../vocabulary/words.js';
import type { Plan } from '../contract/plan.js';

/** Read once for each plan. */
const expectedOf = new WeakMap<Plan, ExpectedPhrases>();
const soundsOf = new WeakMap<Plan, { phrases: PhraseSounds; weighty: ReadonlySet<string> }>();

export function expectedIn(plan: Plan): ExpectedPhrases {
  const known = expectedOf.get(plan) ?? new ExpectedPhrases(plan.expect, plan.language);
  expectedOf.set(plan, known);
  return known;
}

/**
 * Final words, put right where an expected phrase sounds like them. @param before the turn's final words so
 * far
 */
export function settledWords(
  plan: Plan,
  before: readonly HeardWord[],
  words: readonly HeardWord[],
): HeardWord[] {
  if (!plan.sounds) return [...words];
  let known = soundsOf.get(plan);
  if (!known) {
    const { corrections = [], negations = [] } = languageOf(plan.language).errands ?? {};
    known = {
      phrases: new PhraseSounds(plan.expect, plan.sounds),
      weighty: new Set([...corrections, ...negations]),
    };
    soundsOf.set(plan, known);
  }
  return bySound(known.phrases, before, words, known.weighty);
}

export interface Reading {
  key: string;
  words: Completeness;
  expected: Fit | null;
}

/** The last words read for a plan: the same ones are weighed after every happening. */
const lastRead = new WeakMap<Plan, Reading>();

/** @param asked what the assistant said last */
export function readingOf(plan: Plan, words: readonly string[], asked: string): Reading {
  const key = `${words.join(' ')}\n${asked}`;
  const last = lastRead.get(plan);
  if (last?.key === key) return last;
  const reading = {
    key,
    words: languageOf(plan.language).completeness(words, plan.names, asked),
    expected: expectedIn(plan).match(words),
  };
  lastRead.set(plan, reading);
  return reading;
}
