/**
 * The heard ledger: which words of a phrase the caller really heard. A word counts when its end was played.
 */

import type { WordTime } from '../vocabulary/words.js';

/** Words of `text` that had ended when `playedMs` of the phrase were played. */
export function heardWords(words: readonly WordTime[], playedMs: number): string[] {
  return words.filter(({ endMs }) => endMs <= playedMs).map(({ word }) => word);
}

/**
 * Word times for an engine that gives none: spread over the audio by letters. An estimate, and to be marked
 * as one.
 */
export function estimateWordTimes(text: string, audioMs: number): WordTime[] {
  const words = text.split(/\s+/).filter(Boolean);
  const letters = words.map((word) => word.length + 1);
  const all = letters.reduce((sum, n) => sum + n, 0);
  let before = 0;
  return words.map((word, i) => {
    before += letters[i]!;
    return { word, endMs: Math.floor((audioMs * before) / all) };
  });
}

/**
 * Silence after a phrase before the next one, in ms: a breath, longer after a sentence than after a clause.
 */
export function pauseAfter(phrase: string): number {
  if (/[.!?…]["')\]]*$/.test(phrase)) return 260;
  return /[,;:]["')\]]*$/.test(phrase) ? 120 : 40;
}
