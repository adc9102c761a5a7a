/** What of an answer, and of its turn, is let go. */
import type { Cause } from '../contract/causes.js';
import type { Desk } from '../state/desk.js';
import * as generation from '../machines/generation.js';
import * as pushToTalk from '../machines/push-to-talk.js';
import * as speech from '../machines/speech.js';
import type { Answer } from '../state/answer.js';
import { reportOf } from '../state/report.js';
import { speculativeAnswer, suspendedAnswer } from '../state/state.js';
import { turnText, type Turn } from '../state/turn.js';

/** The turn is not heard any more: an answer has it, or nothing. */
export function handOn(desk: Desk): void {
  desk.state.turn = null;
  pushToTalk.shut(desk);
  desk.clearTimersOf('turn');
}

export function remove({ state }: Desk, answer: Answer): void {
  state.answers = state.answers.filter((one) => one !== answer);
}

/** What is still being thought and synthesised is dropped; a thought that may be wanted again goes on. */
export function abandon(desk: Desk, answer: Answer, cause: Cause): void {
  const { stage } = answer;
  if (stage.at !== 'stopping' || !stage.resumable) generation.drop(desk, answer, cause);
  speech.drop(desk, answer, cause);
}

export function dropSpeculative(desk: Desk, cause: Cause): void {
  const ahead = speculativeAnswer(desk.state);
  if (!ahead) return;
  remove(desk, ahead);
  abandon(desk, ahead, cause);
}

/** What a voice had stopped will not be taken up again. */
export function forgetSuspended(desk: Desk, cause: Cause): void {
  const answer = suspendedAnswer(desk.state);
  if (!answer) return;
  generation.drop(desk, answer, cause);
  remove(desk, answer);
}

/** What was said and will not be answered is not lost. */
export function tellUnanswered(desk: Desk, turn: Turn, cause: Cause): void {
  if (turnText(desk.plan, turn) === '') return;
  desk.tell({ kind: 'turn', report: reportOf(desk.plan, turn, null, '', cause) }, cause);
}
