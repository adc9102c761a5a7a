/**
 * Who has the floor: the caller's voice, the key, and what comes over the assistant's voice. Each field is
 * written by the machine that owns it; what several machines come upon is a function here.
 */
import type { Floor } from '../contract/plan.js';

/** A voice over the assistant, of which it is not decided yet what it is. */
export interface Overlap {
  /** How much voice there was since it began, in ms, and how much of that had a pitch. */
  voicedMs: number;
  pitchedMs: number;
  ducked: boolean;
}

export interface Watch {
  recognition: number;
  fromMs: number;
  /** Its sound has all come. */
  closed: boolean;
}

export interface FloorState {
  // listening.ts
  voiceActive: boolean;
  /**
   * A turn that was too long has ended while this voice went on: what more it says is not heard before it
   * pauses.
   */
  voiceUnheeded: boolean;
  /** The line was told that it began, and not yet that it ended. */
  voiceTold: boolean;
  // push-to-talk.ts
  is: Floor;
  /** Whoever pressed last, where that was not the caller. */
  speaker: string | null;
  /** The key that is down; `latched`: it was only tapped, and the next press ends the turn. */
  press: { atMs: number; latched: boolean } | null;
  /** A press has opened it for one turn. */
  opened: boolean;
  // keypad.ts
  /** Digits that were keyed, and are no answer yet. */
  keyed: string;
  // barge-in.ts
  overlap: Overlap | null;
  // waking.ts
  /** While it rests: stretches of voice in which its wake phrases are listened for. */
  watches: Watch[];
  /** Where the phrase ended that woke it, in ms: what comes before is not part of a turn. */
  wokenMs: number;
  // answer-flow.ts
  /** What the assistant said last, and when that ended. */
  lastSaid: { text: string; atMs: number };
  // talk-flow.ts
  /** The person who talks with the caller in the assistant's place. */
  person: string | null;
  // The functions below.
  /** What of the voice that is heard now was a backchannel, and does not count for what follows, in ms. */
  nodded: { voicedMs: number; pitchedMs: number };
  /** The assistant has already asked whether anybody is there. */
  silenceNoticed: boolean;
}

/** The caller has shown to be there: by voice, by a key, or in writing. */
export function callerIsThere(floor: FloorState): void {
  floor.silenceNoticed = false;
}

/** Whether anybody is there need not be asked any more. */
export function noticeSilence(floor: FloorState): void {
  floor.silenceNoticed = true;
}

/** Another voice begins, of which nothing was a backchannel yet. */
export function forgetNods(floor: FloorState): void {
  floor.nodded = { voicedMs: 0, pitchedMs: 0 };
}

/** What there was of this voice so far was a backchannel. */
export function countNod({ nodded }: FloorState, { voicedMs, pitchedMs }: Overlap): void {
  nodded.voicedMs += voicedMs;
  nodded.pitchedMs += pitchedMs;
}

export function newFloor(): FloorState {
  return {
    is: 'open',
    voiceActive: false,
    voiceUnheeded: false,
    voiceTold: false,
    person: null,
    speaker: null,
    press: null,
    keyed: '',
    opened: false,
    overlap: null,
    nodded: { voicedMs: 0, pitchedMs: 0 },
    watches: [],
    wokenMs: 0,
    lastSaid: { text: '', atMs: -1e9 },
    silenceNoticed: false,
  };
}
