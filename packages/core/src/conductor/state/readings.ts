/**
 * What the words of a turn say: whether they are expected, and how complete they seem. Read once and kept.
 */
import { ExpectedPhrases, type Fit } from '../../hearing/expectation.js';
import type { Completeness } from '../../language/common/contract.js';
import { languageOf } from '../../language/language.js';
import type { Plan } from '../contract/plan.js';

/** Read once for each plan. */
const expectedOf = new WeakMap<Plan, ExpectedPhrases>();

export function expectedIn(plan: Plan): ExpectedPhrases {
  const known = expectedOf.get(plan) ?? new ExpectedPhrases(plan.expect, plan.language);
  expectedOf.set(plan, known);
  return known;
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
