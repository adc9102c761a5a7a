/**
 * The conductor's part that finds the end of the caller's turn: at a pause it decides how long to wait, decides anew with
 * every word, and closes recognition a little before, so that the final is there in time.
 */
import { TAIL_MS, HANGOVER_MS } from '../hearing/ear.js';
import { decideWait, weigh, type Evidence } from '../hearing/endpoint.js';
import { ExpectedPhrases, type Fit } from '../hearing/expectation.js';
import { languageOf, type Completeness } from '../language/language.js';
import type { Desk } from './desk.js';
import type { HappeningOf } from './happenings.js';
import type { Plan } from './plan.js';
import { overlapGoes, overlapPaused } from './overlap-part.js';
import { turnWords, type Segment, type Turn } from './state.js';

/** A final that has not come this long after it was due is done without, in ms. */
const FINAL_DUE_MS = 4_000;
/** Recognition is closed so long before the endpoint, in ms: a local recogniser needs 20 to 80 to finish. */
const FINAL_AHEAD_MS = 100;
/** A pause of this length, where the turn may be over, is enough to fetch the final words, in ms. */
const SEEMS_OVER_MS = 140;
/** A turn that seems so complete ends after its wait; any other waits on for an answer that is not ready, up to this share of the leeway. */
const SURE_OF_THE_END = 0.7;
const FREE_WAIT_SHARE = 1.4;
/** Pauses within turns from this length on are remembered, and so many of them. */
const LEAST_OWN_PAUSE_MS = 200;
const MOST_OWN_PAUSES = 12;
/** What was asked longer ago than this does not tell what the caller is answering, in ms. */
const ASKED_LATELY_MS = 15_000;

/** Read once for each plan. */
const expectedOf = new WeakMap<Plan, ExpectedPhrases>();

export function expectedIn(plan: Plan): ExpectedPhrases {
  const known = expectedOf.get(plan) ?? new ExpectedPhrases(plan.expect);
  expectedOf.set(plan, known);
  return known;
}

interface Reading {
  key: string;
  words: Completeness;
  expected: Fit | null;
}

/** The last words read for a plan: the same ones are weighed after every happening. */
const lastRead = new WeakMap<Plan, Reading>();

function readingOf(plan: Plan, words: readonly string[], asked: string): Reading {
  const key = `${words.join(' ')}\n${asked}`;
  const last = lastRead.get(plan);
  if (last?.key === key) return last;
  const reading = {
    key,
    words: languageOf(plan.language).completeness(words, plan.names, asked),
    expected: expectedIn(plan).match(words),
  };
  lastRead.set(plan, reading);
  return reading;
}

function evidenceOf(desk: Desk, turn: Turn): Omit<Evidence, 'leewayMs' | 'ownPausesMs'> {
  const { plan, state, nowMs } = desk;
  const asked = nowMs - state.lastSaid.atMs < ASKED_LATELY_MS ? state.lastSaid.text : '';
  const last = turn.segments.at(-1);
  const lastWordMs = last?.final ? Infinity : (last?.shown.at(-1)?.toMs ?? last?.fromMs ?? Infinity);
  const voiceMs = turn.pause?.atMs ?? nowMs;
  const { words, expected } = readingOf(plan, turnWords(turn), asked);
  return {
    words,
    expects: plan.expect.phrases.length > 0,
    expected,
    sureness: surenessOf(turn),
    ending: turn.pause?.ending ?? null,
    uncoveredMs: Math.max(0, voiceMs - lastWordMs),
  };
}

/** 0 to 1 over all words of the turn, 1 for those of which the engine does not say; null while some are provisional. */
export function surenessOf({ segments }: Turn): number | null {
  if (segments.some(({ final }) => final === null)) return null;
  const known = segments.flatMap(({ final }) => (final ?? []).map(({ confidence }) => confidence ?? 1));
  return known.length === 0 ? 1 : known.reduce((sum, one) => sum + one, 0) / known.length;
}

/** How complete the turn seems by now. */
export function completenessOf(desk: Desk, turn: Turn): Completeness {
  return weigh(evidenceOf(desk, turn));
}

export function voicePaused(
  desk: Desk,
  { atMs, voicedMs, pitchedMs, ending }: HappeningOf<'voicePaused'>,
): void {
  const { turn, overlap } = desk.state;
  if (!turn || !openOne(turn)) return;
  turn.pause = { atMs, ending };
  turn.stretchMs = voicedMs;
  turn.times.voiceEndedMs = atMs;
  if (!overlap) return awaitEnd(desk, turn);
  overlapGoes(desk, { voicedMs, pitchedMs });
  if (desk.state.overlap) overlapPaused(desk, desk.nowMs);
}

/** Decides, at a pause, how long it may last before the turn is over. */
export function awaitEnd(desk: Desk, turn: Turn): void {
  const { state, plan } = desk;
  if (!turn.pause || state.press || turn.pressed || state.overlap) return;
  turn.wait = decideWait({
    ...evidenceOf(desk, turn),
    leewayMs: plan.manners.leewayMs,
    ownPausesMs: state.ownPausesMs,
  });
  const endsMs = turn.pause.atMs + turn.wait.ms;
  if (turn.times.endpointMs !== undefined) {
    // The final says that more is to come, and nothing has been answered yet.
    if (endsMs <= desk.nowMs) return;
    delete turn.times.endpointMs;
    desk.clearTimer('finalDue', turn.wait.reason);
    desk.enter('listening', turn.wait.reason);
  }
  desk.setTimer('endpoint', endsMs - desk.nowMs, turn.wait.reason);
  if (!openOne(turn)) return;
  const seemsOver = turn.wait.completeness >= 0 ? SEEMS_OVER_MS : Infinity;
  const closesMs = Math.min(seemsOver, turn.wait.ms - FINAL_AHEAD_MS);
  if (closesMs < HANGOVER_MS)
    desk.setTimer('segment', turn.pause.atMs + closesMs - desk.nowMs, 'the final words are wanted soon');
  else desk.clearTimer('segment', turn.wait.reason);
}

/** The end of the turn is not waited for any more. */
export function stopWaiting(desk: Desk, reason: string): void {
  desk.clearTimer('endpoint', reason);
  desk.clearTimer('segment', reason);
}

/** The caller goes on after a pause, or after what seemed to be the end. */
export function pauseOver(desk: Desk, turn: Turn, atMs: number): void {
  const { state } = desk;
  stopWaiting(desk, 'the caller goes on speaking');
  desk.clearTimer('finalDue', 'the caller goes on speaking');
  const from = turn.times.voiceEndedMs;
  if (from !== undefined && turn.source === 'voice' && atMs - from >= LEAST_OWN_PAUSE_MS)
    state.ownPausesMs = [...state.ownPausesMs, Math.round(atMs - from)].slice(-MOST_OWN_PAUSES);
  turn.pause = null;
  delete turn.times.endpointMs;
}

/** The final is fetched; should the voice go on, a new segment begins. */
export function segmentRang(desk: Desk): void {
  const { turn } = desk.state;
  const open = openOne(turn);
  if (turn?.pause && open)
    closeSegment(desk, open, Math.min(desk.nowMs, turn.pause.atMs + TAIL_MS), 'the end is near');
}

/**
 * The wait is over. Where it is not sure that the turn is, and the answer that was begun ahead has no sound yet, waiting on
 * costs nothing: the caller gets the answer no later for it.
 */
export function endpointRang(desk: Desk): void {
  const { state, plan, nowMs } = desk;
  const { turn } = state;
  if (!turn) return;
  const { pause, wait } = turn;
  if (pause && wait && !turn.pressed && wait.completeness < SURE_OF_THE_END && isAnswerComing(desk)) {
    const untilMs = pause.atMs + FREE_WAIT_SHARE * plan.manners.leewayMs;
    if (untilMs > nowMs) {
      const reason = `${wait.reason}; the answer is still being prepared, so waiting costs nothing`;
      turn.wait = { ...wait, reason };
      return desk.setTimer('endpoint', untilMs - nowMs, reason);
    }
  }
  endTurn(desk, wait?.reason ?? 'the turn is over');
}

function isAnswerComing({ state }: Desk): boolean {
  return state.ahead !== null && state.ahead.reply.speeches.every(({ audioMs }) => audioMs === 0);
}

/** The answer that was begun ahead has its first sound: a wait that was longer only because it had none is over. */
export function answerIsThere(desk: Desk): void {
  const { turn } = desk.state;
  if (!turn?.pause || !turn.wait || turn.times.endpointMs !== undefined || turn.pressed) return;
  if (desk.nowMs >= turn.pause.atMs + turn.wait.ms) endTurn(desk, turn.wait.reason);
}

/** The caller has finished; what is still being recognised is waited for. */
export function endTurn(desk: Desk, reason: string): void {
  const { turn, reply } = desk.state;
  if (!turn) return;
  stopWaiting(desk, reason);
  // It was this turn's: the next one is not to end by it.
  desk.clearTimer('release', reason);
  const open = openOne(turn);
  if (open) closeSegment(desk, open, desk.nowMs, reason);
  turn.times.endpointMs = desk.nowMs;
  const waitedMs = Math.max(0, desk.nowMs - (turn.times.voiceEndedMs ?? desk.nowMs));
  turn.wait ??= { ms: waitedMs, reason, completeness: 1 };
  if (!reply) desk.enter('working', reason);
  awaitFinal(desk, turn);
}

/** Of a turn that is over, the last final is waited for only so long. */
export function awaitFinal(desk: Desk, turn: Turn): void {
  if (turn.times.endpointMs !== undefined && turn.segments.some(({ final }) => final === null))
    desk.setTimer('finalDue', FINAL_DUE_MS, 'the last final has not come yet');
}

export function closeSegment(desk: Desk, segment: Segment, toMs: number, reason: string): void {
  segment.toMs = toMs;
  desk.clearTimer('segment', reason);
  desk.order({ kind: 'closeRecognition', recognition: segment.recognition, toMs }, reason);
}

export function openOne(turn: Turn | null): Segment | undefined {
  return turn?.segments.find((segment) => segment.toMs === null);
}
