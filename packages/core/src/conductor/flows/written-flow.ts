/** Words that were not spoken: typed, or keyed on a telephone. */
import type { Cause } from '../contract/causes.js';
import type { HappeningOf } from '../contract/happenings.js';
import type { Desk, SignalOf } from '../desk.js';
import * as endOfTurn from '../machines/end-of-turn.js';
import { newSegment, newTurn, openSegment, pauseIn } from '../state/turn.js';
import { interrupt } from './answer-flow.js';

export function typed(desk: Desk, { text }: HappeningOf<'typed'>): void {
  written(desk, text, { kind: 'typed' });
}

/** Whoever presses a key wants to be heard. */
export function keyTouched(desk: Desk): void {
  interrupt(desk, { kind: 'keyed' });
}

export function keysOver(desk: Desk, { text }: SignalOf<'keysOver'>): void {
  written(desk, text, { kind: 'keyed' });
}

/** Words that were not spoken join the turn that is being heard, or are a turn of their own. */
function written(desk: Desk, text: string, cause: Cause): void {
  const { state, nowMs } = desk;
  interrupt(desk, cause);
  state.turn ??= newTurn(desk.newId(), 'typed');
  const { turn } = state;
  const segment = newSegment(desk.newId(), nowMs, null);
  turn.segments.push({ ...segment, toMs: nowMs, final: [], typed: text.trim() });
  state.floor.silenceNoticed = false;
  if (openSegment(turn)) return;
  endOfTurn.stopWaiting(desk, cause);
  turn.times.voiceEndedMs ??= nowMs;
  turn.times.endpointMs = nowMs;
  turn.times.finalMs = nowMs;
  turn.stage = { at: 'ended', cause, pause: pauseIn(turn) };
  desk.enter('working', cause);
}
