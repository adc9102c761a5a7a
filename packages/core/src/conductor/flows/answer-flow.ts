/**
 * An answer from stage to stage: begun ahead of the turn's end (speculative) and adopted, or begun when the
 * turn is over; live; stopping; then finished, taken back into the turn, or suspended and perhaps resumed.
 */
import { addCalls, addEntry } from '../../thinking/history.js';
import type { Cause } from '../contract/causes.js';
import { acts } from '../contract/plan.js';
import type { Desk, SignalOf } from '../state/desk.js';
import * as bargeIn from '../machines/barge-in.js';
import * as generation from '../machines/generation.js';
import * as speech from '../machines/speech.js';
import { heardOf, isSounding, newAnswer, newSpeech, unheardSpeeches, type Answer } from '../state/answer.js';
import { reportOf } from '../state/report.js';
import {
  currentAnswer,
  liveAnswer,
  speculativeAnswer,
  stoppingAnswer,
  suspendedAnswer,
  type State,
} from '../state/state.js';
import { isOwn, mergedTurn, newTurn, type Turn } from '../state/turn.js';
import { hangUp } from './hang-up.js';
import { keyOf } from './head-start.js';
import { abandon, dropSpeculative, forgetSuspended, handOn, remove } from './letting-go.js';

/** The line's word on what was played is waited for this long after a hush, in ms. */
const HUSH_DUE_MS = 150;
export interface SayOptions {
  /** It is the last one, and nothing but a key or typing stops it. */
  closing?: boolean;
  /** What the caller said, as it enters the history. */
  asked?: string;
  /** A person takes over, and is told this. */
  handsOver?: Record<string, string>;
  /** More of it comes later. */
  open?: boolean;
}

/** The assistant says a sentence of its own. */
export function say(desk: Desk, turn: Turn, text: string, cause: Cause, options: SayOptions = {}): void {
  const { closing = false, asked = '', handsOver, open = false } = options;
  dropSpeculative(desk, cause);
  forgetSuspended(desk, cause);
  const answer = begin(desk, turn, asked, cause);
  answer.closing = closing;
  answer.handsOver = handsOver !== undefined;
  answer.errand.known = handsOver ?? null;
  if (asked !== '') desk.state.unheardInARow = 0;
  if (open) return;
  generation.write(desk, answer, text);
  generation.finish(desk, answer);
}

/** Answers the turn: with what was begun ahead of its end, if that was begun with the same words. */
export function answer(desk: Desk, turn: Turn, text: string): void {
  const { state } = desk;
  forgetSuspended(desk, { kind: 'saidSomethingElse' });
  state.unheardInARow = 0;
  const key = keyOf(desk, turn);
  const ahead = speculativeAnswer(state);
  if (ahead?.stage.at === 'speculative' && ahead.stage.key === key) return adopt(desk, ahead, turn, text);
  dropSpeculative(desk, { kind: 'otherWords' });
  const begun = begin(desk, turn, text, { kind: 'turnOver' });
  const cause: Cause = turn.stage.at === 'ended' ? turn.stage.cause : { kind: 'turnOver' };
  generation.begin(desk, begun, 'answer', cause);
  awaitFiller(desk);
}

/** The model opens the talk. @param notice said before */
export function open(desk: Desk, turn: Turn, opening: string, cause: Cause, notice: string): void {
  const begun = begin(desk, turn, '', cause);
  begun.opening = opening;
  if (notice !== '') generation.write(desk, begun, `${notice} `);
  generation.begin(desk, begun, 'answer', cause);
}

/** The turn is over, and what follows belongs to its answer. */
function begin(desk: Desk, turn: Turn, asked: string, cause: Cause): Answer {
  const begun = newAnswer({ at: 'live' }, turn, asked);
  handOn(desk);
  desk.state.answers.push(begun);
  desk.enter('working', cause);
  return begun;
}

/** The head start is kept: what there is of the answer by now is told, and it goes on like any other. */
function adopt(desk: Desk, ahead: Answer, turn: Turn, text: string): void {
  const times = { ...turn.times, ...ahead.turn.times };
  handOn(desk);
  ahead.stage = { at: 'live' };
  ahead.turn = { ...turn, times, headStartKept: true };
  ahead.asked = text;
  desk.enter('working', { kind: 'turnOver' });
  const { turn: id } = turn;
  if (ahead.writing.text !== '')
    desk.tell({ kind: 'reply', turn: id, text: ahead.writing.text }, { kind: 'headStartRight' });
  speech.tellAll(desk, ahead);
  tellHandOver(desk, ahead);
  awaitFiller(desk);
  if (ahead.writing.calls.length > 0 && ahead.writing.thought === null)
    desk.raise({ kind: 'errandsCalled', answer: ahead });
  speech.advance(desk, ahead);
}

/** Told of a live answer only: nobody has asked yet for one that was begun ahead. */
function tellHandOver(desk: Desk, answer: Answer): void {
  if (!answer.handsOver || answer.stage.at !== 'live') return;
  answer.handsOver = false;
  const { known } = answer.errand;
  desk.tell(
    { kind: 'handOver', turn: answer.turn.turn, ...(known ? { known } : {}) },
    { kind: 'asksForPerson' },
  );
}

// What thinking and speaking report.

export function textGrew(desk: Desk, { answer, phrases }: SignalOf<'textGrew'>): void {
  speech.add(desk, answer, phrases);
  speech.advance(desk, answer);
}

export function written(desk: Desk, { answer, phrases }: SignalOf<'written'>): void {
  answer.writing.done = true;
  tellHandOver(desk, answer);
  textGrew(desk, { kind: 'textGrew', answer, phrases });
}

/** No answer can be thought of: it is said so, after what was written before. */
export function thinkingFailed(desk: Desk, { answer, code, detail }: SignalOf<'thinkingFailed'>): void {
  const cause: Cause = { kind: 'thinkingFailed', detail };
  // Nobody waits for it yet: it is thought again when the turn is over.
  if (answer.stage.at === 'speculative') return dropSpeculative(desk, cause);
  if (answer.stage.at === 'suspended') return forgetSuspended(desk, cause);
  if (answer.stage.at === 'stopping') {
    answer.stage.resumable = false;
    return;
  }
  answer.trouble = code;
  desk.tell({ kind: 'trouble', code, detail }, cause);
  const { greeting, sayings, notice = '' } = desk.plan;
  const isUnwritten = answer.writing.text.trim() === (answer.opening === '' ? '' : notice);
  const before = isUnwritten ? '' : '\n\n';
  answer.writing.calls = [];
  const isOpening = answer.opening !== '' && before === '' && greeting !== '';
  generation.write(desk, answer, isOpening ? greeting : `${before}${sayings.cannotThink}`);
  generation.finish(desk, answer);
}

export function speakingFailed(desk: Desk, { answer, detail }: SignalOf<'speakingFailed'>): void {
  if (answer.stage.at === 'speculative') dropSpeculative(desk, { kind: 'speakingFailed', detail });
}

/**
 * An answer has been asked for: should it take long, the caller is told to wait, but never twice in a row.
 */
export function awaitFiller(desk: Desk): void {
  const { state, plan } = desk;
  const { fillerAfterMs } = plan.manners;
  const wasFilled = state.filled;
  state.filled = false;
  if (fillerAfterMs === 0 || wasFilled || plan.sayings.filler === '') return;
  desk.setTimer('filler', fillerAfterMs, { kind: 'mayTakeLong' });
}

export function fillerRang(desk: Desk): void {
  const answer = liveAnswer(desk.state);
  if (!answer || isSounding(answer)) return;
  desk.state.filled = true;
  answer.speeches.unshift(newSpeech(desk.newId(), desk.plan.sayings.filler, true));
  speech.advance(desk, answer);
}

// How it ends.

/**
 * The assistant stops: nothing more is synthesised or played; then it is settled what was heard.
 * @param resumable it may turn out to have been nothing: then the answer, which is thought on, is taken up
 * again
 */
export function interrupt(desk: Desk, cause: Cause, resumable = false): void {
  const answer = liveAnswer(desk.state);
  if (!answer) return;
  const sounding = isSounding(answer);
  answer.stage = { at: 'stopping', cause, resumable: resumable && !answer.closing };
  bargeIn.forget(desk);
  desk.clearTimer('filler', cause);
  if (sounding) desk.order({ kind: 'hush' }, cause);
  abandon(desk, answer, cause);
  desk.enter('listening', cause);
  if (sounding) desk.setTimer('hushDue', HUSH_DUE_MS, { kind: 'lineSaysWhatPlayed' });
  else finish(desk, answer);
}

/** The caller goes on before anything of the answer was heard: the halves are one turn. */
export function takeBack(desk: Desk, answer: Answer, cause: Cause): void {
  abandon(desk, answer, cause);
  over(desk, answer);
  tellAgain(desk, answer);
  if (isOwn(answer.turn)) return;
  if (hasActed(desk, answer)) standApart(desk, answer, cause);
  else mergeInto(desk, answer);
}

/** News of errands that nobody heard is still news. */
function tellAgain({ state }: Desk, { turn, writing }: Answer): void {
  if (turn.source === 'errand') state.news.push(writing.text);
}

/** What it was asked may have been done: it is not asked once more, in other words. */
function hasActed({ plan }: Desk, { writing, errand }: Answer): boolean {
  return errand.acts !== null || writing.tried.some((engine) => acts(plan, engine));
}

/**
 * The turn stays one of its own, of whose answer nothing was heard; what the caller goes on to say is
 * another.
 */
function standApart(desk: Desk, answer: Answer, cause: Cause): void {
  const { acts: run, awaited } = answer.errand;
  desk.state.history = addEntry(desk.state.history, 'caller', answer.asked);
  for (const { calls, results } of answer.writing.rounds)
    desk.state.history = addCalls(desk.state.history, '', calls, results);
  // What came of it was not heard: it is told.
  if (run !== null && !awaited) desk.state.news.push(answer.writing.text);
  const report = reportOf(desk.plan, answer.turn, answer, '', cause);
  desk.tell({ kind: 'turn', report }, cause);
}

/** What an errand made of the first half is made anew of both. */
function mergeInto({ state }: Desk, { turn, errand }: Answer): void {
  if (errand.before) state.errands = errand.before;
  state.turn = mergedTurn(turn, state.turn, state.floor.press !== null);
}

/** It is not the current answer any more. */
function over(desk: Desk, answer: Answer): void {
  desk.clearTimersOf('answer');
  remove(desk, answer);
}

/** The line did not say in time what it had played. */
export function hushDueRang(desk: Desk): void {
  const answer = stoppingAnswer(desk.state);
  if (answer) finish(desk, answer);
}

/** All of it was played, or the line has said what was. */
export function settled(desk: Desk, { answer }: SignalOf<'spoken' | 'flushed'>): void {
  if (currentAnswer(desk.state) === answer) finish(desk, answer);
}

/** Writes what was heard into the history, reports the turn, and gives the floor back. */
export function finish(desk: Desk, answer: Answer): void {
  const { state, nowMs } = desk;
  const { stage, turn } = answer;
  bargeIn.leave(desk, { kind: 'assistantHadFinished' });
  const heard = heardOf(answer);
  turn.times.endedMs = nowMs;
  over(desk, answer);
  if (heard !== '') state.floor.lastSaid = { text: heard, atMs: nowMs };
  const interrupted = stage.at === 'stopping' ? stage.cause : null;
  if (heard !== '' || !interrupted || !wasUnheard(desk, answer, interrupted)) {
    keepWhatWasSaid(desk, answer, heard, interrupted);
    if (stage.at === 'stopping' && stage.resumable) suspend(state, answer);
  }
  const isGoodbye = interrupted === null || interrupted.kind === 'hushAsked' || state.mustEnd !== null;
  if (answer.closing && isGoodbye) return hangUp(desk);
  desk.enter('listening', interrupted ?? { kind: 'playedWhole' });
}

/**
 * Nothing of it was heard: what was asked goes on in the turn that interrupted it, or stands apart where
 * something was done. @returns false where it is reported as any other
 */
function wasUnheard(desk: Desk, answer: Answer, cause: Cause): boolean {
  tellAgain(desk, answer);
  const acted = hasActed(desk, answer);
  if (desk.state.turn?.source === 'voice' && !isOwn(answer.turn) && !acted) {
    generation.drop(desk, answer, { kind: 'nothingHeard' });
    mergeInto(desk, answer);
    return true;
  }
  if (!acted || answer.errand.acts === null) return false;
  standApart(desk, answer, cause);
  return true;
}

function keepWhatWasSaid(desk: Desk, answer: Answer, heard: string, interrupted: Cause | null): void {
  const { state, plan } = desk;
  state.history = addEntry(state.history, 'caller', answer.asked);
  for (const { calls, results } of answer.writing.rounds)
    state.history = addCalls(state.history, '', calls, results);
  state.history = addEntry(state.history, 'assistant', heard);
  const report = reportOf(plan, answer.turn, answer, heard, interrupted);
  desk.tell({ kind: 'turn', report }, interrupted ?? { kind: 'playedWhole' });
}

/** It is kept until it is known what had stopped it. */
function suspend(state: State, answer: Answer): void {
  answer.stage = { at: 'suspended' };
  state.answers.push(answer);
}

/**
 * It was no interruption: the answer goes on from the last phrase that was not heard whole. @returns false
 * where nothing is left of it
 */
export function resume(desk: Desk, cause: Cause): boolean {
  const { state } = desk;
  const cut = suspendedAnswer(state);
  if (!cut) return false;
  remove(desk, cut);
  const left = unheardSpeeches(cut);
  if (left.length === 0 && cut.writing.done) return false;
  const turn = newTurn(desk.newId(), 'resumed');
  turn.times.voiceEndedMs = desk.nowMs;
  const answer = begin(desk, turn, '', cause);
  answer.closing = cut.closing;
  answer.handsOver = cut.handsOver;
  // What was called before stands in the history already.
  answer.writing = { ...cut.writing, rounds: [], text: left.map(({ text }) => text).join(' ') };
  answer.speeches = left.map(({ text }) => newSpeech(desk.newId(), text));
  if (answer.writing.done) tellHandOver(desk, answer);
  speech.advance(desk, answer);
  return true;
}
