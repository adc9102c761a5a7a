/**
 * The conductor's part for push-to-talk: while a key is down the caller has the floor. A tap latches: the next press ends
 * the turn, so that a line without key-up works too. Whoever lets go a little early loses nothing.
 */
import { TAIL_MS } from '../hearing/ear.js';
import type { Desk } from './desk.js';
import type { HappeningOf } from './happenings.js';
import { closeSegment, endTurn, openOne, stopWaiting } from './ending-part.js';
import { LONGEST_TURN_MS, openSegment } from './hearing-part.js';
import { interrupt, isSounding, takeBack } from './interrupting-part.js';
import { unheard } from './understanding-part.js';

/** A press shorter than this is a tap, in ms. */
export const TAP_MS = 300;
/** A voice that goes on after the release is heard for so long, in ms. */
const RELEASE_GRACE_MS = 800;

export function pressed(desk: Desk, { atMs }: HappeningOf<'pressed'>): void {
  const { state } = desk;
  if (state.press?.latched) return finish(desk, atMs, 'the key was pressed again');
  if (state.press || state.reply?.closing) return desk.ignore('pressed', 0);
  state.press = { atMs, latched: false };
  desk.setTimer('held', LONGEST_TURN_MS, 'no turn is longer');
  state.silenceNoticed = false;
  stopWaiting(desk, 'the key was pressed');
  desk.clearTimer('release', 'the key was pressed again');
  const { reply } = state;
  if (reply && !reply.hushed) {
    if (isSounding(reply)) interrupt(desk, 'the caller pressed the key');
    else takeBack(desk, 'the caller pressed the key');
  }
  if (!openOne(state.turn)) openSegment(desk, atMs);
  if (state.turn) {
    state.turn.pressed = true;
    delete state.turn.times.endpointMs;
  }
}

export function released(desk: Desk, { atMs }: HappeningOf<'released'>): void {
  const { press } = desk.state;
  if (!press || press.latched) return desk.ignore('released', 0);
  if (atMs - press.atMs < TAP_MS) press.latched = true;
  else finish(desk, atMs, 'the key was released');
}

/** A key that is held, or was tapped and forgotten. */
export function heldRang(desk: Desk): void {
  finish(desk, desk.nowMs, `the key was down for ${LONGEST_TURN_MS / 1000} s: no turn is longer`);
}

function finish(desk: Desk, atMs: number, reason: string): void {
  const { state } = desk;
  state.press = null;
  desk.clearTimer('held', reason);
  const { turn } = state;
  if (!turn) return desk.enter('listening', reason);
  if (state.voiceActive && openOne(turn))
    return desk.setTimer('release', RELEASE_GRACE_MS, 'the voice goes on: it is let finish');
  conclude(desk, atMs + TAIL_MS, reason);
}

export function releaseRang(desk: Desk): void {
  conclude(desk, desk.nowMs, 'the key was released a while ago');
}

/** No more sound belongs to the turn. */
function conclude(desk: Desk, toMs: number, reason: string): void {
  const { turn } = desk.state;
  if (!turn) return;
  const open = openOne(turn);
  if (open && turn.voicedMs + turn.stretchMs === 0 && !desk.state.voiceActive) {
    desk.order(
      { kind: 'dropRecognition', recognition: open.recognition },
      'nothing was said while the key was down',
    );
    turn.segments = turn.segments.filter((segment) => segment !== open);
    if (turn.segments.length === 0) return unheard(desk, turn);
  } else if (open) {
    closeSegment(desk, open, toMs, reason);
    turn.times.voiceEndedMs ??= desk.nowMs;
  }
  endTurn(desk, reason);
}

export function floorSet(desk: Desk, { floor }: HappeningOf<'floorSet'>): void {
  const { state } = desk;
  state.floor = floor;
  if (floor === 'open' && state.press) finish(desk, desk.nowMs, 'the floor is open');
  if (state.phase === 'listening')
    desk.enter('listening', `the floor is ${floor === 'open' ? 'open' : 'the key’s'}`);
}
