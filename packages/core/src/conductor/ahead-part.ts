/**
 * The conductor's part for the head start: where the words seem complete, thinking begins before the turn is known to be
 * over, and the first phrase is synthesised. It is kept if the turn ends with these very words, and dropped when they change.
 * Nothing of it is told or played before.
 */
import { languageOf } from '../language/language.js';
import { addEntry } from '../thinking/history.js';
import { newReply, thinkOrder, type Thinking } from './answering-part.js';
import type { Desk } from './desk.js';
import { completenessOf } from './ending-part.js';
import { abandon } from './interrupting-part.js';
import { engineFor } from './relief-part.js';
import { newTurn, turnText, turnWords, type Reply, type Turn } from './state.js';

/**
 * How complete the turn must seem for thinking to begin: while the voice goes on, in a pause with words that are provisional,
 * and with words that are final.
 */
const WHILE_SPEAKING = 1;
const IN_A_PAUSE = 0.85;
const WITH_FINALS = -0.2;

/** Another key, another thought: the words (however written) and what was said before them. */
function keyOf({ state, plan }: Desk, turn: Turn): string {
  return `${state.history.length}: ${languageOf(plan.language).plain(turnWords(turn).join(' ')).join(' ')}`;
}

/** Begins, keeps or drops the head start, whenever the words or the silence have changed. */
export function considerHeadStart(desk: Desk): void {
  const { state, plan } = desk;
  const { turn } = state;
  if (!turn || plan.purpose !== 'talk') return;
  if (state.ahead && state.ahead.key !== keyOf(desk, turn)) dropHeadStart(desk, 'the words have changed');
  if (state.ahead || state.reply || turn.headStarts >= plan.manners.headStarts) return;
  const { score, because } = completenessOf(desk, turn);
  const isFinal = turn.segments.every(({ final }) => final !== null);
  if (score < (isFinal ? WITH_FINALS : turn.pause ? IN_A_PAUSE : WHILE_SPEAKING)) return;
  const text = turnText(plan, turn);
  // After a question of our own a yes or no is not for the model; nor is what is about the talk itself.
  if (text === '' || state.asked !== null || languageOf(plan.language).command(text, plan.names) !== null)
    return;
  turn.headStarts++;
  const thought = desk.newId();
  // Its times are kept with a turn of its own until it is known whether it is of use.
  const engine = engineFor(desk, 'llm')!;
  const reply = { ...newReply(newTurn(turn.turn, 'voice'), thought, text), tried: [engine] };
  reply.turn.times.thinkingMs = desk.nowMs;
  state.ahead = { key: keyOf(desk, turn), reply };
  thinkOrder(desk, thought, [engine], addEntry(state.history, 'caller', text), `head start: ${because}`);
}

export function dropHeadStart(desk: Desk, reason: string): void {
  const { ahead } = desk.state;
  if (!ahead) return;
  desk.state.ahead = null;
  abandon(desk, ahead.reply, reason);
}

/** The reply that was begun with these very words, or null; any other is dropped. */
export function takeHeadStart(desk: Desk, turn: Turn, text: string): Reply | null {
  const { state } = desk;
  const { ahead } = state;
  if (ahead?.key !== keyOf(desk, turn)) {
    dropHeadStart(desk, 'the turn ended with other words');
    return null;
  }
  state.ahead = null;
  const times = { ...turn.times, ...ahead.reply.turn.times };
  return { ...ahead.reply, turn: { ...turn, times, headStartKept: true }, asked: text };
}

/** The reply that this thought or speech belongs to, whether it is given or only ahead. */
export function findReply(desk: Desk, belongs: (reply: Reply) => boolean): Thinking | null {
  const { reply, ahead, cutOff } = desk.state;
  if (reply && belongs(reply)) return { reply, how: reply.hushed ? 'stopped' : 'given' };
  if (ahead && belongs(ahead.reply)) return { reply: ahead.reply, how: 'ahead' };
  return cutOff && belongs(cutOff) ? { reply: cutOff, how: 'stopped' } : null;
}
