/**
 * The end of the caller's turn: at a pause it is decided how long to wait, anew with every word, and
 * recognition is closed a little before, so that the final is there in time.
 */
import { HANGOVER_MS } from '../../hearing/ear.js';
import { isOver } from '../../errands/dictation.js';
import { tokensOf } from '../../language/tokens.js';
import type { Completeness } from '../../language/common/contract.js';
import { languageOf } from '../../language/language.js';
import type { Cause } from '../contract/causes.js';
import { hundredths, lengtheningOf, probabilityAfter, UNKNOWN_END } from '../../turn-end/probability.js';
import { chanceOfEnd, decideWait, type Chance, type Evidence } from '../../turn-end/wait.js';
import type { Grown, Wait } from '../contract/report.js';
import type { Desk, SignalOf } from '../state/desk.js';
import type { Answer } from '../state/answer.js';
import type { Run } from '../../errands/contract.js';
import type { Slot } from '../../slots/common/slot.js';
import { askedSlot, errandsIn, isDictation } from '../state/errands.js';
import { heard } from '../state/errand-reading.js';
import { kindOf } from '../../slots/values.js';
import { readingOf } from '../state/readings.js';
import { speculativeAnswer } from '../state/state.js';
import {
  confidenceOf,
  openSegment,
  pauseIn,
  timedWords,
  turnText,
  turnWords,
  type Pause,
  type Turn,
} from '../state/turn.js';

/** Recognition is closed so long before the endpoint, in ms: a local recogniser needs 20 to 80 to finish. */
const FINAL_AHEAD_MS = 100;
/** Where the end is so probable, a pause of this length is enough to fetch the final words, in ms. */
const SEEMS_OVER = 0.5;
const SEEMS_OVER_MS = 140;
/**
 * A turn whose end is so probable ends after its wait; any other waits on for an answer that is not ready, up
 * to this share of the leeway.
 */
const SURE_OF_THE_END = 0.95;
const FREE_WAIT_SHARE = 1.4;
/** So long a pause is within a dictation, in ms. */
const DICTATED_MS = 2_500;
/** What was asked longer ago than this does not tell what the caller is answering, in ms. */
const ASKED_LATELY_MS = 15_000;

/** A short answer that holds what an errand has just asked for. */
const ANSWER: Completeness = { score: 0.9, sign: { sign: 'slotAskedFor' } };
const MOST_ANSWER_WORDS = 5;
/** Words that seem less complete go on, whatever they hold already. */
const MORE_COMES = -0.75;

function answersSlot(desk: Desk, turn: Turn, count: number): boolean {
  const { plan, state } = desk;
  const { current } = state.errands;
  if (current?.stage === 'reading back') return corrects(desk, turn, count, current);
  const slot = askedSlot(plan, state.errands);
  if (!current?.asking || !slot || isOpenEnded(slot)) return false;
  if (count > MOST_ANSWER_WORDS && slot.length === undefined) return false;
  const run = heard(desk, turn, turnText(plan, turn))?.errands.current;
  return run?.run === current.run && run.slots[current.asking] !== undefined;
}

/** Of names, lists and free text nobody knows when they are whole. */
const isOpenEnded = (slot: Slot): boolean => kindOf(slot).isOpenEnded === true || slot.several === true;

/** "No, at twelve", where values are read back: it puts another value in the place of one of them. */
function corrects(desk: Desk, turn: Turn, count: number, read: Run): boolean {
  if (count > MOST_ANSWER_WORDS) return false;
  const run = heard(desk, turn, turnText(desk.plan, turn))?.errands.current;
  const slots = errandsIn(desk.plan)?.get(read.errand)?.slots ?? {};
  const changed = Object.entries(run?.run === read.run ? run.slots : {}).filter(
    ([name, { value }]) => value !== read.slots[name]?.value,
  );
  return changed.length > 0 && changed.every(([name]) => !isOpenEnded(slots[name]!));
}

/** Until when the words that are known cover the voice; Infinity where they are all there are. */
function wordsUntilMs({ segments }: Turn): number {
  const last = segments.at(-1);
  return !last || last.final ? Infinity : (last.shown.at(-1)?.toMs ?? last.fromMs);
}

function evidenceOf(desk: Desk, turn: Turn): Omit<Evidence, 'leewayMs' | 'ownPausesMs'> {
  const { plan, state, nowMs } = desk;
  const { lastSaid } = state.floor;
  const asked = nowMs - lastSaid.atMs < ASKED_LATELY_MS ? lastSaid.text : '';
  const pause = pauseIn(turn);
  const pausedAtMs = pause?.atMs ?? nowMs;
  const said = turnWords(turn);
  const { words, expected } = readingOf(plan, said, asked);
  // Half of a name is enough where it tells the value.
  const mayBeAll = words.score > MORE_COMES || words.sign.sign === 'nameBegun';
  const isAnswer = mayBeAll && answersSlot(desk, turn, said.length);
  return {
    words: isAnswer ? ANSWER : words,
    count: said.length,
    lastedMs: pausedAtMs - (turn.segments[0]?.fromMs ?? nowMs),
    expects: plan.expect.phrases.length > 0,
    expected,
    confidence: confidenceOf(turn),
    ending: pause?.ending ?? null,
    uncoveredMs: Math.max(0, pausedAtMs - wordsUntilMs(turn)),
    lengthening: lengtheningOf(timedWords(turn), pausedAtMs),
  };
}

/** How probable it is by now that the turn is over. */
export function chanceOf(desk: Desk, turn: Turn): Chance {
  return chanceOfEnd({ ...evidenceOf(desk, turn), ownPausesMs: desk.state.caller.ownPausesMs });
}

/** How long the silence may last before the turn is over. */
export function waitOf(desk: Desk, turn: Turn): Wait {
  const slot = askedSlot(desk.plan, desk.state.errands);
  if (slot && isDictation(slot)) return dictationWait(desk, turn);
  const { leewayMs } = desk.plan.manners;
  const { ownPausesMs } = desk.state.caller;
  const { grounds, law, ...decided } = decideWait({
    ...evidenceOf(desk, turn),
    leewayMs,
    ownPausesMs,
  });
  const pausedMs = Math.max(0, desk.nowMs - (pauseIn(turn)?.atMs ?? desk.nowMs));
  const now = {
    ms: Math.round(pausedMs),
    probability: hundredths(probabilityAfter(decided.atFirst, pausedMs, law)),
  };
  return {
    ...decided,
    cause: { kind: 'evidence', grounds },
    growth: [...growthIn(turn), now].slice(-MOST_GROWTH),
  };
}

/** So often a pause is weighed anew and told. */
const MOST_GROWTH = 12;

/** How the probability grew before, in this very pause. */
function growthIn({ stage, wait }: Turn): Grown[] {
  return (stage.at === 'paused' ? stage.wait?.growth : stage.at === 'ended' ? wait?.growth : undefined) ?? [];
}

/** Pauses do not end a dictation; the words that do are waited for no longer than any. */
function dictationWait({ plan }: Desk, turn: Turn): Wait {
  const { errands } = languageOf(plan.language);
  const words = tokensOf(turnText(plan, turn)).map(({ word }) => word);
  const whole = errands !== null && (isOver(words, errands.dictation) || errands.control(words) !== null);
  const ms = whole
    ? Math.min(DICTATED_MS, plan.manners.leewayMs)
    : Math.max(DICTATED_MS, plan.manners.leewayMs);
  return {
    ms,
    atFirst: whole ? 1 : UNKNOWN_END,
    cause: { kind: whole ? 'dictationOver' : 'dictationGoesOn' },
  };
}

/** The timers of a pause that is waited out. */
export function watchPause(desk: Desk, turn: Turn, pause: Pause, wait: Wait): void {
  desk.setTimer('endpoint', pause.atMs + wait.ms - desk.nowMs, wait.cause);
  if (!openSegment(turn)) return;
  const seemsOver = wait.atFirst >= SEEMS_OVER ? SEEMS_OVER_MS : Infinity;
  const closesMs = Math.min(seemsOver, wait.ms - FINAL_AHEAD_MS);
  if (closesMs < HANGOVER_MS)
    desk.setTimer('segment', pause.atMs + closesMs - desk.nowMs, { kind: 'finalWantedSoon' });
  else desk.clearTimer('segment', wait.cause);
}

/** The end of the turn is not waited for any more. */
export function stopWaiting(desk: Desk, cause: Cause): void {
  desk.clearTimer('endpoint', cause);
  desk.clearTimer('segment', cause);
  desk.clearTimer('headStart', cause);
}

/**
 * The wait is over. Where it is not sure that the turn is, and the answer that was begun ahead has no sound
 * yet, waiting on costs nothing: the caller gets the answer no later for it.
 */
export function endpointRang(desk: Desk): void {
  const { state, plan, nowMs } = desk;
  const stage = state.turn?.stage;
  if (stage?.at !== 'paused' || !stage.wait) return;
  const { pause, wait } = stage;
  const untilMs = pause.atMs + FREE_WAIT_SHARE * plan.manners.leewayMs;
  if (wait.atFirst >= SURE_OF_THE_END || untilMs <= nowMs || !isAnswerPrepared(desk))
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

/**
 * The answer that was begun ahead has its first sound: a wait that was longer only because it had none is
 * over.
 */
export function firstSound(desk: Desk, { answer }: SignalOf<'firstSound'>): void {
  learnHowLong(desk, answer);
  if (answer.stage.at !== 'speculative') return;
  const { state, nowMs } = desk;
  const stage = state.turn?.stage;
  if (stage?.at === 'paused' && stage.wait && nowMs >= stage.pause.atMs + stage.wait.ms)
    desk.raise({ kind: 'turnEnded', cause: stage.wait.cause });
}

/** How fast what is known of how long answers take follows the last one. */
const ANSWER_SHARE = 0.3;

function learnHowLong({ state }: Desk, { turn: { times } }: Answer): void {
  if (times.thinkingMs === undefined || times.firstAudioMs === undefined) return;
  const ms = times.firstAudioMs - times.thinkingMs;
  const known = state.answerAfterMs ?? ms;
  state.answerAfterMs = known + ANSWER_SHARE * (ms - known);
}
