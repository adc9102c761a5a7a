/**
 * The head start, or speculative answer: thinking begins before the turn is over, as late as the answer is
 * still ready when the wait is, and only where it is probable enough that the turn ends with these words.
 */
import { languageOf } from '../../language/language.js';
import { pauseUntil } from '../../turn-end/probability.js';
import { PHRASED } from '../../turn-end/reason.js';
import type { Grounds } from '../../vocabulary/grounds.js';
import { acts } from '../contract/plan.js';
import type { Desk } from '../state/desk.js';
import { chanceOf } from '../machines/end-of-turn.js';
import * as errands from '../machines/errands.js';
import * as generation from '../machines/generation.js';
import { newAnswer } from '../state/answer.js';
import { engineFor } from '../state/lineup.js';
import { currentAnswer, speculativeAnswer } from '../state/state.js';
import { hasAllFinals, newTurn, pauseIn, turnText, turnWords, type Turn } from '../state/turn.js';
import { dropSpeculative } from './letting-go.js';

/** How probable the end must be for thinking to begin while the voice goes on: nothing can be added. */
const WHILE_SPEAKING = PHRASED;
/**
 * So often provisional words at a pause are the final ones: those of an expected phrase, and others (measured
 * on the tuning half).
 */
const STAYS = { expected: 0.9, other: 0.35 };

/** Another key, another thought: the words (however written) and what was said before them. */
export function keyOf({ state, plan }: Desk, turn: Turn): string {
  return `${state.history.length}: ${languageOf(plan.language).plain(turnWords(turn).join(' ')).join(' ')}`;
}

/** Begins, keeps or drops the head start, whenever the words or the silence have changed. */
export function speculate(desk: Desk): void {
  const { state, plan } = desk;
  const { turn } = state;
  if (!turn || plan.purpose !== 'talk') return;
  desk.clearTimer('headStart', { kind: 'timerSetAnew' });
  const stage = speculativeAnswer(state)?.stage;
  if (stage?.at === 'speculative' && stage.key !== keyOf(desk, turn))
    dropSpeculative(desk, { kind: 'wordsChanged' });
  if (!mayBegin(desk, turn)) return;
  const { atFirst, law, grounds } = chanceOf(desk, turn);
  const pause = pauseIn(turn);
  if (!pause) {
    if (atFirst >= WHILE_SPEAKING) begin(desk, turn, grounds);
    return;
  }
  const isExpected = grounds.sign.sign === 'expectedPhrase';
  const stays = hasAllFinals(turn) ? 1 : isExpected ? STAYS.expected : STAYS.other;
  const probableMs = pauseUntil(atFirst, leastProbability(plan.manners.headStartWaste) / stays, law);
  const dueMs = pause.atMs + Math.max(probableMs, inTimeMs(desk, turn));
  if (dueMs <= desk.nowMs) begin(desk, turn, grounds);
  // Up, for the timer takes whole ms: at its time it is due.
  else if (Number.isFinite(dueMs))
    desk.setTimer('headStart', Math.ceil(dueMs - desk.nowMs), { kind: 'headStart', grounds });
}

/**
 * What is begun at this probability and above is for nothing in so many cases, where probabilities are spread
 * evenly: half of what the least probable ones are.
 */
function leastProbability(waste: number): number {
  return waste === 0 ? Infinity : Math.max(0, 1 - 2 * waste);
}

/** So late in the pause thinking may begin and be done when the wait is over, in ms. */
function inTimeMs({ state }: Desk, { stage }: Turn): number {
  if (stage.at !== 'paused' || !stage.wait || state.answerAfterMs === null) return 0;
  return stage.wait.ms - state.answerAfterMs;
}

function mayBegin(desk: Desk, turn: Turn): boolean {
  const { state, plan } = desk;
  if (speculativeAnswer(state) || currentAnswer(state) || turn.headStarts >= plan.manners.headStarts)
    return false;
  if (plan.manners.headStartWaste === 0 || acts(plan, engineFor(state.lineup, 'llm'))) return false;
  const text = turnText(plan, turn);
  // After a question of our own a yes or no is not for the model; nor is what is about the talk itself.
  if (text === '' || state.askedBack !== null || errands.takes(desk, turn)) return false;
  return languageOf(plan.language).command(text, plan.names) === null;
}

function begin(desk: Desk, turn: Turn, grounds: Grounds): void {
  turn.headStarts++;
  // Its times are kept with a turn of its own until it is known whether it is of use.
  const own = newTurn(turn.turn, 'voice');
  const ahead = newAnswer({ at: 'speculative', key: keyOf(desk, turn) }, own, turnText(desk.plan, turn));
  desk.state.answers.push(ahead);
  generation.begin(desk, ahead, 'speculative', { kind: 'headStart', grounds });
}
