/** The conductor's part that hears: the caller's voice, its recognition, and the end of the caller's turn. */
import { PRE_ROLL_MS, TAIL_MS } from '../hearing/ear.js';
import { decideWait } from '../hearing/endpoint.js';
import { corrections, newSettling, settle, shownWords } from '../hearing/settling.js';
import type { Desk } from './desk.js';
import type { HappeningOf } from './happenings.js';
import { interrupt, isSounding, takeBack } from './answering-part.js';
import { newTurn, spokenText, writtenWords, type Segment, type Turn } from './state.js';

/** Voice over the assistant for this long is an interruption, in ms. */
const INTERRUPTION_MS = 180;
/** A final that has not come this long after it was due is done without, in ms. */
const FINAL_DUE_MS = 4_000;

export function voiceBegan(desk: Desk, { atMs }: HappeningOf<'voiceBegan'>): void {
  const { state, plan } = desk;
  state.voiceActive = true;
  if (state.reply?.closing || (state.floor === 'press' && !state.press)) return;
  desk.clearTimer('rest', 'the caller speaks');
  desk.clearTimer('firstWord', 'the caller speaks');
  state.silenceNoticed = false;
  if (openOne(state.turn)) return;
  if (isSounding(state.reply)) {
    if (plan.manners.interrupt === 'key') return;
    state.overlapping = true;
    desk.order({ kind: 'duck' }, 'the caller began to speak over the assistant');
  } else if (state.reply && !state.reply.hushed) {
    takeBack(desk, 'the caller goes on speaking');
  }
  openSegment(desk, atMs);
}

export function voiceGoes(desk: Desk, { atMs, voicedMs }: HappeningOf<'voiceGoes'>): void {
  const { state } = desk;
  if (state.overlapping && voicedMs >= INTERRUPTION_MS) {
    state.overlapping = false;
    interrupt(desk, `the caller spoke over the assistant for ${voicedMs} ms`);
  }
  const isHeard = state.floor === 'open' || state.press !== null;
  if (state.voiceActive && isHeard && !openOne(state.turn) && !state.reply) openSegment(desk, atMs);
}

export function voiceEnded(desk: Desk, { atMs, voicedMs }: HappeningOf<'voiceEnded'>): void {
  const { state, plan } = desk;
  state.voiceActive = false;
  const open = openOne(state.turn);
  if (!state.turn || !open) {
    if (state.phase === 'listening') desk.enter('listening', 'the voice has ended');
    return;
  }
  desk.tell({ kind: 'voice', change: 'ended', voiceMs: atMs }, 'the ear noticed silence');
  if (state.overlapping) {
    state.overlapping = false;
    desk.order({ kind: 'unduck' }, `only ${voicedMs} ms of voice: not an interruption`);
    desk.order({ kind: 'dropRecognition', recognition: open.recognition }, 'it was not an interruption');
    state.turn = null;
    return;
  }
  closeSegment(desk, open, atMs + TAIL_MS, 'the voice has paused');
  state.turn.times.voiceEndedMs = atMs;
  state.turn.voicedMs += voicedMs;
  if (state.press) return;
  if (state.turn.pressed) return endTurn(desk, 'the key was released');
  state.turn.wait = decideWait(plan.manners.leewayMs);
  desk.setTimer('endpoint', atMs + state.turn.wait.ms - desk.nowMs, state.turn.wait.reason);
}

export function closeSegment(desk: Desk, segment: Segment, toMs: number, reason: string): void {
  segment.toMs = toMs;
  desk.order({ kind: 'closeRecognition', recognition: segment.recognition, toMs }, reason);
}

export function openOne(turn: Turn | null): Segment | undefined {
  return turn?.segments.find((segment) => segment.toMs === null);
}

export function openSegment(desk: Desk, atMs: number): void {
  const { state } = desk;
  desk.clearTimer('endpoint', 'the caller goes on speaking');
  desk.clearTimer('finalDue', 'the caller goes on speaking');
  desk.tell({ kind: 'voice', change: 'began', voiceMs: atMs }, 'the ear noticed voice');
  state.turn ??= newTurn(desk.newId(), 'voice');
  const { turn } = state;
  turn.times.voiceBeganMs ??= atMs;
  delete turn.times.endpointMs;
  const before = turn.segments.at(-1)?.toMs ?? 0;
  const segment: Segment = {
    recognition: desk.newId(),
    fromMs: Math.max(0, before, atMs - PRE_ROLL_MS),
    toMs: null,
    settling: newSettling(),
    shown: [],
    final: null,
    typed: null,
  };
  turn.segments.push(segment);
  desk.order(
    { kind: 'openRecognition', recognition: segment.recognition, fromMs: segment.fromMs },
    'the caller speaks',
  );
  if (!isSounding(state.reply)) desk.enter('listening', 'the caller speaks');
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
}

export function recognitionTrouble(
  desk: Desk,
  { recognition, code, detail }: HappeningOf<'recognitionTrouble'>,
): void {
  const found = findSegment(desk, recognition);
  if (!found) return desk.ignore('recognitionTrouble', recognition);
  desk.tell({ kind: 'trouble', code, detail }, 'recognition failed');
  doWithoutFinal(found.segment);
}

/** The provisional words are all there will be. */
function doWithoutFinal(segment: Segment): void {
  const shown = shownWords(segment.settling);
  const at = segment.fromMs;
  segment.final = shown.map((word, i) => segment.shown[i] ?? { word, fromMs: at, toMs: at });
}

export function endpointRang(desk: Desk): void {
  const { turn } = desk.state;
  if (turn) endTurn(desk, turn.wait?.reason ?? 'the turn is over');
}

/** The caller has finished; what is still being recognised is waited for. */
export function endTurn(desk: Desk, reason: string): void {
  const { turn, reply } = desk.state;
  if (!turn) return;
  desk.clearTimer('endpoint', reason);
  turn.times.endpointMs = desk.nowMs;
  turn.wait ??= { ms: Math.max(0, desk.nowMs - (turn.times.voiceEndedMs ?? desk.nowMs)), reason };
  if (!reply) desk.enter('working', reason);
  if (turn.segments.some(({ final }) => final === null)) {
    desk.setTimer('finalDue', FINAL_DUE_MS, 'the last final has not come yet');
  }
}

export function finalDueRang(desk: Desk): void {
  for (const segment of desk.state.turn?.segments ?? []) {
    if (segment.final !== null) continue;
    desk.order({ kind: 'dropRecognition', recognition: segment.recognition }, 'its final is overdue');
    doWithoutFinal(segment);
  }
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
    settling: newSettling(),
    shown: [],
  };
  turn.segments.push({ ...segment, final: [], typed: text.trim() });
  state.silenceNoticed = false;
  if (openOne(turn)) return;
  desk.clearTimer('endpoint', 'the caller typed');
  turn.times.voiceEndedMs ??= desk.nowMs;
  turn.times.endpointMs = desk.nowMs;
  turn.times.finalMs = desk.nowMs;
  desk.enter('working', 'the caller typed');
}
