/** A talk with the errands of the huts, on a virtual clock. */
import type { Plan } from '../../src/conductor/contract/plan.js';
import type { Order } from '../../src/conductor/contract/orders.js';
import { ERRANDS } from './hut-errands.js';
import { planned, Stage } from './stage.js';

/** A Thursday, at ten in the morning. */
const CLOCK = { unixMs: Date.UTC(2026, 10, 26, 10), zone: 'UTC' };
export const WHOLE = 'book three bunks at rowan hut for friday under the name miller';

export function stage(other: Partial<Plan> = {}, headStarts = 0): Stage {
  const on = new Stage(planned({ headStarts }, { errands: ERRANDS, ...other }));
  // The stage has joined without a clock: another one is set as a caller's would be.
  on.conductor['state'].clock = { ...CLOCK, atMs: 0 };
  return on;
}

/** Says it, and listens to what the assistant says to it. */
export function says(on: Stage, text: string): string {
  on.wait(1_000);
  on.say(text);
  on.wait(2_500);
  on.playAll();
  return on.told('turn').at(-1)!.report.heard;
}

/** What it was told to do is done. */
export const done = (on: Stage, given: Record<string, string> = { number: '1207' }): Order[] =>
  on.happen({ kind: 'errandDone', run: on.last('doErrand').run, outcome: { ending: 'done', given } });
