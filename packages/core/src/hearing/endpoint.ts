/**
 * When is the caller's turn over? After a wait that is decided anew with every word: short where the words and the voice
 * sound finished, long where they do not, and longer for a caller who pauses much.
 */
import type { Completeness } from '../language/contract.js';
import type { Grounds } from '../vocabulary/grounds.js';
import type { Fit } from './expectation.js';
import type { Ending } from './melody.js';

/** How complete a turn seems, and what speaks most for it. */
export interface Weighed {
  /** -1: certainly more comes; 1: certainly all. */
  score: number;
  grounds: Grounds;
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
  confidence: number | null;
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
/** What the melody adds. */
const MELODY_SCORE = { fell: 0.15, 'stayed up': -0.15 } as const;
/** So many of a caller's own pauses are needed before they count; the one that counts, as a share of all in order. */
const LEAST_PAUSES = 2;
const PAUSE_SHARE = 0.8;

/** How complete the turn seems, with the strongest reason for it. */
export function weigh({
  words,
  expects,
  expected,
  confidence,
  ending,
  uncoveredMs,
}: Omit<Evidence, 'leewayMs' | 'ownPausesMs'>): Weighed {
  let { score, sign } = words;
  let doubtful = false;
  if (expected !== null && score > -0.75) {
    const certain = expected.more ? 0.9 : 1;
    if (expected.whole && !expected.begun) [score, sign] = [certain, { sign: 'expectedPhrase' }];
    else if (expected.whole) [score, sign] = [Math.max(score, 0.7), { sign: 'expectedPhrase' }];
    else if (score < 0.8) [score, sign] = [Math.min(score, -0.7), { sign: 'expectedPhraseBegun' }];
  }
  if (expected === null && expects && score > 0) {
    const trust = confidence === null ? PROVISIONAL_SHARE : (confidence - UNSURE) / (SURE - UNSURE);
    if (trust < 0) [score, sign] = [GARBLED_SCORE, { sign: 'hardlyUnderstood' }];
    else if (trust < 1) [score, doubtful] = [score * trust, true];
  }
  if (uncoveredMs > LAGGING_MS && score > 0) [score, sign, doubtful] = [0, { sign: 'wordsLag' }, false];
  const melody = Math.abs(score) < 0.8 ? melodyOf(ending) : null;
  if (melody) score += MELODY_SCORE[melody];
  const grounds = {
    sign,
    ...(doubtful ? { doubtful } : {}),
    ...(melody && Math.abs(score) < 0.4 ? { melody } : {}),
  };
  return { score: Math.max(-1, Math.min(1, score)), grounds };
}

/** How the voice moved at its end: in semitones, and against where it usually lies. */
function melodyOf(ending: Ending | null): keyof typeof MELODY_SCORE | null {
  if (!ending || ending.moveSt === null) return null;
  if (ending.moveSt <= -2 && ending.placeSt! <= -1.5) return 'fell';
  return Math.abs(ending.moveSt) < 0.7 && ending.placeSt! > -0.5 ? 'stayed up' : null;
}

/** How long the silence may last, in ms. */
export function decideWait(evidence: Evidence): { ms: number; grounds: Grounds; completeness: number } {
  const { leewayMs, ownPausesMs } = evidence;
  const { score, grounds } = weigh(evidence);
  const share =
    score >= 0
      ? 1 - (1 - LEAST_SHARE) * Math.min(1, score / 0.9)
      : 1 + (MOST_SHARE - 1) * Math.min(1, -score / 0.9);
  let ms = leewayMs * share;
  let ownPauseMs: number | undefined;
  if (ownPausesMs.length >= LEAST_PAUSES && score < 0.5) {
    const usual = [...ownPausesMs].sort((a, b) => a - b)[Math.floor(PAUSE_SHARE * (ownPausesMs.length - 1))]!;
    const wanted = Math.min(MOST_SHARE * leewayMs, 1.25 * usual);
    if (wanted > ms) [ms, ownPauseMs] = [wanted, Math.round(usual)];
  }
  return {
    ms: Math.round(ms),
    grounds: { ...grounds, ...(ownPauseMs === undefined ? {} : { ownPauseMs }) },
    completeness: Math.round(score * 100) / 100,
  };
}
