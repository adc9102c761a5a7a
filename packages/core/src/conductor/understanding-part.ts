/**
 * The conductor's part that decides what to do with what was understood: answer it, ask back, obey it, or say that
 * nothing was understood. Nothing is ever answered to nothing.
 */
import { languageOf, type SpokenCommand } from '../language/language.js';
import { dropHeadStart } from './ahead-part.js';
import { greet, say, think } from './answering-part.js';
import type { Desk } from './desk.js';
import { stopWaiting, surenessOf } from './ending-part.js';
import { finishReply, forgetCutOff, interrupt, resume } from './interrupting-part.js';
import type { HappeningOf } from './happenings.js';
import type { UnheardReason } from './orders.js';
import { isFalseStop } from './overlap-part.js';
import { ANSWER_LENGTHS } from './plan.js';
import { newTurn, spokenText, turnText, type Turn } from './state.js';

/** Less voice than this in a turn without words is a noise, in ms. */
const NOISE_MS = 400;
/** The assistant says so often in a row that she did not understand; then she only shows it. */
const MOST_UNHEARD_SAID = 2;
/** The last sentence of a talk that must end is over after so long, played or not, in ms. */
const MOST_CLOSING_MS = 20_000;

/**
 * Answers the turn when it is over, all its finals are there, and no hush is waited for. That it was no turn at all, but a nod or
 * a noise over the assistant, is known at its first pause: then she goes on at once.
 */
export function concludeIfComplete(desk: Desk): void {
  const { state, plan } = desk;
  const { turn } = state;
  if (!turn || state.reply) return;
  const isOver = turn.times.endpointMs !== undefined;
  if (!isOver && (!turn.pause || !turn.overlapped || turn.pressed)) return;
  if (turn.segments.some((segment) => segment.final === null)) return;
  if (isOver) desk.clearTimer('finalDue', 'all finals are there');
  const nothing = plan.purpose === 'talk' ? isFalseStop(desk, turn) : null;
  if (nothing !== null && falseStop(desk, turn, nothing)) return;
  if (!isOver) return;
  if (turn.segments.every((segment) => spokenText(segment) === '')) return unheard(desk, turn);
  if (plan.purpose === 'talk') return understood(desk, turn, turnText(plan, turn));
  state.turn = null;
  desk.enter('listening', 'it is only listened');
}

/** What was heard over the assistant was no turn: it is not answered, and what it stopped goes on. */
function falseStop(desk: Desk, turn: Turn, why: string): boolean {
  const { state } = desk;
  const isEcho = why.includes('echo');
  if (!state.cutOff && !isEcho) return false;
  dropHeadStart(desk, why);
  stopWaiting(desk, why);
  state.turn = null;
  desk.tell({ kind: 'unheard', turn: turn.turn, reason: isEcho ? 'echo' : 'noise', why }, why);
  if (!resume(desk, why)) desk.enter('listening', why);
  return true;
}

function understood(desk: Desk, turn: Turn, text: string): void {
  const { state, plan } = desk;
  const language = languageOf(plan.language);
  const { asked } = state;
  state.asked = null;
  if (turn.source !== 'voice') return think(desk, turn, text);
  const assent = asked === null ? null : language.assent(text);
  if (asked !== null && assent === 'yes') return think(desk, turn, asked);
  if (assent === 'no' && plan.sayings.again !== '')
    return say(desk, turn, plan.sayings.again, 'the caller denied it');
  const command = language.command(text, plan.names);
  if (command) return obey(desk, turn, text, command);
  const sureness = surenessOf(turn) ?? 1;
  if (sureness >= plan.manners.sureness || plan.sayings.unsure === '') return think(desk, turn, text);
  state.asked = text;
  const question = plan.sayings.unsure.replace('{words}', text.replace(/[.?!]+$/, ''));
  say(desk, turn, question, `the words are only ${Math.round(sureness * 100)} % certain`);
}

function obey(desk: Desk, turn: Turn, text: string, { command, rest }: SpokenCommand): void {
  const { state, plan } = desk;
  if (command === 'goodbye') {
    if (plan.sayings.farewell === '') return think(desk, turn, text);
    return say(desk, turn, plan.sayings.farewell, 'the caller said goodbye', true);
  }
  if (command === 'fresh') {
    if (rest === '') return startAfresh(desk);
    forget(desk, 'the caller asked for a fresh start');
    return think(desk, turn, rest);
  }
  const now = ANSWER_LENGTHS.indexOf(state.answers ?? plan.manners.answers);
  const wanted = Math.max(0, Math.min(ANSWER_LENGTHS.length - 1, now + (command === 'shorter' ? -1 : 1)));
  state.answers = ANSWER_LENGTHS[wanted]!;
  desk.tell({ kind: 'answers', length: state.answers }, `the caller wants ${command} answers`);
  think(desk, turn, text);
}

/** Nothing can be answered: it is shown why, and said if it seems that somebody spoke. */
export function unheard(desk: Desk, turn: Turn): void {
  const { state, plan } = desk;
  state.turn = null;
  dropHeadStart(desk, 'no word was understood');
  forgetCutOff(desk, 'no word was understood');
  const { reason, why } = whyUnheard(turn);
  if (turn.deaf && plan.purpose === 'talk' && plan.sayings.cannotHear !== '')
    return say(desk, turn, plan.sayings.cannotHear, 'no engine hears the caller');
  desk.tell({ kind: 'unheard', turn: turn.turn, reason, why }, 'no word was understood');
  const spoke = reason === 'no-words' && ++state.unheardInARow <= MOST_UNHEARD_SAID;
  if (spoke && plan.purpose === 'talk' && plan.sayings.unheard !== '')
    return say(desk, turn, plan.sayings.unheard, why);
  desk.enter('listening', why);
}

function whyUnheard(turn: Turn): { reason: UnheardReason; why: string } {
  const voicedMs = turn.voicedMs + turn.stretchMs;
  if (voicedMs === 0) return { reason: 'silence', why: 'nothing was said' };
  const shown = `${Math.round(voicedMs / 10) * 10} ms`;
  if (voicedMs < NOISE_MS)
    return { reason: 'noise', why: `only ${shown} of sound, and no word in it: a noise` };
  return { reason: 'no-words', why: `${shown} of voice, and no word was understood` };
}

/** Nobody has spoken for a while though it was the caller's turn. */
export function firstWordRang(desk: Desk): void {
  const { state, plan } = desk;
  if (state.phase !== 'listening' || state.turn || state.reply) return;
  state.silenceNoticed = true;
  const text = plan.sayings.silence;
  if (text !== '') say(desk, newTurn(desk.newId(), 'silence'), text, 'nobody has spoken for a while');
}

/** Everything that is going on ends; what was heard of a reply is still reported. */
export function dropAll(desk: Desk, reason: string): void {
  const { state } = desk;
  interrupt(desk, reason);
  dropHeadStart(desk, reason);
  forgetCutOff(desk, reason);
  for (const segment of state.turn?.segments ?? []) {
    if (segment.final === null)
      desk.order({ kind: 'dropRecognition', recognition: segment.recognition }, reason);
  }
  state.turn = null;
  state.press = null;
  if (state.reply) finishReply(desk, state.reply);
  forgetCutOff(desk, reason);
  desk.clearAllTimers(reason);
}

function forget(desk: Desk, reason: string): void {
  const { state } = desk;
  state.history = [];
  state.asked = null;
  state.answers = null;
  state.unheardInARow = 0;
  desk.tell({ kind: 'fresh' }, reason);
}

export function startAfresh(desk: Desk): void {
  const reason = 'the caller asked for a fresh start';
  dropAll(desk, reason);
  if (desk.state.ended) return;
  forget(desk, reason);
  greet(desk, reason);
}

/** The talk ends: it is said why, and whatever the caller does meanwhile, it ends after that. */
export function closeAsked(desk: Desk, { why }: HappeningOf<'closeAsked'>): void {
  if (desk.state.mustEnd !== null) return desk.ignore('closeAsked', 0);
  dropAll(desk, why);
  if (desk.state.ended) return;
  desk.state.mustEnd = why;
  desk.setTimer('closing', MOST_CLOSING_MS, 'a line that does not say what it plays is not waited for');
  const text = desk.plan.sayings.tooDear || desk.plan.sayings.farewell;
  say(desk, newTurn(desk.newId(), 'silence'), text, why, true);
}
