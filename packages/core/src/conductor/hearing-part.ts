/** The conductor's part that hears: the caller's voice and its recognition. */
import { OVERLAP_PRE_ROLL_MS, PRE_ROLL_MS, TAIL_MS } from '../hearing/ear.js';
import { corrections, newSettling, settle, shownWords } from '../hearing/settling.js';
import { considerHeadStart } from './ahead-part.js';
import type { Desk } from './desk.js';
import {
  awaitEnd,
  awaitFinal,
  closeSegment,
  endTurn,
  openOne,
  pauseOver,
  stopWaiting,
} from './ending-part.js';
import type { HappeningOf } from './happenings.js';
import { interrupt, isSounding, takeBack } from './interrupting-part.js';
import { engineFor, relieveHearing, serving } from './relief-part.js';
import { beginOverlap, isDeaf, judgeOverlap, overlapGoes, overlapPaused } from './overlap-part.js';
import { newTurn, spokenText, writtenWords, type Segment, type Turn } from './state.js';

/** How fast the known pace of the caller follows what is heard, a final. */
const PACE_SHARE = 0.4;
const LEAST_PACE_WORDS = 4;
/** A voice that begins so soon after the assistant's may still be hers, in ms. */
const ECHO_TAIL_MS = 600;

/**
 * A voice that does not pause is heard in segments of at most this length, and as a turn of at most that one, in ms: what is
 * kept of a caller's sound, and what an engine is sent at once, stays bounded.
 */
const LONGEST_SEGMENT_MS = 30_000;
export const LONGEST_TURN_MS = 180_000;

export function voiceBegan(desk: Desk, { atMs }: HappeningOf<'voiceBegan'>): void {
  const { state } = desk;
  state.voiceActive = true;
  state.voiceUnheeded = false;
  state.nodded = { voicedMs: 0, pitchedMs: 0 };
  if (state.reply?.closing || (state.floor === 'press' && !state.press)) return;
  desk.clearTimer('rest', 'the caller speaks');
  desk.clearTimer('firstWord', 'the caller speaks');
  state.silenceNoticed = false;
  if (openOne(state.turn)) return;
  hearOn(desk, atMs);
}

export function voiceGoes(desk: Desk, happening: HappeningOf<'voiceGoes'>): void {
  const { atMs } = happening;
  const { state } = desk;
  const { turn } = state;
  const isHeard = (state.floor === 'open' || state.press !== null) && !state.reply?.closing;
  if (!state.voiceActive || state.voiceUnheeded || !isHeard) return;
  if (state.overlap) overlapGoes(desk, happening);
  const open = openOne(turn);
  if (!turn || !open) return hearOn(desk, atMs);
  if (turn.pause) pauseOver(desk, turn, atMs);
  if (!turn.pressed && atMs - turn.times.voiceBeganMs! > LONGEST_TURN_MS) {
    state.voiceUnheeded = true;
    turn.times.voiceEndedMs = atMs;
    return endTurn(desk, `it is ${LONGEST_TURN_MS / 1000} s long: no turn is longer`);
  }
  if (atMs - open.fromMs < LONGEST_SEGMENT_MS) return;
  closeSegment(desk, open, atMs, `it is ${LONGEST_SEGMENT_MS / 1000} s long: no segment is longer`);
  addSegment(desk, turn, atMs, 'the voice goes on');
}

/** A voice that no recognition listens to yet: over the assistant, after what seemed the end, or in an open floor. */
function hearOn(desk: Desk, atMs: number): void {
  const { state } = desk;
  if (isSounding(state.reply)) {
    if (isDeaf(desk)) return;
    if (!state.overlap) beginOverlap(desk);
  } else if (state.reply && !state.reply.hushed) {
    takeBack(desk, 'the caller goes on speaking');
  }
  openSegment(desk, atMs);
}

export function voiceEnded(desk: Desk, { atMs, voicedMs }: HappeningOf<'voiceEnded'>): void {
  const { state } = desk;
  const { turn } = state;
  state.voiceActive = false;
  if (state.voiceTold)
    desk.tell({ kind: 'voice', change: 'ended', voiceMs: atMs }, 'the ear noticed silence');
  state.voiceTold = false;
  if (!turn || turn.segments.length === 0 || turn.times.endpointMs !== undefined) {
    if (state.phase === 'listening') desk.enter('listening', 'the voice has ended');
    return;
  }
  turn.voicedMs += voicedMs;
  turn.stretchMs = 0;
  turn.times.voiceEndedMs = atMs;
  turn.pause ??= { atMs, ending: null };
  if (state.overlap) return overlapPaused(desk, atMs + TAIL_MS);
  const open = openOne(turn);
  if (open) closeSegment(desk, open, atMs + TAIL_MS, 'the voice has paused');
  if (state.press) return;
  if (turn.pressed) return endTurn(desk, 'the key was released');
  awaitEnd(desk, turn);
}

export function openSegment(desk: Desk, atMs: number): void {
  const { state } = desk;
  desk.tell({ kind: 'voice', change: 'began', voiceMs: atMs }, 'the ear noticed voice');
  state.voiceTold = true;
  const overlapped = state.overlap !== null || atMs - state.lastSaid.atMs < ECHO_TAIL_MS;
  state.turn ??= { ...newTurn(desk.newId(), 'voice'), overlapped };
  const { turn } = state;
  pauseOver(desk, turn, atMs);
  turn.times.voiceBeganMs ??= atMs;
  addSegment(desk, turn, atMs - (state.overlap ? OVERLAP_PRE_ROLL_MS : PRE_ROLL_MS), 'the caller speaks');
  if (!isSounding(state.reply)) desk.enter('listening', 'the caller speaks');
}

/** Recognition of the turn's next segment begins, with the sound from `atMs` on that no segment has had. */
function addSegment(desk: Desk, turn: Turn, atMs: number, reason: string): void {
  const before = turn.segments.at(-1)?.toMs ?? 0;
  const segment: Segment = {
    recognition: desk.newId(),
    fromMs: Math.max(0, before, atMs),
    toMs: null,
    tried: [engineFor(desk, 'stt')!],
    settling: newSettling(),
    shown: [],
    final: null,
    typed: null,
  };
  turn.segments.push(segment);
  const { recognition, fromMs } = segment;
  const { language } = desk.plan;
  const by = serving(desk, 'stt', segment.tried);
  desk.order({ kind: 'openRecognition', recognition, ...by, language, fromMs, toMs: null }, reason);
}

function findSegment(desk: Desk, recognition: number): { turn: Turn; segment: Segment } | null {
  const { turn } = desk.state;
  const segment = turn?.segments.find((one) => one.recognition === recognition && one.final === null);
  return turn && segment ? { turn, segment } : null;
}

export function partial(desk: Desk, { recognition, words }: HappeningOf<'partial'>): void {
  const found = findSegment(desk, recognition);
  if (!found) return desk.ignore('partial', recognition);
  const { turn, segment } = found;
  segment.settling = settle(
    segment.settling,
    words.map(({ word }) => word),
  );
  segment.shown = words;
  const earlier = turn.segments.filter((one) => one !== segment).map(spokenText);
  desk.tell(
    {
      kind: 'partial',
      turn: turn.turn,
      settled: [...earlier, ...segment.settling.settled].filter(Boolean).join(' '),
      open: segment.settling.open.map(({ word }) => word).join(' '),
    },
    'recognition has provisional words',
  );
  if (desk.state.overlap) return judgeOverlap(desk, false);
  if (turn.times.endpointMs === undefined) awaitEnd(desk, turn);
  considerHeadStart(desk);
}

export function final(desk: Desk, { recognition, words, alternatives }: HappeningOf<'final'>): void {
  const found = findSegment(desk, recognition);
  if (!found) return desk.ignore('final', recognition);
  const { turn, segment } = found;
  const heard = words.map(({ word }) => word);
  turn.corrections += corrections(segment.settling, heard);
  segment.final = words;
  turn.times.finalMs = desk.nowMs;
  const begins = turn.segments.every((one) => one === segment || spokenText(one) === '');
  const written = writtenWords(desk.plan, words, begins, false);
  const text = written.map(({ word }) => word).join(' ');
  desk.tell(
    { kind: 'final', turn: turn.turn, recognition, text, words: written, alternatives },
    'recognition of the segment is final',
  );
  learnPace(desk, words);
  if (desk.state.overlap) return judgeOverlap(desk, openOne(turn) === undefined);
  if (segment === turn.segments.at(-1)) awaitEnd(desk, turn);
  considerHeadStart(desk);
}

/** Words a second of what the caller says. */
function learnPace({ state }: Desk, words: HappeningOf<'final'>['words']): void {
  if (words.length < LEAST_PACE_WORDS) return;
  const seconds = (words.at(-1)!.toMs - words[0]!.fromMs) / 1000;
  if (seconds <= 0) return;
  const pace = words.length / seconds;
  state.pace = state.pace === null ? pace : state.pace + PACE_SHARE * (pace - state.pace);
}

export function recognitionTrouble(
  desk: Desk,
  { recognition, code, detail }: HappeningOf<'recognitionTrouble'>,
): void {
  const found = findSegment(desk, recognition);
  if (!found) return desk.ignore('recognitionTrouble', recognition);
  if (relieveHearing(desk, found.turn, found.segment, detail)) return awaitFinal(desk, found.turn);
  desk.tell({ kind: 'trouble', code, detail }, 'recognition failed');
  found.turn.deaf = true;
  doWithoutFinal(found.segment);
  if (desk.state.overlap) judgeOverlap(desk, true);
}

/** The provisional words are all there will be. */
function doWithoutFinal(segment: Segment): void {
  const shown = shownWords(segment.settling);
  const at = segment.fromMs;
  segment.final = shown.map((word, i) => segment.shown[i] ?? { word, fromMs: at, toMs: at });
}

export function finalDueRang(desk: Desk): void {
  const { turn } = desk.state;
  for (const segment of turn?.segments ?? []) {
    if (segment.final !== null) continue;
    const why = 'its final is overdue';
    desk.order({ kind: 'dropRecognition', recognition: segment.recognition }, why);
    if (!relieveHearing(desk, turn!, segment, why)) doWithoutFinal(segment);
  }
  if (turn) awaitFinal(desk, turn);
}

/** Typed words join the turn that is being heard, or are a turn of their own. */
export function typed(desk: Desk, { text }: HappeningOf<'typed'>): void {
  const { state } = desk;
  if (state.reply && !state.reply.hushed) interrupt(desk, 'the caller typed');
  state.turn ??= newTurn(desk.newId(), 'typed');
  const { turn } = state;
  const segment = {
    recognition: desk.newId(),
    fromMs: desk.nowMs,
    toMs: desk.nowMs,
    tried: [],
    settling: newSettling(),
    shown: [],
  };
  turn.segments.push({ ...segment, final: [], typed: text.trim() });
  state.silenceNoticed = false;
  if (openOne(turn)) return;
  stopWaiting(desk, 'the caller typed');
  turn.times.voiceEndedMs ??= desk.nowMs;
  turn.times.endpointMs = desk.nowMs;
  turn.times.finalMs = desk.nowMs;
  desk.enter('working', 'the caller typed');
}
