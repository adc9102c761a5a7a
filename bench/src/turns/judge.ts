/**
 * How a way of taking turns did on the caller turns: cut-offs, waits, gaps, head starts; and a wait of fixed
 * length beside it.
 */
import { inWords, USUAL_TIMES, type Plan, type PlayedTalk } from '@verbalon/core';
import { shareOf, spreadWithin } from '../common/statistics.js';
import type { Heard } from './hear.js';
import { play } from './play.js';
import type { CallerTurn } from './set.js';

export type HeardTurn = CallerTurn & { heard: Heard };

/** The truth and the hearing may differ by so much, in ms. */
const TOLERANCE_MS = 30;

export interface TurnResult {
  /** The turn was ended before the caller's last word; `aloud`: and an answer began to sound. */
  cutOff: boolean;
  cutOffAloud: boolean;
  /** From the caller's last sound to the end of the turn; infinite when it never ended. */
  waitMs: number;
  /** … to the answer, of turns that were cut off too; infinite when there was none. */
  gapMs: number;
  /** The gap less what the wait, or the words and the engines, need at least. */
  ownGapMs: number;
  headStarts: number;
  kept: boolean;
  reason: string;
  conductorMs: number;
}

export const endOf = (turn: CallerTurn) => turn.pieces.at(-1)!.toMs;

export function ourWay(turn: HeardTurn, plan: Plan): TurnResult {
  const trueEndMs = endOf(turn);
  const { orders, conductorMs } = play(plan, turn.heard);
  // What was noticed before the caller spoke at all is a false alarm of the ear, not a turn.
  const said = orders.filter(({ atMs }) => atMs >= turn.pieces[0]!.fromMs);
  const ends = said.filter(
    ({ order }) =>
      order.kind === 'tell' && order.message.kind === 'state' && order.message.state === 'working',
  );
  const plays = said.filter(({ order }) => order.kind === 'play');
  const end = ends.find(({ atMs }) => atMs >= trueEndMs - TOLERANCE_MS);
  const sound = plays.find(({ atMs }) => atMs >= trueEndMs - TOLERANCE_MS);
  const starts = said.filter(({ order }) => order.kind === 'think' && order.purpose === 'speculative');
  const thinks = said.filter(
    ({ order, atMs }) => order.kind === 'think' && atMs <= (sound?.atMs ?? Infinity),
  );
  const last = thinks.at(-1);
  const isCut = ends.some(({ atMs }) => atMs < trueEndMs - TOLERANCE_MS);
  const gapMs = sound ? sound.atMs + USUAL_TIMES.playingMs - trueEndMs : Infinity;
  const waitMs = end ? end.atMs - trueEndMs : Infinity;
  return {
    cutOff: isCut,
    cutOffAloud: plays.some(({ atMs }) => atMs < trueEndMs - TOLERANCE_MS),
    waitMs,
    gapMs,
    ownGapMs:
      !Number.isFinite(gapMs) || !Number.isFinite(waitMs)
        ? Infinity
        : // It says that by itself.
          !last
          ? gapMs - waitMs
          : gapMs - Math.max(waitMs, wordsKnownMs(said, last.atMs) - trueEndMs + engineMs(said, last.atMs)),
    headStarts: starts.length,
    kept: last?.order.kind === 'think' && last.order.purpose === 'speculative',
    reason: end ? inWords(end.order.cause) : '',
    conductorMs,
  };
}

type Said = PlayedTalk['orders'];

/** When the words were first shown on which the thought that began at `thoughtMs` rests. */
function wordsKnownMs(said: Said, thoughtMs: number): number {
  const shown = said.flatMap(({ atMs, order }) =>
    order.kind === 'tell' && order.message.kind === 'partial' && atMs <= thoughtMs
      ? [{ atMs, text: `${order.message.settled} ${order.message.open}`.trim() }]
      : [],
  );
  const text = shown.at(-1)?.text;
  let known = thoughtMs;
  for (const one of shown.reverse()) {
    if (one.text !== text) break;
    known = one.atMs;
  }
  return known;
}

/** What the model and the voice take of themselves to the first sound. */
function engineMs(said: Said, thoughtMs: number): number {
  const first = said.find(({ atMs, order }) => order.kind === 'synthesise' && atMs >= thoughtMs);
  return first ? first.atMs - thoughtMs + USUAL_TIMES.synthesisMs + USUAL_TIMES.playingMs : Infinity;
}

/** A wait of fixed length, on the same ear: the plain way. */
export function fixedWay(turn: HeardTurn, fixedMs: number): { cutOff: boolean; waitMs: number } {
  const trueEndMs = endOf(turn);
  let silentFrom: number | null = null;
  let cutOff = false;
  for (const { event } of turn.heard.events) {
    const { atMs } = event;
    if (event.kind === 'voicePaused' || event.kind === 'voiceEnded') {
      silentFrom = event.atMs;
      continue;
    }
    const from = silentFrom;
    silentFrom = null;
    if (from === null || from < turn.pieces[0]!.fromMs || atMs - from < fixedMs) continue;
    if (from + fixedMs < trueEndMs - TOLERANCE_MS) cutOff = true;
    else return { cutOff, waitMs: from + fixedMs - trueEndMs };
  }
  return { cutOff, waitMs: silentFrom === null ? Infinity : silentFrom + fixedMs - trueEndMs };
}

type Judged = Pick<TurnResult, 'cutOff' | 'waitMs'> & Partial<Pick<TurnResult, 'cutOffAloud' | 'gapMs'>>;

/**
 * Shares of all; waits and gaps of all that were not cut off, whoever was never answered among them; gaps of
 * those that were.
 */
export function summary(results: readonly Judged[]) {
  const uncut = results.filter(({ cutOff }) => !cutOff);
  const cut = results.filter(({ cutOff }) => cutOff);
  const gaps = (of: readonly Judged[]) => spreadWithin(of.flatMap(({ gapMs }) => gapMs ?? []));
  return {
    turns: results.length,
    cutOff: shareOf(cut.length, results.length),
    cutOffAloud: shareOf(results.filter(({ cutOffAloud }) => cutOffAloud).length, results.length),
    neverAnswered: shareOf(results.filter(({ gapMs = 0 }) => gapMs === Infinity).length, results.length),
    wait: spreadWithin(uncut.map(({ waitMs }) => waitMs)),
    gap: gaps(uncut),
    gapAfterCutOff: gaps(cut),
  };
}
