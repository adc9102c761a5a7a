/**
 * Listening: the caller's voice, the segments that go through recognition, and another engine where one
 * fails.
 */
import { TAIL_MS } from '../../hearing/ear.js';
import { settledWords } from '../state/readings.js';
import { corrections, settle, shownWords } from '../../hearing/settling.js';
import type { HeardWord } from '../../vocabulary/words.js';
import type { Cause } from '../contract/causes.js';
import type { HappeningOf } from '../contract/happenings.js';
import type { Desk } from '../state/desk.js';
import { askedFor } from '../state/errands.js';
import { callerIsThere, forgetNods } from '../state/floor.js';
import { engineFor, serving } from '../state/lineup.js';
import { isListenedTo } from '../state/state.js';
import {
  byOf,
  hasAllFinals,
  newSegment,
  openSegment,
  pauseIn,
  spokenText,
  writtenWords,
  type Segment,
  type Turn,
} from '../state/turn.js';

/** How fast the known pace of the caller follows what is heard, a final. */
const PACE_SHARE = 0.4;
const LEAST_PACE_WORDS = 4;
/**
 * A final that has not come this long after it was due is done without, in ms: another engine is asked. Where
 * there is none, and the words shown do not reach the end of the voice, it is waited for up to so many times
 * as long: it may be catching up, and half of what was said is worse than a wait.
 */
const FINAL_DUE_MS = 4_000;
const MOST_FINAL_WAITS = 4;
/** The last word ends at most this long before the end of the sound, in ms, where the words reach it. */
const SHOWN_END_MS = 1_000;
/**
 * A voice that does not pause is heard in segments of at most this length, and as a turn of at most that one,
 * in ms: what is kept of a caller's sound, and what an engine is sent at once, stays bounded.
 */
const LONGEST_SEGMENT_MS = 30_000;
const LONGEST_TURN_MS = 180_000;
/** A voice that goes on so long after the phrase that woke the assistant says something, in ms. */
const PHRASE_END_MS = 200;

export function voiceBegan(desk: Desk, { atMs }: HappeningOf<'voiceBegan'>): void {
  const { state } = desk;
  const { floor } = state;
  floor.voiceActive = true;
  floor.voiceUnheeded = false;
  forgetNods(floor);
  if (!isListenedTo(state)) return;
  desk.clearTimer('rest', { kind: 'callerSpeaks' });
  desk.clearTimer('firstWord', { kind: 'callerSpeaks' });
  callerIsThere(floor);
  if (!openSegment(state.turn)) desk.raise({ kind: 'voiceOn', atMs });
}

export function voiceGoes(desk: Desk, { atMs }: HappeningOf<'voiceGoes'>): void {
  const { state } = desk;
  const { floor, turn } = state;
  if (!floor.voiceActive || floor.voiceUnheeded || !isListenedTo(state)) return;
  if (atMs < floor.wokenMs + PHRASE_END_MS) return;
  const open = openSegment(turn);
  if (!turn || !open) return desk.raise({ kind: 'voiceOn', atMs });
  if (pauseIn(turn)) desk.raise({ kind: 'wentOn', atMs });
  if (turn.stage.at !== 'held' && atMs - turn.segments[0]!.fromMs > LONGEST_TURN_MS) {
    floor.voiceUnheeded = true;
    turn.times.voiceEndedMs = atMs;
    return desk.raise({ kind: 'turnEnded', cause: { kind: 'turnTooLong', s: LONGEST_TURN_MS / 1000 } });
  }
  if (atMs - open.fromMs < LONGEST_SEGMENT_MS) return;
  close(desk, open, atMs, { kind: 'segmentTooLong', s: LONGEST_SEGMENT_MS / 1000 });
  listen(desk, turn, atMs, { kind: 'voiceGoesOn' });
}

export function voicePaused(desk: Desk, happening: HappeningOf<'voicePaused'>): void {
  const { turn } = desk.state;
  if (!turn || !openSegment(turn)) return;
  const { atMs, voicedMs, pitchedMs, ending } = happening;
  turn.stretchMs = voicedMs;
  turn.times.voiceEndedMs = atMs;
  desk.raise({ kind: 'fellSilent', pause: { atMs, ending }, voicedMs, pitchedMs });
}

export function voiceEnded(desk: Desk, { atMs, voicedMs }: HappeningOf<'voiceEnded'>): void {
  const { floor, turn, phase } = desk.state;
  floor.voiceActive = false;
  if (floor.voiceTold)
    desk.tell({ kind: 'voice', change: 'ended', voiceMs: atMs }, { kind: 'silenceNoticed' });
  floor.voiceTold = false;
  if (!turn || turn.segments.length === 0 || turn.stage.at === 'ended') {
    if (phase === 'listening') desk.enter('listening', { kind: 'voiceEnded' });
    return;
  }
  turn.voicedMs += voicedMs;
  turn.stretchMs = 0;
  turn.times.voiceEndedMs = atMs;
  desk.raise({ kind: 'stretchOver', atMs });
}

/**
 * The line is told that the caller is heard, and recognition begins. @param atMs where in the sound it begins
 */
export function listenToVoice(desk: Desk, turn: Turn, voiceMs: number, atMs: number): void {
  turn.times.voiceBeganMs ??= voiceMs;
  desk.tell({ kind: 'voice', change: 'began', voiceMs }, { kind: 'voiceNoticed' });
  desk.state.floor.voiceTold = true;
  listen(desk, turn, atMs, { kind: 'callerSpeaks' });
}

/** Recognition of the turn's next segment begins, with the sound from `atMs` on that no segment has had. */
function listen(desk: Desk, turn: Turn, atMs: number, cause: Cause): void {
  const { lineup, floor } = desk.state;
  const before = turn.segments.at(-1)?.toMs ?? floor.wokenMs;
  const segment = newSegment(desk.newId(), Math.max(0, before, atMs), engineFor(lineup, 'stt'));
  turn.segments.push(segment);
  open(desk, segment, cause);
}

function open(desk: Desk, { recognition, fromMs, toMs, tried }: Segment, cause: Cause): void {
  const { language } = desk.plan;
  const by = serving(desk.state.lineup, 'stt', tried);
  const asked = askedFor(desk.state.errands);
  const expecting = asked === null ? {} : { expecting: asked };
  desk.order({ kind: 'openRecognition', recognition, ...by, language, fromMs, toMs, ...expecting }, cause);
}

export function close(desk: Desk, segment: Segment, toMs: number, cause: Cause): void {
  segment.toMs = toMs;
  desk.clearTimer('segment', cause);
  desk.order({ kind: 'closeRecognition', recognition: segment.recognition, toMs }, cause);
}

export function drop(desk: Desk, { recognition }: Segment, cause: Cause): void {
  desk.order({ kind: 'dropRecognition', recognition }, cause);
}

/** Nothing of the turn is recognised any more. */
export function dropAll(desk: Desk, turn: Turn | null, cause: Cause): void {
  for (const segment of turn?.segments ?? []) if (segment.final === null) drop(desk, segment, cause);
}

/** The final is fetched; should the voice go on, a new segment begins. */
export function segmentRang(desk: Desk): void {
  const { turn } = desk.state;
  const open = openSegment(turn);
  const pause = turn && pauseIn(turn);
  if (open && pause) close(desk, open, Math.min(desk.nowMs, pause.atMs + TAIL_MS), { kind: 'endIsNear' });
}

function findSegment({ state }: Desk, recognition: number): { turn: Turn; segment: Segment } | null {
  const { turn } = state;
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
      ...byOf(turn),
      settled: [...earlier, ...segment.settling.settled].filter(Boolean).join(' '),
      open: segment.settling.open.map(({ word }) => word).join(' '),
    },
    { kind: 'provisionalWords' },
  );
  desk.raise({ kind: 'wordsKnown', how: 'partial', ofLastSegment: segment === turn.segments.at(-1) });
}

export function final(desk: Desk, { recognition, words, alternatives }: HappeningOf<'final'>): void {
  const found = findSegment(desk, recognition);
  if (!found) return desk.ignore('final', recognition);
  const { turn, segment } = found;
  const before = turn.segments.slice(0, turn.segments.indexOf(segment)).flatMap((one) => one.final ?? []);
  const settled = settledWords(desk.plan, before, words);
  const known = settled.map(({ word }) => word);
  turn.corrections += corrections(segment.settling, known);
  segment.final = settled;
  turn.times.finalMs = desk.nowMs;
  const begins = turn.segments.every((one) => one === segment || spokenText(one) === '');
  const written = writtenWords(desk.plan, settled, begins, false);
  const text = written.map(({ word }) => word).join(' ');
  desk.tell(
    { kind: 'final', turn: turn.turn, ...byOf(turn), recognition, text, words: written, alternatives },
    { kind: 'finalWords' },
  );
  learnPace(desk, settled);
  desk.raise({ kind: 'wordsKnown', how: 'final', ofLastSegment: segment === turn.segments.at(-1) });
}

/** Words a second of what the caller says. */
function learnPace({ state }: Desk, words: readonly HeardWord[]): void {
  if (words.length < LEAST_PACE_WORDS) return;
  const seconds = (words.at(-1)!.toMs - words[0]!.fromMs) / 1000;
  if (seconds <= 0) return;
  const pace = words.length / seconds;
  const { caller } = state;
  caller.pace = caller.pace === null ? pace : caller.pace + PACE_SHARE * (pace - caller.pace);
}

export function recognitionTrouble(desk: Desk, happening: HappeningOf<'recognitionTrouble'>): void {
  const { recognition, code, detail } = happening;
  const found = findSegment(desk, recognition);
  if (!found) return desk.ignore('recognitionTrouble', recognition);
  const { turn, segment } = found;
  if (relieve(desk, turn, segment, { kind: 'engineFailed', detail })) return awaitFinal(desk, turn);
  desk.tell({ kind: 'trouble', code, detail }, { kind: 'hearingFailed' });
  turn.deaf = true;
  doWithoutFinal(segment);
  desk.raise({ kind: 'wordsKnown', how: 'lost', ofLastSegment: segment === turn.segments.at(-1) });
}

/** The segment so far goes to the next engine, faster than real time. @returns false where nobody is left */
function relieve(desk: Desk, turn: Turn, segment: Segment, cause: Cause): boolean {
  const next = engineFor(desk.state.lineup, 'stt', segment.tried);
  if (next === null) return false;
  desk.relieved(turn, { role: 'stt', from: segment.tried.at(-1)!, to: next, cause });
  segment.tried.push(next);
  segment.recognition = desk.newId();
  open(desk, segment, cause);
  return true;
}

/** The provisional words are all there will be. */
function doWithoutFinal(segment: Segment): void {
  const shown = shownWords(segment.settling);
  const at = segment.fromMs;
  segment.final = shown.map((word, i) => segment.shown[i] ?? { word, fromMs: at, toMs: at });
}

function isShownToItsEnd({ shown, toMs }: Segment): boolean {
  return shown.length > 0 && shown.at(-1)!.toMs >= (toMs ?? Infinity) - SHOWN_END_MS;
}

/** Of a turn that is over, the last final is waited for only so long. */
export function awaitFinal(desk: Desk, turn: Turn): void {
  if (turn.stage.at === 'ended' && !hasAllFinals(turn))
    desk.setTimer('finalDue', FINAL_DUE_MS, { kind: 'finalAwaited' });
}

export function finalDueRang(desk: Desk): void {
  const { turn } = desk.state;
  if (!turn) return;
  for (const segment of turn.segments) {
    if (segment.final !== null) continue;
    const isOnlyHope = engineFor(desk.state.lineup, 'stt', segment.tried) === null;
    if (isOnlyHope && !isShownToItsEnd(segment) && ++segment.overdue < MOST_FINAL_WAITS) continue;
    drop(desk, segment, { kind: 'finalOverdue' });
    if (!relieve(desk, turn, segment, { kind: 'finalOverdue' })) doWithoutFinal(segment);
  }
  awaitFinal(desk, turn);
}
