/** The conductor's part that answers: thinking, speaking phrase by phrase, being interrupted, and what was heard of it. */
import { gapOf } from '../measure/turn-times.js';
import { cutPiece, cutRest, newCutter } from '../speaking/phrase-cutter.js';
import { heardWords, pauseAfter } from '../speaking/heard-ledger.js';
import { speakable } from '../speaking/speakable.js';
import { addEntry } from '../thinking/history.js';
import type { Desk } from './desk.js';
import type { HappeningOf } from './happenings.js';
import { newTurn, spokenText, turnText, type Reply, type Speech, type State, type Turn } from './state.js';

/** So many phrases are synthesised ahead of the one that is playing. */
const PHRASES_AHEAD = 2;
/** The line's word on what was played is waited for this long after a hush, in ms. */
const HUSH_DUE_MS = 150;
/** Why a reply was hushed that a key or the socket asked for. */
export const HUSH_ASKED = 'the caller asked for silence';
/** A phrase counts as played when less than this of it is left, in ms: the line reports whole packets. */
const PLAYED_TOLERANCE_MS = 2;

export function isSounding(reply: Reply | null): boolean {
  return (
    reply !== null &&
    !reply.hushed &&
    reply.speeches.some(({ stage }) => stage === 'playing' || stage === 'played')
  );
}

function newReply(turn: Turn, thought: number | null, asked: string): Reply {
  return {
    thought,
    turn,
    asked,
    closing: false,
    cutter: newCutter(),
    written: '',
    writtenDone: false,
    speeches: [],
    trouble: null,
    hushed: null,
  };
}

export function greet(desk: Desk, reason: string): void {
  const { plan } = desk;
  if (plan.purpose === 'listen' || plan.manners.first === 'caller' || plan.greeting === '') {
    return desk.enter('listening', reason);
  }
  say(desk, newTurn(desk.newId(), 'greeting'), plan.greeting, reason);
}

/** The assistant says a sentence of her own. `closing`: it is the last one, and nothing but a key or typing stops it. */
export function say(desk: Desk, turn: Turn, text: string, reason: string, closing = false): void {
  const { state } = desk;
  state.turn = null;
  state.reply = { ...newReply(turn, null, ''), closing };
  desk.enter('working', reason);
  write(desk, state.reply, text);
  finishWriting(desk, state.reply);
}

export function think(desk: Desk, turn: Turn, text: string): void {
  const { state, plan } = desk;
  state.turn = null;
  state.unheardInARow = 0;
  const thought = desk.newId();
  state.reply = newReply(turn, thought, text);
  const messages = addEntry(state.history, 'caller', text);
  const answers = state.answers ?? plan.manners.answers;
  desk.order(
    { kind: 'think', thought, persona: plan.persona, messages, answers, language: plan.language },
    turn.source === 'typed' ? 'the caller typed' : (turn.wait?.reason ?? 'the turn is over'),
  );
  desk.enter('working', 'the turn is over');
}

function thinking(desk: Desk, thought: number): Reply | null {
  const { reply } = desk.state;
  return reply && reply.thought === thought && !reply.writtenDone && !reply.hushed ? reply : null;
}

export function piece(desk: Desk, { thought, text }: HappeningOf<'piece'>): void {
  const reply = thinking(desk, thought);
  if (!reply) return desk.ignore('piece', thought);
  reply.turn.times.firstPieceMs ??= desk.nowMs;
  write(desk, reply, text);
}

export function thoughtDone(desk: Desk, { thought }: HappeningOf<'thoughtDone'>): void {
  const reply = thinking(desk, thought);
  if (!reply) return desk.ignore('thoughtDone', thought);
  if (reply.written.trim() === '')
    return fail(desk, reply, 'thought-empty', 'the model ended its answer without a word');
  finishWriting(desk, reply);
}

export function thoughtTrouble(desk: Desk, { thought, code, detail }: HappeningOf<'thoughtTrouble'>): void {
  const reply = thinking(desk, thought);
  if (!reply) return desk.ignore('thoughtTrouble', thought);
  fail(desk, reply, code, detail);
}

/** Says so when no answer can be thought of; what was written before is still spoken. */
function fail(desk: Desk, reply: Reply, code: string, detail: string): void {
  desk.tell({ kind: 'trouble', code, detail }, 'thinking failed');
  reply.trouble = code;
  write(desk, reply, `${reply.written === '' ? '' : '\n\n'}${desk.plan.sayings.cannotThink}`);
  finishWriting(desk, reply);
}

function write(desk: Desk, reply: Reply, text: string): void {
  reply.written += text;
  desk.tell({ kind: 'reply', turn: reply.turn.turn, text }, 'the answer grows');
  const { phrases, cutter } = cutPiece(reply.cutter, text);
  reply.cutter = cutter;
  for (const phrase of phrases) addPhrase(desk, reply, phrase);
  advance(desk, reply);
}

function finishWriting(desk: Desk, reply: Reply): void {
  for (const phrase of cutRest(reply.cutter)) addPhrase(desk, reply, phrase);
  reply.cutter = newCutter();
  reply.writtenDone = true;
  advance(desk, reply);
}

function addPhrase(desk: Desk, reply: Reply, phrase: string): void {
  const text = speakable(phrase);
  if (text === '') return;
  reply.turn.times.firstPhraseMs ??= desk.nowMs;
  reply.speeches.push({
    speech: desk.newId(),
    text,
    stage: 'waiting',
    audioMs: 0,
    audioDone: false,
    words: [],
    estimated: false,
    playedMs: 0,
  });
}

/** Orders what can be ordered by now: synthesis a little ahead, playing in order, the end of the reply. */
function advance(desk: Desk, reply: Reply): void {
  const live = reply.speeches.filter(({ stage }) => stage !== 'played' && stage !== 'dropped');
  live.slice(0, PHRASES_AHEAD + 1).forEach((speech) => {
    if (speech.stage !== 'waiting') return;
    speech.stage = 'synthesising';
    const last = reply.writtenDone && speech === reply.speeches.at(-1);
    const pauseMs = last ? 0 : pauseAfter(speech.text);
    desk.order(
      { kind: 'synthesise', speech: speech.speech, text: speech.text, pauseMs },
      'a phrase is written',
    );
  });
  for (const speech of live) {
    if (speech.stage === 'playing') continue;
    if (speech.stage !== 'synthesising' || speech.audioMs === 0) break;
    speech.stage = 'playing';
    desk.order({ kind: 'play', speech: speech.speech }, 'it is the next phrase, and its sound is there');
    desk.enter('answering', 'the assistant speaks');
  }
  if (reply.writtenDone && live.length === 0) finishReply(desk, reply);
}

function speaking(desk: Desk, speech: number): { reply: Reply; one: Speech } | null {
  const { reply } = desk.state;
  const one = reply?.speeches.find((each) => each.speech === speech && each.stage !== 'dropped');
  return reply && one ? { reply, one } : null;
}

export function audio(desk: Desk, happening: HappeningOf<'audio'>): void {
  const found = speaking(desk, happening.speech);
  if (!found || found.reply.hushed) return desk.ignore('audio', happening.speech);
  const { reply, one } = found;
  reply.turn.times.firstAudioMs ??= desk.nowMs;
  if (one.audioMs === 0) {
    desk.tell(
      {
        kind: 'speech',
        turn: reply.turn.turn,
        speech: one.speech,
        text: one.text,
        words: happening.words,
        estimated: happening.estimated,
      },
      'its sound begins to come',
    );
  }
  one.audioMs = happening.audioMs;
  one.audioDone = happening.done;
  one.words = happening.words;
  one.estimated = happening.estimated;
  if (one.audioDone && one.audioMs === 0) one.stage = 'dropped';
  markPlayed(one);
  advance(desk, reply);
}

export function synthesisTrouble(
  desk: Desk,
  { speech, code, detail }: HappeningOf<'synthesisTrouble'>,
): void {
  const found = speaking(desk, speech);
  if (!found || found.reply.hushed) return desk.ignore('synthesisTrouble', speech);
  desk.tell({ kind: 'trouble', code, detail }, 'synthesis failed');
  found.reply.trouble = code;
  if (found.one.audioMs === 0) found.one.stage = 'dropped';
  else found.one.audioDone = true;
  advance(desk, found.reply);
}

export function played(desk: Desk, { speech, playedMs, atMs, flushed }: HappeningOf<'played'>): void {
  const found = speaking(desk, speech);
  if (!found) return desk.ignore('played', speech);
  const { reply, one } = found;
  one.playedMs = Math.max(one.playedMs, Math.min(playedMs, one.audioMs));
  if (playedMs > 0) reply.turn.times.soundMs ??= atMs - playedMs;
  markPlayed(one);
  if (flushed && reply.hushed) return finishReply(desk, reply);
  if (!reply.hushed) advance(desk, reply);
}

function markPlayed(speech: Speech): void {
  if (speech.stage !== 'playing' || !speech.audioDone) return;
  if (speech.playedMs < speech.audioMs - PLAYED_TOLERANCE_MS) return;
  speech.stage = 'played';
  // Its last word ends where it ends: the tolerance must not cost a word.
  speech.playedMs = speech.audioMs;
}

/** The assistant stops: nothing more is thought, synthesised or played; then it is settled what was heard. */
export function interrupt(desk: Desk, reason: string): void {
  const { reply } = desk.state;
  if (!reply || reply.hushed) return;
  const sounding = isSounding(reply);
  reply.hushed = reason;
  desk.state.overlapping = false;
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
  abandon(desk, reply, reason);
  state.reply = null;
  if (isOwn(reply.turn)) return;
  mergeInto(state, reply.turn);
}

/** Begun by the assistant: nothing of the caller's is in it. */
function isOwn({ source }: Turn): boolean {
  return source === 'greeting' || source === 'silence';
}

function mergeInto(state: State, earlier: Turn): void {
  const later = state.turn;
  const { voiceBeganMs } = earlier.times;
  state.turn = {
    ...earlier,
    source: later?.source ?? earlier.source,
    wait: later?.wait ?? earlier.wait,
    segments: [...earlier.segments, ...(later?.segments ?? [])],
    voicedMs: earlier.voicedMs + (later?.voicedMs ?? 0),
    pressed: later?.pressed ?? earlier.pressed,
    corrections: earlier.corrections + (later?.corrections ?? 0),
    times: { ...later?.times, ...(voiceBeganMs === undefined ? {} : { voiceBeganMs }) },
  };
}

function abandon(desk: Desk, reply: Reply, reason: string): void {
  if (reply.thought !== null && !reply.writtenDone)
    desk.order({ kind: 'dropThought', thought: reply.thought }, reason);
  for (const speech of reply.speeches) {
    if (speech.stage === 'synthesising' || (speech.stage === 'playing' && !speech.audioDone)) {
      desk.order({ kind: 'dropSynthesis', speech: speech.speech }, reason);
    }
    if (speech.stage === 'synthesising' || speech.stage === 'waiting') speech.stage = 'dropped';
  }
}

/** Writes what was heard into the history, reports the turn, and gives the floor back. */
export function finishReply(desk: Desk, reply: Reply): void {
  const { state } = desk;
  desk.clearTimer('hushDue', 'the line has said what was played');
  if (state.overlapping) {
    state.overlapping = false;
    desk.order({ kind: 'unduck' }, 'the assistant had finished');
  }
  const heard = reply.speeches.flatMap((speech) => heardWords(speech.words, speech.playedMs)).join(' ');
  reply.turn.times.endedMs = desk.nowMs;
  state.reply = null;
  const unheardAnswer = heard === '' && reply.hushed !== null;
  if (unheardAnswer && state.turn?.source === 'voice' && !isOwn(reply.turn)) {
    mergeInto(state, reply.turn);
  } else {
    state.history = addEntry(state.history, 'caller', reply.asked);
    state.history = addEntry(state.history, 'assistant', heard);
    reportTurn(desk, reply.turn, reply, heard);
  }
  if (reply.closing && (reply.hushed === null || reply.hushed === HUSH_ASKED)) return hangUp(desk);
  desk.enter('listening', reply.hushed ?? 'the answer was played to its end');
}

/** Goodbye was said, and the farewell was played. */
function hangUp(desk: Desk): void {
  const why = 'goodbye was said';
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
    times: turn.times,
    gap: gapOf(turn.times),
    flicker: turn.segments.reduce((sum, { settling }) => sum + settling.flicker, 0),
    corrections: turn.corrections,
  };
  desk.tell({ kind: 'turn', report }, interrupted ?? 'the answer was played to its end');
}
