/** Words that were not spoken: typed, or keyed on a telephone. */
import type { Cause } from '../contract/causes.js';
import type { HappeningOf } from '../contract/happenings.js';
import type { Desk, SignalOf } from '../state/desk.js';
import * as bargeIn from '../machines/barge-in.js';
import * as endOfTurn from '../machines/end-of-turn.js';
import { callerIsThere } from '../state/floor.js';
import { newSegment, newTurn, openSegment, pauseIn, type Turn } from '../state/turn.js';
import { interrupt } from './answer-flow.js';
import { isOpen } from './errand-flow.js';

/**
 * So many characters of a turn are read; whoever goes on writing before it is answered is not read beyond.
 */
const MOST_WRITTEN = 8_000;

export function typed(desk: Desk, { text }: HappeningOf<'typed'>): void {
  written(desk, text, { kind: 'typed' });
}

/** Whoever presses a key wants to be heard. */
export function keyTouched(desk: Desk): void {
  if (!bargeIn.owesNotice(desk)) interrupt(desk, { kind: 'keyed' });
}

export function keysOver(desk: Desk, { text }: SignalOf<'keysOver'>): void {
  written(desk, text, { kind: 'keyed' });
}

/**
 * What the caller had said together with a wish that is done by now. @returns false where there is none, or
 * it is not the time
 */
export function comesToLater(desk: Desk): boolean {
  const { state } = desk;
  const { current, later } = state.errands;
  if (later.length === 0 || current || !isOpen(desk)) return false;
  const [text = '', ...rest] = later;
  state.errands = { ...state.errands, later: rest };
  state.turn = newTurn(desk.newId(), 'later');
  join(desk, state.turn, text, { kind: 'cameToLater' });
  return true;
}

/** Words that were not spoken join the turn that is being heard, or are a turn of their own. */
function written(desk: Desk, text: string, cause: Cause): void {
  const { state } = desk;
  if (!bargeIn.owesNotice(desk)) interrupt(desk, cause);
  state.turn ??= newTurn(desk.newId(), 'typed');
  callerIsThere(state.floor);
  join(desk, state.turn, text, cause);
}

function join(desk: Desk, turn: Turn, text: string, cause: Cause): void {
  const { nowMs } = desk;
  const written = turn.segments.reduce((sum, { typed }) => sum + (typed?.length ?? 0), 0);
  const room = text.trim().slice(0, Math.max(0, MOST_WRITTEN - written));
  if (room === '') return;
  const segment = newSegment(desk.newId(), nowMs, null);
  turn.segments.push({ ...segment, toMs: nowMs, final: [], typed: room });
  if (openSegment(turn)) return;
  endOfTurn.stopWaiting(desk, cause);
  turn.times.voiceEndedMs ??= nowMs;
  turn.times.endpointMs = nowMs;
  turn.times.finalMs = nowMs;
  turn.stage = { at: 'ended', cause, pause: pauseIn(turn) };
  desk.enter('working', cause);
}
