/** What a turn was, and how long each part of it took. */
import type { Gap, TurnTimes } from '../../measure/turn-times.js';
import type { RunEnding, RunStage } from '../../errands/contract.js';
import type { EngineRole } from '../../vocabulary/engines.js';
import type { Cause } from './causes.js';

/**
 * Who began a turn. `resumed`: the assistant takes up again what a noise had stopped; `errand`: it tells what
 * came of one.
 */
export type TurnSource = 'voice' | 'typed' | 'greeting' | 'silence' | 'resumed' | 'errand' | 'later';

/** How long the silence at the end of a turn was to last, and why. */
export interface Wait {
  ms: number;
  cause: Cause;
  /** How probable the end was when the pause began, 0 to 1; 1 where the caller ended it himself. */
  atFirst: number;
  /**
   * How probable it is that the turn is over when the wait is, 0 to 1; how that grew since the pause began;
   * what it was weighed by (END_FEATURES).
   */
  probability?: number;
  growth?: Grown[];
  features?: readonly number[];
}

/** After so much of the pause the end was so probable, 0 to 1. */
export interface Grown {
  ms: number;
  probability: number;
}

/** An engine took over from another one. */
export interface Relief {
  role: EngineRole;
  from: string;
  to: string;
  cause: Cause;
}

export interface TurnReport {
  turn: number;
  /** Who began it: the caller by voice or keyboard, or the assistant with its greeting or after a silence. */
  source: TurnSource;
  text: string;
  /** Whoever spoke, where it was not the caller. */
  by?: string;
  /** The words as they were recognised; equal to `text` but for its written form. */
  spoken: string;
  /** All that the model wrote, and what of it the caller heard. */
  generated: string;
  heard: string;
  answered: boolean;
  interrupted: Cause | null;
  /** A code of the catalogue of problems. */
  trouble: string | null;
  /** The words' end times of a phrase were estimated, so `heard` is too. */
  estimated: boolean;
  wait: Wait | null;
  /** How often thinking began before the turn was over, and whether the last time was of use. */
  headStarts: { begun: number; kept: boolean };
  times: TurnTimes;
  gap: Gap | null;
  flicker: number;
  corrections: number;
  /** Words that were put right by their sound, and what the engine had heard; not there where none were. */
  bySound?: { put: string; heard: string }[];
  reliefs: Relief[];
  /** Errands that it was about, and how they stood after it. */
  errands?: { run: number; errand: string; stage: RunStage | RunEnding }[];
}
