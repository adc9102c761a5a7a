/**
 * The end of the caller's turn: at a pause it is decided how long to wait, anew with every word, and recognition is closed a
 * little before, so that the final is there in time.
 */
import { HANGOVER_MS } from '../../hearing/ear.js';
import { decideWait, weigh, type Evidence, type Weighed } from '../../hearing/endpoint.js';
import { isOver } from '../../errands/dictation.js';
import { tokensOf } from '../../errands/tokens.js';
import { languageOf } from '../../language/language.js';
import type { Cause } from '../contract/causes.js';
import type { Wait } from '../contract/report.js';
import type { Desk, SignalOf } from '../desk.js';
import { askedSlot, isDictation } from '../state/errands.js';
import { readingOf } from '../state/readings.js';
import { speculativeAnswer } from '../state/state.js';
import {
  confidenceOf,
  openSegment,
  pauseIn,
  turnText,
  turnWords,
  type Pause,
  type Turn,
} from '../state/turn.js';

/** Recognition is closed so long before the endpoint, in ms: a local recogniser needs 20 to 80 to finish. */
const FINAL_AHEAD_MS = 100;
/** A pause of this length, where the turn may be over, is enough to fetch the final words, in ms. */
const SEEMS_OVER_MS = 140;
/** A turn that seems so complete ends after its wait; any other waits on for an answer that is not ready, up to this share of the leeway. */
const SURE_OF_THE_END = 0.7;
const FREE_WAIT_SHARE = 1.4;
/** So long a pause is within a dictation, in ms. */
const DICTATED_MS = 2_500;
/** What was asked longer ago than this does not tell what the caller is answering, in ms. */
const ASKED_LATELY_MS = 15_000;

function evidenceOf({ plan, state, nowMs }: Desk, turn: Turn): Omit<Evidence, 'leewayMs' | 'ownPausesMs'> {
  const { lastSaid } = state.floor;
  const asked = nowMs - lastSaid.atMs < ASKED_LATELY_MS ? lastSaid.text : '';
  const last = turn.segments.at(-1);
  const lastWordMs = last?.final ? Infinity : (last?.shown.at(-1)?.toMs ?? last?.fromMs ?? Infinity);
  const pause = pauseIn(turn);
  const { words, expected } = readingOf(plan, turnWords(turn), asked);
  return {
    words,
    expects: plan.expect.phrases.length > 0,
    expected,
    confidence: confidenceOf(turn),
    ending: pause?.ending ?? null,
    uncoveredMs: Math.max(0, (pause?.atMs ?? nowMs) - lastWordMs),
  };
}

/** How complete the turn seems by now. */
export function completenessOf(desk: Desk, turn: Turn): Weighed {
  return weigh(evidenceOf(desk, turn));
}

/** How long the silence may last before the turn is over. */
export function waitOf(desk: Desk, turn: Turn): Wait {
  const slot = askedSlot(desk.plan, desk.state.errands);
  if (slot && isDictation(slot)) return dictationWait(desk, turn);
  const { leewayMs } = desk.plan.manners;
  const { ownPausesMs } = desk.state.caller;
  const { ms, grounds, completeness } = decideWait({ ...evidenceOf(desk, turn), leewayMs, ownPausesMs });
  return { ms, completeness, cause: { kind: 'evidence', grounds } };
}

/** Pauses do not end a dictation; the words that do are waited for no longer than any. */
function dictationWait({ plan }: Desk, turn: Turn): Wait {
  const { errands } = languageOf(plan.language);
  const words = tokensOf(turnText(plan, turn)).map(({ word }) => word);
  const whole = errands !== null && (isOver(words, errands.dictation) || errands.control(words) !== null);
  const ms = whole
    ? Math.min(DICTATED_MS, plan.manners.leewayMs)
    : Math.max(DICTATED_MS, plan.manners.leewayMs);
  return { ms, completeness: whole ? 1 : 0, cause: { kind: whole ? 'dictationOver' : 'dictationGoesOn' } };
}

/** The timers of a pause that is waited out. */
export function watchPause(desk: Desk, turn: Turn, pause: Pause, wait: Wait): void {
  desk.setTimer('endpoint', pause.atMs + wait.ms - desk.nowMs, wait.cause);
  if (!openSegment(turn)) return;
  const seemsOver = wait.completeness >= 0 ? SEEMS_OVER_MS : Infinity;
  const closesMs = Math.min(seemsOver, wait.ms - FINAL_AHEAD_MS);
  if (closesMs < HANGOVER_MS)
    desk.setTimer('segment', pause.atMs + closesMs - desk.nowMs, { kind: 'finalWantedSoon' });
  else desk.clearTimer('segment', wait.cause);
}

/** The end of the turn is not waited for any more. */
export function stopWaiting(desk: Desk, cause: Cause): void {
  desk.clearTimer('endpoint', cause);
  desk.clearTimer('segment', cause);
}

/**
 * The wait is over. Where it is not sure that the turn is, and the answer that was begun ahead has no sound yet, waiting on
 * costs nothing: the caller gets the answer no later for it.
 */
export function endpointRang(desk: Desk): void {
  const { state, plan, nowMs } = desk;
  const stage = state.turn?.stage;
  if (stage?.at !== 'paused' || !stage.wait) return;
  const { pause, wait } = stage;
  const untilMs = pause.atMs + FREE_WAIT_SHARE * plan.manners.leewayMs;
  if (wait.completeness >= SURE_OF_THE_END || untilMs <= nowMs || !isAnswerPrepared(desk))
    return desk.raise({ kind: 'turnEnded', cause: wait.cause });
  stage.wait = prepared(wait);
  desk.setTimer('endpoint', untilMs - nowMs, stage.wait.cause);
}

function prepared(wait: Wait): Wait {
  const { cause } = wait;
  if (cause.kind !== 'evidence') return wait;
  return { ...wait, cause: { ...cause, grounds: { ...cause.grounds, answerIsPrepared: true } } };
}

function isAnswerPrepared({ state }: Desk): boolean {
  return speculativeAnswer(state)?.speeches.every(({ audioMs }) => audioMs === 0) ?? false;
}

/** The answer that was begun ahead has its first sound: a wait that was longer only because it had none is over. */
export function firstSound(desk: Desk, { answer }: SignalOf<'firstSound'>): void {
  if (answer.stage.at !== 'speculative') return;
  const { state, nowMs } = desk;
  const stage = state.turn?.stage;
  if (stage?.at === 'paused' && stage.wait && nowMs >= stage.pause.atMs + stage.wait.ms)
    desk.raise({ kind: 'turnEnded', cause: stage.wait.cause });
}
