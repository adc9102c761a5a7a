/**
 * When is the caller's turn over? After a wait that is decided anew with every word: short where the end is
 * probable, long where it is not, and longer for a caller who pauses much.
 */
import type { Grounds } from '../vocabulary/grounds.js';
import {
  cheapestShare,
  featuresOf,
  hundredths,
  pauseLawOf,
  probabilityAfter,
  probabilityOfEnd,
  UNKNOWN_END,
  type EndEvidence,
  type PauseLaw,
} from './probability.js';
import { groundsOf, knownEnd } from './reason.js';
import { PAUSE_LAW } from './turn-end-weights.js';

export interface Evidence extends EndEvidence {
  /** The wait where nobody can tell, in ms; all others are shares of it. */
  leewayMs: number;
  /** Pauses that this caller has made within turns, in ms. */
  ownPausesMs: readonly number[];
}

/** The least and the greatest wait, as shares of the leeway. */
const LEAST_SHARE = 0.3;
const MOST_SHARE = 2.6;
/** A caller's pauses are told as a reason where they are so much longer than everybody's. */
const LONG_PAUSES = 1.2;

/** How probable it is that the turn is over, and what speaks most for it. */
export interface Chance {
  /** At the beginning of the pause, 0 to 1; as it lasts, `law` says how it grows. */
  atFirst: number;
  law: PauseLaw;
  grounds: Grounds;
  /** What it was weighed by (END_FEATURES). */
  features: number[];
}

export function chanceOfEnd(evidence: Omit<Evidence, 'leewayMs'>): Chance {
  const features = featuresOf(evidence);
  const grounds = groundsOf(evidence);
  const hasRules = evidence.words.sign.sign !== 'noRules';
  return {
    atFirst: hasRules ? Math.max(knownEnd(grounds, evidence), probabilityOfEnd(features)) : UNKNOWN_END,
    law: pauseLawOf(evidence.ownPausesMs),
    grounds,
    features,
  };
}

export interface DecidedWait extends Chance {
  ms: number;
  /** How probable it is that the turn is over when the wait is, 0 to 1. */
  probability: number;
}

/** How long the silence may last, in ms: what costs least. */
export function decideWait(evidence: Evidence): DecidedWait {
  const { leewayMs, ownPausesMs } = evidence;
  const { grounds, atFirst, law, features } = chanceOfEnd(evidence);
  const ms = leewayMs * Math.min(MOST_SHARE, Math.max(LEAST_SHARE, cheapestShare(atFirst, law)));
  const isPatient =
    ownPausesMs.length > 0 && ms > leewayMs * LEAST_SHARE && law.medianMs > LONG_PAUSES * PAUSE_LAW.medianMs;
  return {
    ms: Math.round(ms),
    grounds: { ...grounds, ...(isPatient ? { ownPauseMs: Math.max(...ownPausesMs) } : {}) },
    probability: hundredths(probabilityAfter(atFirst, ms, law)),
    atFirst,
    law,
    features,
  };
}
