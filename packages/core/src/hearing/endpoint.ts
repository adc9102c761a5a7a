/**
 * When is the caller's turn over? After a wait that is decided anew with every word: short where the words and the voice
 * sound finished, long where they do not, and longer for a caller who pauses much.
 */
import type { Completeness } from '../language/language.js';
import type { Fit } from './expectation.js';
import type { Ending } from './melody.js';

export interface Wait {
  ms: number;
  /** For a person to read, in the journal and on the strip. */
  reason: string;
  /** How complete the turn seemed, -1 to 1. */
  completeness: number;
}

export interface Evidence {
  /** The wait where nobody can tell, in ms; all others are shares of it. */
  leewayMs: number;
  words: Completeness;
  /** Whether the assistant expects phrases at all, and how the words fit them. */
  expects: boolean;
  expected: Fit | null;
  ending: Ending | null;
  /** Pauses that this caller has made within turns, in ms. */
  ownPausesMs: readonly number[];
  /** How sure recognition is of the words, 0 to 1; null while they are provisional. */
  sureness: number | null;
  /** Voice that no word covers yet, in ms: recognition is behind. */
  uncoveredMs: number;
}

/** The least and the greatest wait, as shares of the leeway. */
const LEAST_SHARE = 0.3;
const MOST_SHARE = 2.6;
/**
 * What seems complete but is nothing that is expected may be misheard: it counts for nothing when recognition is less sure
 * than the first of these, and fully from the second on; provisional words, of which nobody knows, count so much.
 */
const UNSURE = 0.6;
const SURE = 0.85;
const PROVISIONAL_SHARE = 0.3;
/** Words as unsure as that tell nothing; more may come than was understood. */
const GARBLED_SCORE = -0.15;
/** Words that lag this much behind the voice may not be all of them, in ms. */
const LAGGING_MS = 350;
/** So many of a caller's own pauses are needed before they count; the one that counts, as a share of all in order. */
const LEAST_PAUSES = 2;
const PAUSE_SHARE = 0.8;

/** How complete the turn seems, with the strongest reason for it. */
export function weigh({
  words,
  expects,
  expected,
  sureness,
  ending,
  uncoveredMs,
}: Omit<Evidence, 'leewayMs' | 'ownPausesMs'>): Completeness {
  let { score, because } = words;
  if (expected !== null && score > -0.75) {
    const certain = expected.more ? 0.9 : 1;
    if (expected.whole && !expected.begun)
      [score, because] = [certain, 'it is a phrase that is expected here'];
    else if (expected.whole)
      [score, because] = [Math.max(score, 0.7), 'it is a phrase that is expected here'];
    else if (score < 0.8) [score, because] = [Math.min(score, -0.7), 'an expected phrase has only begun'];
  }
  if (expected === null && expects && score > 0) {
    const trust = sureness === null ? PROVISIONAL_SHARE : (sureness - UNSURE) / (SURE - UNSURE);
    if (trust < 0) [score, because] = [GARBLED_SCORE, 'it was hardly understood'];
    else if (trust < 1) [score, because] = [score * trust, `${because}, if it was understood rightly`];
  }
  if (uncoveredMs > LAGGING_MS && score > 0) [score, because] = [0, 'the last words are not known yet'];
  const melody = melodyOf(ending);
  if (melody.score !== 0 && Math.abs(score) < 0.8) {
    score += melody.score;
    if (Math.abs(score) < 0.4) because = `${because}, and ${melody.because}`;
  }
  return { score: Math.max(-1, Math.min(1, score)), because };
}

function melodyOf(ending: Ending | null): Completeness {
  if (!ending || ending.moveSt === null) return { score: 0, because: '' };
  if (ending.moveSt <= -2 && ending.placeSt! <= -1.5) return { score: 0.15, because: 'the voice fell' };
  if (Math.abs(ending.moveSt) < 0.7 && ending.placeSt! > -0.5)
    return { score: -0.15, because: 'the voice stayed up' };
  return { score: 0, because: '' };
}

export function decideWait(evidence: Evidence): Wait {
  const { leewayMs, ownPausesMs } = evidence;
  const { score, because } = weigh(evidence);
  const share =
    score >= 0
      ? 1 - (1 - LEAST_SHARE) * Math.min(1, score / 0.9)
      : 1 + (MOST_SHARE - 1) * Math.min(1, -score / 0.9);
  let ms = leewayMs * share;
  let reason = because;
  if (ownPausesMs.length >= LEAST_PAUSES && score < 0.5) {
    const usual = [...ownPausesMs].sort((a, b) => a - b)[Math.floor(PAUSE_SHARE * (ownPausesMs.length - 1))]!;
    const wanted = Math.min(MOST_SHARE * leewayMs, 1.25 * usual);
    if (wanted > ms) [ms, reason] = [wanted, `${because}; this caller pauses for ${Math.round(usual)} ms`];
  }
  return { ms: Math.round(ms), reason, completeness: Math.round(score * 100) / 100 };
}
