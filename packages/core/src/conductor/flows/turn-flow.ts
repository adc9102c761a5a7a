/**
 * A turn from stage to stage: it begins, pauses and goes on, is held by a key, ends, is understood; then it
 * is answered, confirmed or obeyed. Nothing is ever answered to nothing.
 */
import { OVERLAP_PRE_ROLL_MS, PRE_ROLL_MS, TAIL_MS } from '../../hearing/ear.js';
import type { SpokenCommand } from '../../language/common/contract.js';
import { languageOf } from '../../language/language.js';
import { ANSWER_LENGTHS } from '../../vocabulary/answer-length.js';
import type { Cause } from '../contract/causes.js';
import type { UnheardReason } from '../contract/orders.js';
import type { Happening } from '../contract/happenings.js';
import type { Desk, Signal, SignalOf } from '../state/desk.js';
import * as bargeIn from '../machines/barge-in.js';
import * as endOfTurn from '../machines/end-of-turn.js';
import * as errands from '../machines/errands.js';
import * as listening from '../machines/listening.js';
import * as pushToTalk from '../machines/push-to-talk.js';
import { isSounding } from '../state/answer.js';
import { currentAnswer, liveAnswer, suspendedAnswer } from '../state/state.js';
import {
  confidenceOf,
  hasAllFinals,
  newTurn,
  openSegment,
  pauseIn,
  spokenText,
  turnText,
  type Turn,
} from '../state/turn.js';
import { answer, interrupt, resume, say, takeBack } from './answer-flow.js';
import { speculate } from './head-start.js';
import { errandTurn, tellNews } from './errand-flow.js';
import { dropSpeculative, forgetSuspended, handOn, tellUnanswered } from './letting-go.js';
import { forget, startAfresh } from './talk-flow.js';
import { comesToLater } from './written-flow.js';

/** Less voice than this in a turn without words is a noise, in ms. */
const NOISE_MS = 400;
/** The assistant says so often in a row that it did not understand; then it only shows it. */
const MOST_UNHEARD_SAID = 2;
/** Pauses within turns from this length on are remembered, in ms, and so many of them. */
const LEAST_OWN_PAUSE_MS = 200;
const MOST_OWN_PAUSES = 12;
/** A voice that begins so soon after the assistant's may still be its own, in ms. */
const ECHO_TAIL_MS = 600;

// It begins, pauses and goes on.

/**
 * A voice that no recognition listens to yet: over the assistant, after what seemed the end, or in an open
 * floor.
 */
export function voiceOn(desk: Desk, { atMs }: SignalOf<'voiceOn'>): void {
  const { state } = desk;
  const live = liveAnswer(state);
  if (bargeIn.owesNotice(desk)) return;
  if (isSounding(live)) {
    if (bargeIn.isDeaf(desk)) return;
    if (!state.floor.overlap) bargeIn.begin(desk);
  } else if (live) takeBack(desk, live, { kind: 'callerGoesOn' });
  listen(desk, atMs);
}

function listen(desk: Desk, atMs: number): void {
  const { state } = desk;
  const { overlap, lastSaid } = state.floor;
  const overlapped = overlap !== null || atMs - lastSaid.atMs < ECHO_TAIL_MS;
  state.turn ??= { ...newTurn(desk.newId(), 'voice'), overlapped, by: state.floor.speaker };
  goOn(desk, state.turn, atMs);
  const preRollMs = overlap ? OVERLAP_PRE_ROLL_MS : PRE_ROLL_MS;
  listening.listenToVoice(desk, state.turn, atMs, atMs - preRollMs);
  if (!isSounding(liveAnswer(state))) desk.enter('listening', { kind: 'callerSpeaks' });
}

export function wentOn(desk: Desk, { atMs }: SignalOf<'wentOn'>): void {
  if (desk.state.turn) goOn(desk, desk.state.turn, atMs);
}

/** The caller goes on after a pause, or after what seemed to be the end. */
function goOn(desk: Desk, turn: Turn, atMs: number): void {
  const { caller } = desk.state;
  endOfTurn.stopWaiting(desk, { kind: 'callerGoesOn' });
  desk.clearTimer('finalDue', { kind: 'callerGoesOn' });
  const pause = pauseIn(turn);
  if (pause && turn.source === 'voice' && atMs - pause.atMs >= LEAST_OWN_PAUSE_MS)
    caller.ownPausesMs = [...caller.ownPausesMs, Math.round(atMs - pause.atMs)].slice(-MOST_OWN_PAUSES);
  turn.stage = turn.stage.at === 'held' ? { at: 'held', pause: null } : { at: 'speaking' };
}

/** The ear noticed a pause. */
export function fellSilent(desk: Desk, { pause, voicedMs, pitchedMs }: SignalOf<'fellSilent'>): void {
  const { turn } = desk.state;
  if (!turn) return;
  turn.stage = turn.stage.at === 'held' ? { at: 'held', pause } : { at: 'paused', pause, wait: null };
  if (desk.state.floor.overlap) {
    bargeIn.goesOn(desk, { voicedMs, pitchedMs });
    if (desk.state.floor.overlap) overlapPaused(desk, turn, desk.nowMs);
  } else awaitEnd(desk, turn);
  speculate(desk);
}

/** The stretch of voice is over, as far as the ear is concerned: its sound is all there. */
export function stretchOver(desk: Desk, { atMs }: SignalOf<'stretchOver'>): void {
  const { floor, turn } = desk.state;
  if (!turn) return;
  const pause = pauseIn(turn) ?? { atMs, ending: null };
  if (turn.stage.at === 'speaking') turn.stage = { at: 'paused', pause, wait: null };
  if (turn.stage.at === 'held') turn.stage.pause = pause;
  if (floor.overlap) return overlapPaused(desk, turn, atMs + TAIL_MS);
  const open = openSegment(turn);
  if (open) listening.close(desk, open, atMs + TAIL_MS, { kind: 'voicePaused' });
  if (floor.press) return;
  if (turn.stage.at === 'held') return end(desk, turn, { kind: 'keyReleased' });
  awaitEnd(desk, turn);
}

/** A voice over the assistant has paused, or ended: the final words are fetched, and tell. */
function overlapPaused(desk: Desk, turn: Turn, toMs: number): void {
  const open = openSegment(turn);
  if (open) return listening.close(desk, open, toMs, { kind: 'overlapWordsWanted' });
  if (hasAllFinals(turn)) bargeIn.judge(desk, true);
}

/**
 * Decides, at a pause, how long it may last before the turn is over; for one that seemed over, whether it
 * was.
 */
function awaitEnd(desk: Desk, turn: Turn): void {
  const { floor } = desk.state;
  const pause = pauseIn(turn);
  if (!pause || turn.stage.at === 'held' || floor.press || floor.overlap) return;
  // A key and the keyboard end a turn for good.
  if (turn.stage.at === 'ended' && turn.stage.cause.kind !== 'evidence') return;
  const wait = endOfTurn.waitOf(desk, turn);
  if (turn.stage.at === 'ended') {
    turn.wait = wait;
    if (pause.atMs + wait.ms <= desk.nowMs) return;
    // The final says that more is to come, and nothing has been answered yet.
    desk.clearTimer('finalDue', wait.cause);
    desk.enter('listening', wait.cause);
  }
  turn.stage = { at: 'paused', pause, wait };
  endOfTurn.watchPause(desk, turn, pause, wait);
}

/** Words have come, or are lost. */
export function wordsKnown(desk: Desk, { how, ofLastSegment }: SignalOf<'wordsKnown'>): void {
  const { state } = desk;
  const { turn } = state;
  if (!turn) return;
  if (state.floor.overlap)
    return bargeIn.judge(desk, how === 'lost' || (how === 'final' && !openSegment(turn)));
  if (how === 'lost') return;
  errands.tellProvisional(desk);
  if (how === 'final' ? ofLastSegment : turn.stage.at !== 'ended') awaitEnd(desk, turn);
  speculate(desk);
}

// What a voice over the assistant was.

export function bargedIn(desk: Desk, { cause, sure }: SignalOf<'bargedIn'>): void {
  const { turn } = desk.state;
  if (turn) turn.overlapped = !sure;
  interrupt(desk, cause, !sure);
}

export function wasNothing(desk: Desk, { cause }: SignalOf<'wasNothing'>): void {
  listening.dropAll(desk, desk.state.turn, cause);
  handOn(desk);
}

// The key, and the keyboard.

export function keyDown(desk: Desk, { atMs }: SignalOf<'keyDown'>): void {
  const { state } = desk;
  const cause: Cause = { kind: 'keyPressed' };
  endOfTurn.stopWaiting(desk, cause);
  const live = liveAnswer(state);
  if (isSounding(live)) interrupt(desk, cause);
  else if (live) takeBack(desk, live, cause);
  if (!openSegment(state.turn)) listen(desk, atMs);
  if (!state.turn) return;
  state.turn.stage = { at: 'held', pause: pauseIn(state.turn) };
  state.turn.by = state.floor.speaker;
}

/** A press opened the floor; what the assistant says is over. */
export function floorOpened(desk: Desk): void {
  const cause: Cause = { kind: 'floorOpened' };
  const live = liveAnswer(desk.state);
  if (isSounding(live)) interrupt(desk, cause);
  else if (live) takeBack(desk, live, cause);
  if (!desk.state.turn) desk.enter('listening', cause);
}

export function keyUp(desk: Desk, { atMs, cause }: SignalOf<'keyUp'>): void {
  const { turn, floor } = desk.state;
  if (!turn) return desk.enter('listening', cause);
  if (floor.voiceActive && openSegment(turn)) return pushToTalk.grantGrace(desk);
  endHeld(desk, turn, atMs + TAIL_MS, cause);
}

export function graceOver(desk: Desk): void {
  const { turn } = desk.state;
  if (turn) endHeld(desk, turn, desk.nowMs, { kind: 'keyReleasedBefore' });
}

/** No more sound belongs to the turn. */
function endHeld(desk: Desk, turn: Turn, toMs: number, cause: Cause): void {
  const open = openSegment(turn);
  if (open && turn.voicedMs + turn.stretchMs === 0 && !desk.state.floor.voiceActive) {
    listening.drop(desk, open, { kind: 'nothingWhilePressed' });
    turn.segments = turn.segments.filter((segment) => segment !== open);
    if (turn.segments.length === 0) return unheard(desk, turn);
  } else if (open) {
    listening.close(desk, open, toMs, cause);
    turn.times.voiceEndedMs ??= desk.nowMs;
  }
  end(desk, turn, cause);
}

// It ends, and is understood.

export function turnEnded(desk: Desk, { cause }: SignalOf<'turnEnded'>): void {
  if (desk.state.turn) end(desk, desk.state.turn, cause);
}

/** The caller has finished; what is still being recognised is waited for. */
function end(desk: Desk, turn: Turn, cause: Cause): void {
  const { state, nowMs } = desk;
  endOfTurn.stopWaiting(desk, cause);
  // It was this turn's: the next one is not to end by it.
  desk.clearTimer('release', cause);
  const open = openSegment(turn);
  if (open) listening.close(desk, open, nowMs, cause);
  const { stage } = turn;
  turn.times.endpointMs = nowMs;
  turn.wait =
    stage.at === 'paused' && stage.wait
      ? stage.wait
      : { ms: Math.max(0, nowMs - (turn.times.voiceEndedMs ?? nowMs)), cause, atFirst: 1 };
  turn.stage = { at: 'ended', cause, pause: pauseIn(turn) };
  if (!currentAnswer(state)) desk.enter('working', cause);
  listening.awaitFinal(desk, turn);
}

/**
 * Happenings and signals that may be the last thing that a turn, or news for the caller, waited for: the turn
 * is over, words are all there, a voice is silent, an answer has ended, there is something to tell.
 */
export const MAY_CONCLUDE: ReadonlySet<Happening['kind'] | Signal['kind']> = new Set([
  'turnEnded',
  'keyDown',
  'keyUp',
  'graceOver',
  'keyTouched',
  'keysOver',
  'typed',
  'wrote',
  'wordsKnown',
  'recognitionTrouble',
  'voicePaused',
  'voiceEnded',
  'fellSilent',
  'stretchOver',
  'bargedIn',
  'wasNothing',
  'spoken',
  'flushed',
  'thinkingFailed',
  'speakingFailed',
  'hushAsked',
  'freshAsked',
  'phoned',
  'errandDone',
  'undelivered',
  'notHandedOver',
  'gaveBack',
  // A final, or a hush, is waited for no longer.
  'rang',
]);

/**
 * Answers the turn when it is over, all its finals are there, and no hush is waited for. That it was no turn
 * at all, but a backchannel or a noise over the assistant, is known at its first pause: then the assistant
 * goes on at once. @returns whether there was something to conclude: then there may be more
 */
export function conclude(desk: Desk): boolean {
  const { state, plan } = desk;
  const { turn } = state;
  if (!turn) return tellNews(desk) || comesToLater(desk);
  if (currentAnswer(state)) return false;
  const isOver = turn.stage.at === 'ended';
  if (!isOver && (turn.stage.at !== 'paused' || !turn.overlapped)) return false;
  if (!hasAllFinals(turn)) return false;
  if (isOver) desk.clearTimer('finalDue', { kind: 'allFinals' });
  const nothing = plan.purpose === 'talk' ? bargeIn.falseStop(desk, turn) : null;
  if (nothing !== null && wasFalseStop(desk, turn, nothing)) return true;
  if (isOver) handle(desk, turn);
  return isOver;
}

/** The turn is over, and all its words are there. */
function handle(desk: Desk, turn: Turn): void {
  const { state, plan } = desk;
  if (turn.segments.every((segment) => spokenText(segment) === '')) return unheard(desk, turn);
  if (plan.purpose === 'talk') return understood(desk, turn, turnText(plan, turn));
  handOn(desk);
  const { person } = state.floor;
  if (person !== null) tellUnanswered(desk, turn, { kind: 'personTalks', name: person });
  desk.enter('listening', { kind: 'onlyListening' });
}

/** What was heard over the assistant was no turn: it is not answered, and what it stopped goes on. */
function wasFalseStop(desk: Desk, turn: Turn, cause: Cause): boolean {
  const isEcho = cause.kind === 'echo';
  if (!suspendedAnswer(desk.state) && !isEcho) return false;
  dropSpeculative(desk, cause);
  handOn(desk);
  desk.tell({ kind: 'unheard', turn: turn.turn, reason: isEcho ? 'echo' : 'noise', cause }, cause);
  if (!resume(desk, cause)) desk.enter('listening', cause);
  return true;
}

function understood(desk: Desk, turn: Turn, text: string): void {
  const { state, plan } = desk;
  const { sayings } = plan;
  const language = languageOf(plan.language);
  const { askedBack } = state;
  state.askedBack = null;
  const assent = askedBack === null ? null : language.assent(text);
  if (askedBack !== null && assent === 'yes')
    return errandTurn(desk, turn, askedBack) ? undefined : answer(desk, turn, askedBack);
  if (assent === 'no' && sayings.again !== '') return say(desk, turn, sayings.again, { kind: 'denied' });
  const command = language.command(text, plan.names);
  if (command?.command !== 'goodbye' && errandTurn(desk, turn, text)) return;
  if (command && (command.command !== 'person' || plan.person)) return obey(desk, turn, text, command);
  answerOrAskBack(desk, turn, text);
}

/** Words that are too uncertain are asked back, where the assistant has a sentence for that. */
function answerOrAskBack(desk: Desk, turn: Turn, text: string): void {
  const { state, plan } = desk;
  const { sayings, manners } = plan;
  const confidence = confidenceOf(turn) ?? 1;
  if (confidence >= manners.askBackBelow || sayings.unsure === '') return answer(desk, turn, text);
  state.askedBack = text;
  const question = sayings.unsure.replace('{words}', text.replace(/[.?!]+$/, ''));
  say(desk, turn, question, { kind: 'unsureWords', percent: Math.round(confidence * 100) });
}

function obey(desk: Desk, turn: Turn, text: string, { command, rest }: SpokenCommand): void {
  const { state, plan } = desk;
  if (command === 'goodbye') {
    if (plan.sayings.farewell === '') return answer(desk, turn, text);
    errands.leaveAll(desk);
    return say(desk, turn, plan.sayings.farewell, { kind: 'farewellSaid' }, { closing: true });
  }
  if (command === 'person')
    return say(
      desk,
      turn,
      plan.sayings.filler,
      { kind: 'callerWantsPerson' },
      { asked: text, handsOver: {} },
    );
  if (command === 'fresh') {
    if (rest === '') return startAfresh(desk);
    forget(desk, { kind: 'freshAsked' });
    return answer(desk, turn, rest);
  }
  const now = ANSWER_LENGTHS.indexOf(state.caller.answerLength ?? plan.manners.answerLength);
  const wanted = Math.max(0, Math.min(ANSWER_LENGTHS.length - 1, now + (command === 'shorter' ? -1 : 1)));
  const length = ANSWER_LENGTHS[wanted]!;
  state.caller.answerLength = length;
  desk.tell({ kind: 'answerLength', length }, { kind: 'lengthAsked', wanted: command });
  answer(desk, turn, text);
}

/** Nothing can be answered: it is shown why, and said if it seems that somebody spoke. */
function unheard(desk: Desk, turn: Turn): void {
  const { state, plan } = desk;
  const { sayings, purpose } = plan;
  const notUnderstood: Cause = { kind: 'notUnderstood' };
  handOn(desk);
  dropSpeculative(desk, notUnderstood);
  forgetSuspended(desk, notUnderstood);
  const { reason, cause } = whyUnheard(turn);
  if (turn.deaf && purpose === 'talk' && sayings.cannotHear !== '')
    return say(desk, turn, sayings.cannotHear, { kind: 'nobodyHears' });
  desk.tell({ kind: 'unheard', turn: turn.turn, reason, cause }, notUnderstood);
  const spoke = reason === 'no-words' && ++state.unheardInARow <= MOST_UNHEARD_SAID;
  if (spoke && purpose === 'talk' && sayings.unheard !== '') return say(desk, turn, sayings.unheard, cause);
  desk.enter('listening', cause);
}

function whyUnheard({ voicedMs, stretchMs }: Turn): { reason: UnheardReason; cause: Cause } {
  const ms = Math.round((voicedMs + stretchMs) / 10) * 10;
  if (voicedMs + stretchMs === 0) return { reason: 'silence', cause: { kind: 'nothingSaid' } };
  if (voicedMs + stretchMs < NOISE_MS) return { reason: 'noise', cause: { kind: 'onlyNoise', ms } };
  return { reason: 'no-words', cause: { kind: 'voiceWithoutWord', ms } };
}
