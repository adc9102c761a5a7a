/**
 * The conductor's part that ends an answer: by interruption, by the caller going on, or because all of it was played; what
 * was heard of it; and taking it up again when nothing had really interrupted it.
 */
import { gapOf } from '../measure/turn-times.js';
import { heardWords } from '../speaking/heard-ledger.js';
import { addEntry } from '../thinking/history.js';
import { advance, newReply, newSpeech } from './answering-part.js';
import type { Desk } from './desk.js';
import { leaveOverlap } from './overlap-part.js';
import { newTurn, spokenText, turnText, type Reply, type Speech, type State, type Turn } from './state.js';

/** The line's word on what was played is waited for this long after a hush, in ms. */
const HUSH_DUE_MS = 150;
/** Why a reply was hushed that a key or the socket asked for. */
export const HUSH_ASKED = 'the caller asked for silence';
/** A phrase of which less than this is left was heard whole, in ms. */
const HEARD_WHOLE_MS = 80;

export function isSounding(reply: Reply | null): boolean {
  return (
    reply !== null &&
    !reply.hushed &&
    reply.speeches.some(({ stage }) => stage === 'playing' || stage === 'played')
  );
}

/**
 * The assistant stops: nothing more is synthesised or played; then it is settled what was heard.
 * @param resumable it may turn out to have been nothing: then the answer, which is thought on, is taken up again
 */
export function interrupt(desk: Desk, reason: string, resumable = false): void {
  const { reply } = desk.state;
  if (!reply || reply.hushed) return;
  const sounding = isSounding(reply);
  reply.hushed = reason;
  reply.resumable = resumable && !reply.closing;
  desk.state.overlap = null;
  desk.clearTimer('filler', reason);
  if (sounding) desk.order({ kind: 'hush' }, reason);
  abandon(desk, reply, reason);
  desk.enter('listening', reason);
  if (sounding) desk.setTimer('hushDue', HUSH_DUE_MS, 'the line says what was played');
  else finishReply(desk, reply);
}

/** The caller goes on before anything of the reply was heard: the halves are one turn. */
export function takeBack(desk: Desk, reason: string): void {
  const { state } = desk;
  const { reply } = state;
  if (!reply) return;
  desk.clearTimer('filler', reason);
  abandon(desk, reply, reason);
  state.reply = null;
  if (isOwn(reply.turn)) return;
  mergeInto(state, reply.turn);
}

/** Begun by the assistant: nothing of the caller's is in it. */
function isOwn({ source }: Turn): boolean {
  return source === 'greeting' || source === 'silence' || source === 'resumed';
}

function mergeInto(state: State, earlier: Turn): void {
  const later = state.turn;
  const { voiceBeganMs, voiceEndedMs } = earlier.times;
  state.turn = {
    ...earlier,
    source: later?.source ?? earlier.source,
    wait: later?.wait ?? earlier.wait,
    pause: later?.pause ?? null,
    segments: [...earlier.segments, ...(later?.segments ?? [])],
    voicedMs: earlier.voicedMs + (later?.voicedMs ?? 0),
    stretchMs: later?.stretchMs ?? 0,
    headStarts: earlier.headStarts + (later?.headStarts ?? 0),
    headStartKept: false,
    // A key that was let go holds the floor for nobody: a pause is only a pause again.
    pressed: later?.pressed ?? state.press !== null,
    corrections: earlier.corrections + (later?.corrections ?? 0),
    deaf: earlier.deaf || (later?.deaf ?? false),
    reliefs: [...earlier.reliefs, ...(later?.reliefs ?? [])],
    times: {
      ...(later?.times ?? (voiceEndedMs === undefined ? {} : { voiceEndedMs })),
      ...(voiceBeganMs === undefined ? {} : { voiceBeganMs }),
    },
  };
}

/** What is still being thought and synthesised of a reply is dropped; a thought that may be wanted again goes on. */
export function abandon(desk: Desk, reply: Reply, reason: string): void {
  if (reply.thought !== null && !reply.writtenDone && !reply.resumable) dropThoughts(desk, reply, reason);
  for (const speech of reply.speeches) {
    if (speech.stage === 'synthesising' || (speech.stage === 'playing' && !speech.audioDone)) {
      desk.order({ kind: 'dropSynthesis', speech: speech.speech }, reason);
    }
    if (speech.stage === 'synthesising' || speech.stage === 'waiting') speech.stage = 'dropped';
  }
}

function dropThoughts(desk: Desk, { thought, second }: Reply, reason: string): void {
  for (const one of [thought, second?.thought ?? null])
    if (one !== null) desk.order({ kind: 'dropThought', thought: one }, reason);
}

/** Writes what was heard into the history, reports the turn, and gives the floor back. */
export function finishReply(desk: Desk, reply: Reply): void {
  const { state } = desk;
  desk.clearTimer('hushDue', 'the line has said what was played');
  leaveOverlap(desk, 'the assistant had finished');
  const said = reply.speeches.filter(({ filler }) => !filler);
  const heard = said.flatMap((speech) => heardWords(speech.words, speech.playedMs)).join(' ');
  reply.turn.times.endedMs = desk.nowMs;
  state.reply = null;
  if (heard !== '') state.lastSaid = { text: heard, atMs: desk.nowMs };
  const unheardAnswer = heard === '' && reply.hushed !== null;
  if (unheardAnswer && state.turn?.source === 'voice' && !isOwn(reply.turn)) {
    dropThoughtOf(desk, reply, 'nothing of it was heard');
    mergeInto(state, reply.turn);
  } else {
    state.history = addEntry(state.history, 'caller', reply.asked);
    state.history = addEntry(state.history, 'assistant', heard);
    reportTurn(desk, reply.turn, reply, heard);
    if (reply.resumable) state.cutOff = reply;
  }
  const isGoodbye = reply.closing && (reply.hushed === null || reply.hushed === HUSH_ASKED);
  if (isGoodbye || (reply.closing && state.mustEnd !== null)) return hangUp(desk);
  desk.enter('listening', reply.hushed ?? 'the answer was played to its end');
}

function dropThoughtOf(desk: Desk, reply: Reply, reason: string): void {
  if (reply.resumable && reply.thought !== null && !reply.writtenDone) dropThoughts(desk, reply, reason);
  reply.resumable = false;
}

/** What a voice had stopped will not be taken up again. */
export function forgetCutOff(desk: Desk, reason: string): void {
  const { state } = desk;
  if (!state.cutOff) return;
  dropThoughtOf(desk, state.cutOff, reason);
  state.cutOff = null;
}

/** It was no interruption: the answer goes on from the last phrase that was not heard whole. @returns false where nothing is left of it */
export function resume(desk: Desk, reason: string): boolean {
  const { state } = desk;
  const cut = state.cutOff;
  state.cutOff = null;
  if (!cut) return false;
  const left = cut.speeches.filter((speech) => !speech.filler && !wasHeardWhole(speech));
  if (left.length === 0 && cut.writtenDone) return false;
  const turn = newTurn(desk.newId(), 'resumed');
  turn.times.voiceEndedMs = desk.nowMs;
  state.turn = null;
  state.reply = {
    ...newReply(turn, cut.thought, ''),
    closing: cut.closing,
    handsOver: cut.handsOver,
    tried: cut.tried,
    second: cut.second,
    cutter: cut.cutter,
    written: left.map(({ text }) => text).join(' '),
    writtenDone: cut.writtenDone,
    speeches: left.map(({ text }) => newSpeech(desk, text)),
  };
  desk.enter('working', reason);
  advance(desk, { reply: state.reply, how: 'given' });
  return true;
}

function wasHeardWhole({ audioDone, words, playedMs, stage }: Speech): boolean {
  if (stage === 'played') return true;
  const lastMs = words.at(-1)?.endMs ?? Infinity;
  return audioDone && stage === 'playing' && playedMs >= lastMs - HEARD_WHOLE_MS;
}

/** Goodbye was said, and the farewell was played; or the talk must end. */
export function hangUp(desk: Desk): void {
  const why = desk.state.mustEnd ?? 'goodbye was said';
  desk.clearAllTimers(why);
  desk.tell({ kind: 'farewell', why }, why);
  desk.order({ kind: 'hangUp' }, why);
  desk.state.ended = true;
}

/** Reports a turn with its reply, or one that got none. */
export function reportTurn(
  desk: Desk,
  turn: Turn,
  reply: Reply | null,
  heard: string,
  unanswered?: string,
): void {
  const interrupted = reply?.hushed ?? unanswered ?? null;
  const report = {
    turn: turn.turn,
    source: turn.source,
    text: turnText(desk.plan, turn),
    spoken: turn.segments.map(spokenText).filter(Boolean).join(' '),
    generated: reply?.written ?? '',
    heard,
    answered: heard !== '' && reply?.trouble === null,
    interrupted,
    trouble: reply?.trouble ?? null,
    estimated: reply?.speeches.some(({ estimated }) => estimated) ?? false,
    wait: turn.wait,
    headStarts: { begun: turn.headStarts, kept: turn.headStartKept },
    times: turn.times,
    gap: gapOf(turn.times),
    flicker: turn.segments.reduce((sum, { settling }) => sum + settling.flicker, 0),
    corrections: turn.corrections,
    reliefs: turn.reliefs,
  };
  desk.tell({ kind: 'turn', report }, interrupted ?? 'the answer was played to its end');
}
