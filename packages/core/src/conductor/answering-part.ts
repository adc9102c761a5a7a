/** The conductor's part that answers: thinking, and speaking phrase by phrase while the answer is still being written. */
import { cutPiece, cutRest, newCutter } from '../speaking/phrase-cutter.js';
import { pauseAfter } from '../speaking/heard-ledger.js';
import { spokenParts, spokenPhrases } from '../speaking/speakable.js';
import { addEntry, type Entry } from '../thinking/history.js';
import { findReply, takeHeadStart, dropHeadStart } from './ahead-part.js';
import type { Desk } from './desk.js';
import { answerIsThere } from './ending-part.js';
import type { HappeningOf } from './happenings.js';
import { finishReply, forgetCutOff } from './interrupting-part.js';
import { awaitFiller, paceOf } from './pace-part.js';
import { spokenLanguage } from './plan.js';
import {
  engineFor,
  KEPT_SOUND,
  loseOne,
  relieveSpeaking,
  relieveThinking,
  serving,
  settleSecond,
} from './relief-part.js';
import { newTurn, type Reply, type Speech, type Turn } from './state.js';

/** So many phrases are synthesised ahead of the one that is playing. */
const PHRASES_AHEAD = 2;
/** A phrase counts as played when less than this of it is left, in ms: the line reports whole packets. */
const PLAYED_TOLERANCE_MS = 2;

/** `given`: the answer that is being spoken; `ahead`: one that nobody knows of yet; `stopped`: one that was hushed. */
export interface Thinking {
  reply: Reply;
  how: 'given' | 'ahead' | 'stopped';
}

export function newReply(turn: Turn, thought: number | null, asked: string): Reply {
  return {
    thought,
    turn,
    asked,
    closing: false,
    handsOver: false,
    tried: [],
    second: null,
    continues: false,
    cutter: newCutter(),
    written: '',
    writtenDone: false,
    speeches: [],
    trouble: null,
    hushed: null,
    resumable: false,
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
  dropHeadStart(desk, reason);
  forgetCutOff(desk, reason);
  state.turn = null;
  state.reply = { ...newReply(turn, null, ''), closing };
  desk.enter('working', reason);
  write(desk, { reply: state.reply, how: 'given' }, text);
  finishWriting(desk, { reply: state.reply, how: 'given' });
}

/** Answers the turn: with what was begun ahead of its end, if that was begun with the same words. */
export function think(desk: Desk, turn: Turn, text: string): void {
  const { state } = desk;
  const reason = turn.source === 'typed' ? 'the caller typed' : (turn.wait?.reason ?? 'the turn is over');
  forgetCutOff(desk, 'the caller said something else');
  state.turn = null;
  state.unheardInARow = 0;
  const ahead = takeHeadStart(desk, turn, text);
  if (ahead) return give(desk, ahead);
  const thought = desk.newId();
  turn.times.thinkingMs = desk.nowMs;
  const engine = engineFor(desk, 'llm')!;
  state.reply = { ...newReply(turn, thought, text), tried: [engine] };
  thinkOrder(desk, thought, [engine], addEntry(state.history, 'caller', text), reason);
  desk.enter('working', 'the turn is over');
  awaitFiller(desk);
}

/** @param tried engines, the last of which is to think */
export function thinkOrder(
  desk: Desk,
  thought: number,
  tried: readonly string[],
  messages: Entry[],
  reason: string,
): void {
  const { state, plan } = desk;
  const answers = state.answers ?? plan.manners.answers;
  const { persona } = plan;
  const language = spokenLanguage(plan);
  const by = serving(desk, 'llm', tried);
  desk.order({ kind: 'think', thought, ...by, persona, messages, answers, language }, reason);
}

/** The head start is kept: what there is of the answer by now is told, and it goes on like any other. */
function give(desk: Desk, reply: Reply): void {
  desk.state.reply = reply;
  desk.enter('working', 'the turn is over');
  if (reply.written !== '')
    desk.tell({ kind: 'reply', turn: reply.turn.turn, text: reply.written }, 'the head start was right');
  for (const speech of reply.speeches) if (speech.audioMs > 0) tellSpeech(desk, reply, speech);
  tellHandOver(desk, reply);
  awaitFiller(desk);
  advance(desk, { reply, how: 'given' });
}

/** Told when the answer is given: nobody has asked yet for one that was begun ahead. */
function tellHandOver(desk: Desk, reply: Reply): void {
  if (!reply.handsOver) return;
  reply.handsOver = false;
  desk.tell({ kind: 'handOver', turn: reply.turn.turn }, 'the engine asks for a person');
}

function thinking(desk: Desk, thought: number): Thinking | null {
  return findReply(
    desk,
    (reply) => (reply.thought === thought || reply.second?.thought === thought) && !reply.writtenDone,
  );
}

export function piece(desk: Desk, { thought, text }: HappeningOf<'piece'>): void {
  const found = thinking(desk, thought);
  if (!found || (found.how === 'stopped' && !found.reply.resumable)) return desk.ignore('piece', thought);
  const { reply } = found;
  settleSecond(desk, reply, thought);
  reply.turn.times.firstPieceMs ??= desk.nowMs;
  const joins = reply.continues && !/\s$/.test(reply.written) && !/^[\s.,;:!?]/.test(text);
  reply.continues = false;
  write(desk, found, joins ? ` ${text}` : text);
}

export function thoughtDone(desk: Desk, { thought, closes }: HappeningOf<'thoughtDone'>): void {
  const found = thinking(desk, thought);
  if (!found || (found.how === 'stopped' && !found.reply.resumable))
    return desk.ignore('thoughtDone', thought);
  if (found.reply.written.trim() === '')
    return failed(desk, found, thought, 'thought-empty', 'the model ended its answer without a word');
  if (closes === 'end') found.reply.closing = true;
  if (closes === 'hand over') found.reply.handsOver = true;
  if (found.how === 'given') tellHandOver(desk, found.reply);
  finishWriting(desk, found);
}

export function thoughtTrouble(desk: Desk, { thought, code, detail }: HappeningOf<'thoughtTrouble'>): void {
  const found = thinking(desk, thought);
  if (!found) return desk.ignore('thoughtTrouble', thought);
  failed(desk, found, thought, code, detail);
}

/** An engine has failed: another one thinks on, if there is one. */
function failed(desk: Desk, found: Thinking, thought: number, code: string, detail: string): void {
  const { reply, how } = found;
  if (loseOne(reply, thought)) return;
  if ((how === 'given' || reply.resumable) && relieveThinking(desk, found, detail)) return;
  fail(desk, found, code, detail);
}

/** Says so when no answer can be thought of; what was written before is still spoken. */
function fail(desk: Desk, found: Thinking, code: string, detail: string): void {
  // Nobody waits for it yet: it is thought again when the turn is over.
  if (found.how === 'ahead') return dropHeadStart(desk, `thinking failed: ${detail}`);
  if (found.how === 'stopped') return forgetCutOff(desk, `thinking failed: ${detail}`);
  desk.tell({ kind: 'trouble', code, detail }, 'thinking failed');
  const { reply } = found;
  reply.trouble = code;
  write(desk, found, `${reply.written === '' ? '' : '\n\n'}${desk.plan.sayings.cannotThink}`);
  finishWriting(desk, found);
}

function write(desk: Desk, found: Thinking, text: string): void {
  const { reply, how } = found;
  reply.written += text;
  if (how === 'given') desk.tell({ kind: 'reply', turn: reply.turn.turn, text }, 'the answer grows');
  const { phrases, cutter } = cutPiece(reply.cutter, text);
  reply.cutter = cutter;
  for (const phrase of phrases) addPhrase(desk, reply, phrase);
  advance(desk, found);
}

function finishWriting(desk: Desk, found: Thinking): void {
  const { reply } = found;
  for (const phrase of cutRest(reply.cutter)) addPhrase(desk, reply, phrase);
  reply.cutter = newCutter();
  reply.writtenDone = true;
  advance(desk, found);
}

export function newSpeech(desk: Desk, text: string, filler = false): Speech {
  return {
    speech: desk.newId(),
    text,
    stage: 'waiting',
    audioMs: 0,
    audioDone: false,
    words: [],
    estimated: false,
    playedMs: 0,
    tried: [],
    pauseMs: 0,
    rate: 1,
    filler,
  };
}

function addPhrase(desk: Desk, reply: Reply, phrase: string): void {
  for (const text of spokenParts(phrase)) {
    reply.turn.times.firstPhraseMs ??= desk.nowMs;
    reply.speeches.push(newSpeech(desk, text));
  }
}

/** Orders what can be ordered by now: synthesis a little ahead, playing in order, the end of the reply. */
export function advance(desk: Desk, { reply, how }: Thinking): void {
  if (how === 'stopped') return;
  const live = reply.speeches.filter(({ stage }) => stage !== 'played' && stage !== 'dropped');
  // Ahead of the turn's end only the first phrase is made: the rest may be for nothing.
  const many = how === 'ahead' ? 1 : PHRASES_AHEAD + 1;
  live.slice(0, many).forEach((speech) => synthesise(desk, reply, speech));
  if (how === 'ahead') return;
  for (const speech of live) {
    if (speech.stage === 'playing') continue;
    if (speech.stage !== 'synthesising' || speech.audioMs === 0) break;
    speech.stage = 'playing';
    desk.clearTimer('filler', 'the answer is there');
    desk.order({ kind: 'play', speech: speech.speech }, 'it is the next phrase, and its sound is there');
    desk.enter('answering', 'the assistant speaks');
  }
  if (reply.writtenDone && live.length === 0) finishReply(desk, reply);
}

function synthesise(desk: Desk, reply: Reply, speech: Speech): void {
  if (speech.stage !== 'waiting') return;
  speech.stage = 'synthesising';
  const last = reply.writtenDone && speech === reply.speeches.at(-1);
  speech.pauseMs = last ? 0 : pauseAfter(speech.text);
  speech.rate = paceOf(desk);
  speech.tried = [speech.tried.at(-1) ?? engineFor(desk, 'tts')!];
  const { speech: id, text, pauseMs, rate } = speech;
  const language = spokenLanguage(desk.plan);
  const by = serving(desk, 'tts', speech.tried);
  desk.order(
    { kind: 'synthesise', speech: id, ...by, text, language, pauseMs, rate, keep: { ms: 0, words: 0 } },
    'a phrase is written',
  );
}

function speaking(desk: Desk, speech: number): (Thinking & { one: Speech }) | null {
  const found = findReply(desk, ({ speeches }) =>
    speeches.some((each) => each.speech === speech && each.stage !== 'dropped'),
  );
  return found && { ...found, one: found.reply.speeches.find((each) => each.speech === speech)! };
}

function tellSpeech(desk: Desk, { turn }: Reply, { speech, text, words, estimated }: Speech): void {
  desk.tell({ kind: 'speech', turn: turn.turn, speech, text, words, estimated }, 'its sound begins to come');
}

export function audio(desk: Desk, happening: HappeningOf<'audio'>): void {
  const found = speaking(desk, happening.speech);
  if (!found || found.how === 'stopped') return desk.ignore('audio', happening.speech);
  const { reply, how, one } = found;
  if (!one.filler) reply.turn.times.firstAudioMs ??= desk.nowMs;
  const isFirst = one.audioMs === 0;
  const before = one.words;
  one.audioMs = happening.audioMs;
  one.audioDone = happening.done;
  one.words = happening.words;
  one.estimated = happening.estimated;
  // Where the words' times were only estimated they are known better when all of the sound is there.
  const isBetter = () => one.audioDone && JSON.stringify(before) !== JSON.stringify(one.words);
  if (how === 'given' && (isFirst || isBetter())) tellSpeech(desk, reply, one);
  if (isFirst && how === 'ahead') answerIsThere(desk);
  if (one.audioDone && one.audioMs === 0) one.stage = 'dropped';
  markPlayed(one);
  advance(desk, found);
}

export function synthesisTrouble(
  desk: Desk,
  { speech, code, detail }: HappeningOf<'synthesisTrouble'>,
): void {
  const found = speaking(desk, speech);
  if (!found || found.how === 'stopped') return desk.ignore('synthesisTrouble', speech);
  if (found.how === 'ahead') return dropHeadStart(desk, `synthesis failed: ${detail}`);
  const { reply, one } = found;
  if (!one.tried.includes(KEPT_SOUND) && relieveSpeaking(desk, reply.turn, one, detail))
    return advance(desk, found);
  desk.tell({ kind: 'trouble', code, detail }, 'synthesis failed');
  reply.trouble = code;
  if (one.audioMs === 0) one.stage = 'dropped';
  else one.audioDone = true;
  markPlayed(one);
  if (!one.tried.includes(KEPT_SOUND)) sayFromKept(desk, reply);
  advance(desk, found);
}

/** No voice is left: a kept recording says so, once, in place of the rest of the answer. */
function sayFromKept(desk: Desk, reply: Reply): void {
  const text = desk.plan.sayings.cannotSpeak;
  for (const speech of reply.speeches) if (speech.stage === 'waiting') speech.stage = 'dropped';
  if (text === '' || reply.speeches.some(({ tried }) => tried.includes(KEPT_SOUND))) return;
  for (const phrase of spokenPhrases(text))
    reply.speeches.push({ ...newSpeech(desk, phrase), tried: [KEPT_SOUND] });
}

export function played(desk: Desk, { speech, playedMs, atMs, flushed }: HappeningOf<'played'>): void {
  const found = speaking(desk, speech);
  if (!found || found.how === 'ahead') return desk.ignore('played', speech);
  const { reply, one } = found;
  one.playedMs = Math.max(one.playedMs, Math.min(playedMs, one.audioMs));
  if (playedMs > 0 && !one.filler) reply.turn.times.soundMs ??= atMs - playedMs;
  markPlayed(one);
  if (flushed && reply.hushed && reply === desk.state.reply) return finishReply(desk, reply);
  if (!reply.hushed) advance(desk, found);
}

function markPlayed(speech: Speech): void {
  if (speech.stage !== 'playing' || !speech.audioDone) return;
  if (speech.playedMs < speech.audioMs - PLAYED_TOLERANCE_MS) return;
  speech.stage = 'played';
  // Its last word ends where it ends: the tolerance must not cost a word.
  speech.playedMs = speech.audioMs;
}
