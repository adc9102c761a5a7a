/**
 * The conductor's part that chooses engines, and another one when the one that serves fails, is late or is swapped: at the next
 * segment, thought or phrase, and within one of them without losing or repeating a word.
 */
import { nextEngine } from '../lineup/choose.js';
import { addEntry } from '../thinking/history.js';
import { dropHeadStart } from './ahead-part.js';
import { thinkOrder, type Thinking } from './answering-part.js';
import type { Desk } from './desk.js';
import type { HappeningOf } from './happenings.js';
import type { Serving } from './orders.js';
import { spokenLanguage, type EngineRole } from './plan.js';
import type { Reply, Segment, Speech, Turn } from './state.js';

/** A word counts as said when less than this of it is missing, in ms. */
const SAID_TOLERANCE_MS = 30;
/** Stands for whatever engine once spoke a text that was kept as sound. */
export const KEPT_SOUND = 'kept';

/** The engine that is to serve next. */
export function engineFor({ state }: Desk, role: EngineRole, tried: readonly string[] = []): string | null {
  return nextEngine(state.lineup[role], state.resting, tried);
}

/** The last of those that are tried serves: as an order says it. */
export function serving(desk: Desk, role: EngineRole, tried: readonly string[]): Serving {
  return { engine: tried.at(-1)!, alone: engineFor(desk, role, tried) === null };
}

export function swapAsked(desk: Desk, { role, engine }: HappeningOf<'swapAsked'>): void {
  const { lineup } = desk.state;
  lineup[role] = [engine, ...lineup[role].filter((one) => one !== engine)];
  desk.tell({ kind: 'swapped', role, engine }, 'it serves from the next one on');
}

/** Another language: from the next segment, thought and phrase on. What was begun in the old one and not heard is dropped. */
export function languageSet(desk: Desk, { hears, speaks, lineup }: HappeningOf<'languageSet'>): void {
  const { state } = desk;
  const why = 'another language is spoken from now on';
  dropHeadStart(desk, why);
  state.plan = { ...desk.plan, language: hears, speaks };
  state.lineup = lineup;
  desk.tell({ kind: 'languageSet', hears, speaks }, why);
}

export function engineIs({ state }: Desk, { engine, resting }: HappeningOf<'engineIs'>): void {
  if (resting === null) delete state.resting[engine];
  else state.resting[engine] = resting;
}

function tellRelief(desk: Desk, turn: Turn, role: EngineRole, from: string, to: string, why: string): void {
  turn.reliefs.push({ role, from, to, why });
  desk.tell({ kind: 'relieved', turn: turn.turn, role, from, to, why }, why);
}

/** The segment so far goes to the next engine, faster than real time. @returns false where nobody is left */
export function relieveHearing(desk: Desk, turn: Turn, segment: Segment, why: string): boolean {
  const next = engineFor(desk, 'stt', segment.tried);
  if (next === null) return false;
  tellRelief(desk, turn, 'stt', segment.tried.at(-1)!, next, why);
  segment.tried.push(next);
  segment.recognition = desk.newId();
  const { recognition, fromMs, toMs } = segment;
  const { language } = desk.plan;
  const by = serving(desk, 'stt', segment.tried);
  desk.order({ kind: 'openRecognition', recognition, ...by, language, fromMs, toMs }, why);
  return true;
}

/** The next engine goes on after what was already given to be spoken. @returns false where nobody is left */
export function relieveThinking(desk: Desk, found: Thinking, why: string): boolean {
  const { reply } = found;
  const next = engineFor(desk, 'llm', reply.tried);
  if (next === null || reply.thought === null) return false;
  if (found.how === 'given') tellRelief(desk, reply.turn, 'llm', reply.tried.at(-1)!, next, why);
  // What was written and not yet cut into a phrase was promised to nobody.
  reply.written = reply.written.slice(0, reply.written.length - reply.cutter.rest.length);
  reply.cutter = { ...reply.cutter, rest: '' };
  if (found.how === 'given')
    desk.tell({ kind: 'reply', turn: reply.turn.turn, text: '', after: reply.written.length }, why);
  reply.continues = reply.written.trim() !== '';
  reply.tried.push(next);
  reply.thought = desk.newId();
  thinkOrder(desk, reply.thought, reply.tried, messagesFor(desk, reply), why);
  return true;
}

function messagesFor({ state }: Desk, reply: Reply) {
  return addEntry(addEntry(state.history, 'caller', reply.asked), 'assistant', reply.written);
}

/** It takes long: another engine is asked beside it, and the first that answers goes on. */
export function thoughtLate(desk: Desk, { thought }: HappeningOf<'thoughtLate'>): void {
  const { reply } = desk.state;
  if (reply?.thought !== thought || reply.written !== '' || reply.second || reply.hushed)
    return desk.ignore('thoughtLate', thought);
  const engine = engineFor(desk, 'llm', reply.tried);
  if (engine === null || Object.hasOwn(desk.state.resting, engine)) return;
  reply.second = { thought: desk.newId(), engine };
  thinkOrder(
    desk,
    reply.second.thought,
    [...reply.tried, engine],
    messagesFor(desk, reply),
    'the first engine is late',
  );
}

/** Of two that think the same, one has begun to answer: the other is dropped. */
export function settleSecond(desk: Desk, reply: Reply, thought: number): void {
  const { second } = reply;
  if (!second) return;
  reply.second = null;
  const isFirst = reply.thought === thought;
  const loser = isFirst ? second.thought : reply.thought!;
  desk.order({ kind: 'dropThought', thought: loser }, 'another engine answered first');
  if (isFirst) return;
  tellRelief(desk, reply.turn, 'llm', reply.tried.at(-1)!, second.engine, 'it answered first');
  reply.tried.push(second.engine);
  reply.thought = second.thought;
}

/** One of two that think the same has failed: the other goes on. @returns false where there is no other */
export function loseOne(reply: Reply, thought: number): boolean {
  const { second } = reply;
  if (!second) return false;
  reply.second = null;
  reply.tried.push(second.engine);
  if (reply.thought === thought) reply.thought = second.thought;
  return true;
}

/** The next voice goes on after the last word of which there is sound. @returns false where nobody is left */
export function relieveSpeaking(desk: Desk, turn: Turn, speech: Speech, why: string): boolean {
  const next = engineFor(desk, 'tts', speech.tried);
  if (next === null) return false;
  tellRelief(desk, turn, 'tts', speech.tried.at(-1)!, next, why);
  speech.tried.push(next);
  // Even where no word is left: the line must be told that the phrase ends.
  const { text, keep } = restOf(speech);
  const { speech: id, pauseMs, rate } = speech;
  const language = spokenLanguage(desk.plan);
  const by = serving(desk, 'tts', speech.tried);
  desk.order({ kind: 'synthesise', speech: id, ...by, text, language, pauseMs, rate, keep }, why);
  return true;
}

/** What of the phrase there is no sound of yet, and up to where its sound is kept. */
function restOf({ text, words, audioMs }: Speech): { text: string; keep: { ms: number; words: number } } {
  const said = words.filter(({ endMs }) => endMs <= audioMs + SAID_TOLERANCE_MS);
  const tokens = text.split(/\s+/).filter(Boolean);
  if (audioMs === 0 || said.length === 0) return { text, keep: { ms: 0, words: 0 } };
  // A number is one token and several words: the share tells where the text stands.
  const count =
    words.length === tokens.length ? said.length : Math.floor((tokens.length * said.length) / words.length);
  const ms = Math.min(audioMs, said.at(-1)!.endMs);
  return { text: tokens.slice(count).join(' '), keep: { ms, words: said.length } };
}
