/**
 * When is the caller's turn over? After a wait that is decided anew with every word: short where the words and the voice
 * sound finished, long where they do not, and longer for a caller who pauses much.
 */
import type { Completeness } from '../language/contract.js';
import type { Grounds } from '../vocabulary/grounds.js';
import type { Ending } from './melody.js';
import { cheapestShare, featuresOf, hundredths, LAGGING_MS, pauseLawOf, probabilityAfter, probabilityOfEnd, UNKNOWN_END, type EndEvidence, type PauseLaw } from './turn-end.js'; // prettier-ignore
import { PAUSE_LAW } from './turn-end-weights.js';

/** How complete a turn seems, and what speaks most for it. */
export interface Weighed {
  /** -1: certainly more comes; 1: certainly all. */
  score: number;
  grounds: Grounds;
}

export interface Evidence extends EndEvidence {
  words: Completeness;
  /** The wait where nobody can tell, in ms; all others are shares of it. */
  leewayMs: number;
  /** Pauses that this caller has made within turns, in ms. */
  ownPausesMs: readonly number[];
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
/** What the melody adds. */
const MELODY_SCORE = { fell: 0.15, 'stayed up': -0.15 } as const;
/** A caller's pauses are told as a reason where they are so much longer than everybody's. */
const LONG_PAUSES = 1.2;

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

/** How probable it is that the turn is over, with the strongest reason in words. */
export interface Chance extends Weighed {
  /** At the beginning of the pause, 0 to 1; as it lasts, `law` says how it grows. */
  atFirst: number;
  law: PauseLaw;
  /** What it was weighed by (END_FEATURES). */
  features: number[];
}

/** Short answers to what was just asked are whole, however short they are. */
const ANSWERS: readonly Grounds['sign']['sign'][] = [
  'answersQuestion',
  'numberAskedFor',
  'dayAskedFor',
  'nameAskedFor',
  'slotAskedFor',
];
/**
 * Rules that know better than the weights, each with how probable the end is then (on the tuning half they were right in 31 of 31 and
 * in 73 of 74 pauses): an answer; words that close a saying ("please"); an expected phrase to which nothing can be added.
 */
const ANSWERED = 0.996;
const CLOSED = 0.97;
const PHRASED = 0.99;
const CLOSING_SCORE = 0.8;
/** Shorter ones may be the beginning of another sentence, in ms. */
const LEAST_PHRASE_MS = 1_200;

function knownEnd({ score, grounds }: Weighed, { expected, lastedMs, uncoveredMs }: EndEvidence): number {
  const { sign } = grounds.sign;
  if (uncoveredMs > LAGGING_MS) return 0;
  if (ANSWERS.includes(sign)) return ANSWERED;
  if (expected?.whole && !expected.begun && !expected.more && lastedMs >= LEAST_PHRASE_MS) return PHRASED;
  return sign === 'endsWith' && score >= CLOSING_SCORE ? CLOSED : 0;
}

export function chanceOfEnd(evidence: Omit<Evidence, 'leewayMs'>): Chance {
  const weighed = weigh(evidence);
  const features = featuresOf(evidence);
  return {
    ...weighed,
    atFirst: weighed.grounds.sign.sign === 'noRules' ? UNKNOWN_END : Math.max(knownEnd(weighed, evidence), probabilityOfEnd(features)), // prettier-ignore
    law: pauseLawOf(evidence.ownPausesMs),
    features,
  };
}

export interface DecidedWait extends Pick<Chance, 'grounds' | 'atFirst' | 'law' | 'features'> {
  ms: number;
  completeness: number;
  /** How probable it is that the turn is over when the wait is, 0 to 1. */
  probability: number;
}

/** How long the silence may last, in ms: what costs least. */
export function decideWait(evidence: Evidence): DecidedWait {
  const { leewayMs, ownPausesMs } = evidence;
  const { score, grounds, atFirst, law, features } = chanceOfEnd(evidence);
  const ms = leewayMs * Math.min(MOST_SHARE, Math.max(LEAST_SHARE, cheapestShare(atFirst, law)));
  const isPatient = ownPausesMs.length > 0 && ms > leewayMs * LEAST_SHARE && law.medianMs > LONG_PAUSES * PAUSE_LAW.medianMs; // prettier-ignore
  return {
    ms: Math.round(ms),
    grounds: { ...grounds, ...(isPatient ? { ownPauseMs: Math.max(...ownPausesMs) } : {}) },
    completeness: hundredths(score),
    probability: hundredths(probabilityAfter(atFirst, ms, law)),
    atFirst,
    law,
    features,
  };
}
