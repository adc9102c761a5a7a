/**
 * The end of a talk by the assistant: goodbye was said, and the farewell was played; or the talk must end.
 */
import type { Desk } from '../state/desk.js';
import * as generation from '../machines/generation.js';
import * as listening from '../machines/listening.js';
import * as speech from '../machines/speech.js';

export function hangUp(desk: Desk): void {
  const { state } = desk;
  const cause = state.mustEnd ?? { kind: 'goodbyeSaid' };
  listening.dropAll(desk, state.turn, cause);
  for (const answer of state.answers) {
    generation.drop(desk, answer, cause);
    // What was hushed before is not said any more.
    if (answer.stage.at === 'live' || answer.stage.at === 'speculative') speech.drop(desk, answer, cause);
  }
  desk.clearAllTimers(cause);
  desk.tell({ kind: 'farewell', cause }, cause);
  desk.order({ kind: 'hangUp' }, cause);
  state.ended = true;
}
