/** The conductor's part for the pace of the talk: a few words when an answer takes long, and how fast the voice speaks. */
import { advance, newSpeech } from './answering-part.js';
import type { Desk } from './desk.js';
import { isSounding } from './interrupting-part.js';

/** A usual pace, in words a second: ours at its own rate. */
const USUAL_PACE = 2.9;
/** The voice follows the caller's pace half the way, within these bounds. */
const SLOWEST = 0.85;
const FASTEST = 1.15;

/** How fast the next phrase is spoken; 1 is the voice's own rate. */
export function paceOf({ state, plan }: Desk): number {
  if (!plan.manners.followPace || state.pace === null) return 1;
  const half = 1 + (state.pace / USUAL_PACE - 1) / 2;
  return Math.round(100 * Math.max(SLOWEST, Math.min(FASTEST, half))) / 100;
}

/** An answer has been asked for: should it take long, the caller is told to wait, but never twice in a row. */
export function awaitFiller(desk: Desk): void {
  const { state, plan } = desk;
  const { fillerAfterMs } = plan.manners;
  const wasFilled = state.filled;
  state.filled = false;
  if (fillerAfterMs === 0 || wasFilled || plan.sayings.filler === '') return;
  desk.setTimer('filler', fillerAfterMs, 'the answer may take long');
}

export function fillerRang(desk: Desk): void {
  const { state, plan } = desk;
  const { reply } = state;
  if (!reply || reply.hushed || isSounding(reply)) return;
  state.filled = true;
  reply.speeches.unshift(newSpeech(desk, plan.sayings.filler, true));
  advance(desk, { reply, how: 'given' });
}
