/** While it rests: its wake phrases are listened for on this machine, and nothing else is heard. */
import { PRE_ROLL_MS } from '../../hearing/ear.js';
import type { HeardWord } from '../../vocabulary/words.js';
import type { Desk } from '../state/desk.js';
import { callerIsThere } from '../state/floor.js';
import { isAsleep } from '../state/state.js';

/**
 * A voice that does not pause is listened to in stretches of so much, each of which begins a little before
 * the last one ends, in ms.
 */
const LONGEST_WATCH_MS = 30_000;
const SHARED_MS = 2_000;

/** A voice is heard while it rests. */
export function watch(desk: Desk, atMs: number): void {
  const { state, plan } = desk;
  const { wakeEars: engine, language } = plan;
  const { wake } = plan.manners;
  if (!isAsleep(state) || state.floor.is !== 'open' || typeof wake === 'string' || engine === undefined)
    return;
  const open = state.floor.watches.find(({ closed }) => !closed);
  if (open && atMs - open.fromMs < LONGEST_WATCH_MS) return;
  endWatch(desk);
  const fromMs = Math.max(0, atMs - (open ? SHARED_MS : PRE_ROLL_MS));
  const recognition = desk.newId();
  state.floor.watches.push({ recognition, fromMs, closed: false });
  desk.order(
    {
      kind: 'openRecognition',
      recognition,
      engine,
      alone: true,
      language,
      fromMs,
      toMs: null,
      phrases: wake,
    },
    { kind: 'wakeAwaited' },
  );
}

/** The voice has ended: what there is of it is listened to to its end. */
export function endWatch(desk: Desk): void {
  for (const one of desk.state.floor.watches) {
    if (one.closed) continue;
    one.closed = true;
    const { recognition } = one;
    desk.order({ kind: 'closeRecognition', recognition, toMs: desk.nowMs }, { kind: 'voiceEnded' });
  }
}

/**
 * Words of a watch have come: whoever says a phrase wakes it.
 * @param over nothing more comes of that watch
 * @returns whether it was of a watch at all
 */
export function watched(
  desk: Desk,
  recognition: number,
  words: readonly HeardWord[],
  over: boolean,
): boolean {
  const { floor } = desk.state;
  if (!floor.watches.some((one) => one.recognition === recognition)) return false;
  if (over) floor.watches = floor.watches.filter((one) => one.recognition !== recognition);
  const last = words.at(-1);
  if (!last) return true;
  floor.wokenMs = last.toMs;
  callerIsThere(floor);
  desk.enter('listening', { kind: 'woken', words: last.word });
  return true;
}

/** Once it is awake, by whatever it was, no phrase is listened for any more. */
export function conclude(desk: Desk): void {
  const { state } = desk;
  if (state.floor.watches.length === 0 || isAsleep(state)) return;
  for (const { recognition } of state.floor.watches)
    desk.order({ kind: 'dropRecognition', recognition }, { kind: 'awake' });
  state.floor.watches = [];
}
