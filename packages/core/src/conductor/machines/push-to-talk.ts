/**
 * Push-to-talk: while a key is down the caller has the floor. A tap latches: the next press ends the turn, so
 * that a line without key-up works too. Whoever lets go a little early loses nothing.
 */
import type { Cause } from '../contract/causes.js';
import type { HappeningOf } from '../contract/happenings.js';
import type { Floor } from '../contract/plan.js';
import type { Desk } from '../state/desk.js';
import { callerIsThere } from '../state/floor.js';
import { currentAnswer, isAsleep } from '../state/state.js';

/** A press shorter than this is a tap, in ms. */
export const TAP_MS = 300;
/** A voice that goes on after the release is heard for so long, in ms. */
const RELEASE_GRACE_MS = 800;
/** No key holds the floor for longer, in ms. */
const LONGEST_PRESS_MS = 180_000;

export function pressed(desk: Desk, { atMs, by }: HappeningOf<'pressed'>): void {
  const { state } = desk;
  const { floor } = state;
  if (currentAnswer(state)?.closing) return desk.ignore('pressed', 0);
  floor.speaker = by ?? null;
  if (floor.is === 'once' || isAsleep(state)) return tapped(desk);
  if (floor.press?.latched) return up(desk, atMs, { kind: 'keyPressedAgain' });
  if (floor.press) return desk.ignore('pressed', 0);
  floor.press = { atMs, latched: false };
  callerIsThere(floor);
  desk.setTimer('held', LONGEST_PRESS_MS, { kind: 'noTurnIsLonger' });
  desk.clearTimer('release', { kind: 'keyPressedAgain' });
  desk.raise({ kind: 'keyDown', atMs });
}

/** The floor is opened until the turn is over; tapped once more, the turn is. */
function tapped(desk: Desk): void {
  const { floor, turn } = desk.state;
  callerIsThere(floor);
  if (!floor.opened) {
    floor.opened = true;
    return desk.raise({ kind: 'floorOpened' });
  }
  const cause: Cause = { kind: 'keyPressedAgain' };
  if (turn) return desk.raise({ kind: 'turnEnded', cause });
  floor.opened = false;
  desk.enter('listening', cause);
}

export function released(desk: Desk, { atMs }: HappeningOf<'released'>): void {
  const { press } = desk.state.floor;
  if (!press || press.latched) return desk.ignore('released', 0);
  if (atMs - press.atMs < TAP_MS) press.latched = true;
  else up(desk, atMs, { kind: 'keyReleased' });
}

/** A key that is held, or was tapped and forgotten. */
export function heldRang(desk: Desk): void {
  up(desk, desk.nowMs, { kind: 'keyDownTooLong', s: LONGEST_PRESS_MS / 1000 });
}

export function floorSet(desk: Desk, { floor: wanted }: HappeningOf<'floorSet'>): void {
  const { floor, phase } = desk.state;
  floor.is = wanted;
  const cause: Cause = { kind: 'floorIs', floor: wanted };
  floor.opened = false;
  if (phase === 'listening' || phase === 'resting') desk.enter('listening', cause);
  if (wanted !== 'press' && floor.press) up(desk, desk.nowMs, cause);
}

/** The talk begins with this floor. */
export function begin({ state }: Desk, floor: Floor): void {
  state.floor.is = floor;
}

/** The turn is over, or nobody spoke: what was opened for it is shut; whoever pressed has had their turn. */
export function shut({ state: { floor } }: Desk): void {
  floor.opened = false;
  if (!floor.press) floor.speaker = null;
}

/** A key that is down counts no more. */
export function forget({ state }: Desk): void {
  state.floor.press = null;
}

function up(desk: Desk, atMs: number, cause: Cause): void {
  desk.state.floor.press = null;
  desk.clearTimer('held', cause);
  desk.raise({ kind: 'keyUp', atMs, cause });
}

/** The voice may finish what it is saying. */
export function grantGrace(desk: Desk): void {
  desk.setTimer('release', RELEASE_GRACE_MS, { kind: 'voiceMayFinish' });
}

export function releaseRang(desk: Desk): void {
  desk.raise({ kind: 'graceOver' });
}
