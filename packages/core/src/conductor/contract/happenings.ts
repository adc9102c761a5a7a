/**
 * All that can happen in a conversation. `nowMs` is the time on the caller's axis at which it reached the
 * conductor.
 */
import type { RunOutcome } from '../../errands/contract.js';
import type { SlotValue } from '../../slots/common/slot.js';
import type { Ending } from '../../hearing/melody.js';
import type { Call } from '../../thinking/history.js';
import type { EngineRole } from '../../vocabulary/engines.js';
import type { HeardWord, WordTime } from '../../vocabulary/words.js';
import type { Leaving } from './causes.js';
import type { Floor, Plan } from './plan.js';

/** The time of day at a place: `unixMs` since 1970-01-01T00:00Z, `zone` of the IANA database. */
export interface Clock {
  unixMs: number;
  zone: string;
}

/** How a telephone call stands, in the order in which it usually goes. */
export const CALL_STAGES = ['ringing', 'connected', 'on hold', 'taken up', 'moved', 'ended'] as const;
export type CallStage = (typeof CALL_STAGES)[number];

type What =
  // The line.
  /** `clock`: what the time is there, and where that is; without it, it is the beginning of 1970. */
  | { kind: 'joined'; plan: Plan; clock?: Clock }
  | { kind: 'left'; how: Leaving }
  | { kind: 'typed'; text: string }
  /** A key of a telephone: a digit, `*` or `#`. */
  | { kind: 'keyed'; key: string }
  /** How the telephone call stands; `detail`: with whom, by whom or why. */
  | { kind: 'phoned'; stage: CallStage; detail: string }
  /** No person took over. */
  | { kind: 'notHandedOver'; detail: string }
  /** A person talks with the caller from now on; the assistant only listens. */
  | { kind: 'tookOver'; name: string }
  /** … and does not any more. */
  | { kind: 'gaveBack' }
  /** `by`: whoever it is, where it is not the caller. */
  | { kind: 'pressed'; atMs: number; by?: string }
  | { kind: 'released'; atMs: number }
  | { kind: 'floorSet'; floor: Floor }
  | { kind: 'hushAsked' }
  | { kind: 'freshAsked' }
  /**
   * The line played `speech` up to `playedMs` of its audio; the caller's axis stood at `atMs`. `flushed`:
   * nothing more of it will be played.
   */
  | { kind: 'played'; speech: number; playedMs: number; atMs: number; flushed: boolean }
  /** The line has ducked our voice by itself because it heard one; the conductor decides what it is. */
  | { kind: 'ducked'; atMs: number }
  // The ear.
  | { kind: 'voiceBegan'; atMs: number }
  | { kind: 'voiceGoes'; atMs: number; voicedMs: number; pitchedMs: number }
  | { kind: 'voicePaused'; atMs: number; voicedMs: number; pitchedMs: number; ending: Ending }
  | { kind: 'voiceEnded'; atMs: number; voicedMs: number; pitchedMs: number }
  // Recognition.
  | { kind: 'partial'; recognition: number; words: HeardWord[] }
  | { kind: 'final'; recognition: number; words: HeardWord[]; alternatives: string[] }
  | { kind: 'recognitionTrouble'; recognition: number; code: string; detail: string }
  // Thinking.
  | { kind: 'piece'; thought: number; text: string }
  /**
   * The model wants a function called; its answer ends with that, and goes on when it is told what came of
   * it.
   */
  | { kind: 'called'; thought: number; call: Call }
  /** `closes`: the engine wants the talk to end after it, or a person to take over. */
  | { kind: 'thoughtDone'; thought: number; closes?: 'end' | 'hand over' }
  /** It takes longer than it usually does, and another engine may be asked beside it. */
  | { kind: 'thoughtLate'; thought: number }
  | { kind: 'thoughtTrouble'; thought: number; code: string; detail: string }
  // Synthesis. `audioMs`: how much of the phrase there is by now, its pause included when `done`.
  | { kind: 'audio'; speech: number; audioMs: number; words: WordTime[]; estimated: boolean; done: boolean }
  | { kind: 'synthesisTrouble'; speech: number; code: string; detail: string }
  // Errands.
  /** What was ordered to be done is done, or not. */
  | { kind: 'errandDone'; run: number; outcome: RunOutcome }
  /** The caller has written a value into the form of the errand that goes on. */
  | { kind: 'wrote'; slot: string; value: SlotValue }
  /** Messages of an earlier talk did not arrive, or may not have. */
  | { kind: 'undelivered'; names: string[]; unsure: string[] }
  // Engines.
  /** The talk is to end, because of what it costs. */
  | { kind: 'closeAsked'; detail: string }
  | { kind: 'swapAsked'; role: EngineRole; engine: string }
  /** From now on it hears and speaks these languages (BCP 47), and these engines know them. */
  | { kind: 'languageSet'; hears: string; speaks: string; lineup: Record<EngineRole, string[]> }
  /** An engine is to be left alone, or (null) to be used again. */
  | { kind: 'engineIs'; engine: string; resting: string | null }
  // Timers.
  | { kind: 'rang'; timer: number };

export type Happening = What & { nowMs: number };
export type HappeningOf<K extends Happening['kind']> = Extract<Happening, { kind: K }>;
/** A happening before its time is put to it. */
export type Unstamped = Happening extends infer H ? (H extends Happening ? Omit<H, 'nowMs'> : never) : never;
