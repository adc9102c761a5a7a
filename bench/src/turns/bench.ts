/**
 * `npm run bench turns`: taking turns, beside plain ways on the same hearing; three assistants, three seeds,
 * nobody left out.
 */
import { fileURLToPath } from 'node:url';
import {
  Ear,
  FINAL_LATE_MS,
  HOUSE_RATE_HZ,
  pauseLawOf,
  probabilityAfter,
  probabilityOfEnd,
  samplesOfMs,
  toFloats,
  USUAL_TIMES,
  type Plan,
} from '@verbalon/core';
import { quantile, shareOf, spreadWithin } from '../common/statistics.js';
import { assistantsOf, type BenchAssistant } from './assistants.js';
import { settlingOf } from './by-sound.js';
import { drawCurves, type CurvePoint } from './curves.js';
import { endOf, fixedWay, ourWay, summary, type HeardTurn, type TurnResult } from './judge.js';
import { REPLY } from './play.js';
import { tales } from './sentences.js';
import { conditionName, Speakers } from './set.js';
import { calibrationOf, heardBy, momentsOf } from './moments.js';
import { voiceActivityOf } from './voice.js';

/** Written down before they were run; nothing was tuned on them. */
const SEEDS = (process.env.VERBALON_SEED ?? '7611,7612,7613').split(',').map(Number);
/** A seed. */
const TURNS = 100;
const TURNS_OF_OTHERS = 30;
/** Callers who tell, in several sentences: in a row of their own. */
const TALES = 10;
const FIXED_WAITS_MS = [300, 500, 700, 900, 1_100, 1_300, 1_500];
const LEEWAYS_MS = [400, 600, 800, 1_000, 1_200];
const PLAIN_WAIT_MS = 700;

export async function turnsBench(): Promise<object> {
  const speakers = new Speakers();
  const found: Record<string, object> = { seeds: SEEDS };
  for (const [i, assistant] of assistantsOf('report').entries()) {
    const { name, plan } = assistant;
    const sets = await heardBy(assistant, 'report', i === 0 ? TURNS : TURNS_OF_OTHERS, SEEDS, speakers);
    const turns = sets.flat();
    found[name] = {
      set: describe(turns),
      ...turnTaking(turns, plan),
      bySound: settlingOf(turns, plan),
      bySeed: sets.map((set) => summary(set.map((turn) => ourWay(turn, plan)))),
      probability: calibrationOf(
        turns.flatMap((turn) => momentsOf(turn, plan).moments),
        ({ features, pausedMs }) => probabilityAfter(probabilityOfEnd(features), pausedMs, pauseLawOf([])),
      ),
      ...(i === 0 ? { ...(await ofTheEar(turns, plan)), tales: await ofTales(assistant, speakers) } : {}),
    };
  }
  await speakers.close();
  return found;
}

async function ofTales(assistant: BenchAssistant, speakers: Speakers): Promise<object> {
  const turns = (await heardBy(assistant, 'report', TALES, SEEDS, speakers, tales)).flat();
  return {
    ours: summary(ourWays(turns, assistant.plan)),
    fixed: fixedWays(turns).map(({ ms, results }) => ({ ms, ...summary(results) })),
  };
}

function describe(turns: readonly HeardTurn[]): object {
  const pauses = turns.flatMap(({ pauses }) => pauses.map(({ ms }) => ms));
  const kinds: Record<string, number> = {};
  for (const { kind } of turns) kinds[kind] = (kinds[kind] ?? 0) + 1;
  const seconds = turns.reduce((sum, { heard }) => sum + heard.lengthMs, 0) / 1000;
  return {
    turns: turns.length,
    seconds: Math.round(seconds),
    kinds,
    pauses: { ...spreadWithin(pauses), longest: Math.max(...pauses) },
  };
}

/** From the caller's first sound to the ear's word of it, in a quiet room. */
function onsetOf(turn: HeardTurn): number[] {
  const fromMs = turn.pieces[0]!.fromMs;
  const ear = new Ear();
  const packet = samplesOfMs(10, HOUSE_RATE_HZ);
  for (let at = 0; at + packet <= turn.samples.length; at += packet)
    for (const { kind } of ear.hear(toFloats(turn.samples.subarray(at, at + packet))))
      if (kind === 'voiceBegan' && at / 16 > fromMs - 50) return [(at + packet) / 16 - fromMs];
  return [];
}

/** What does not differ between assistants. */
async function ofTheEar(turns: readonly HeardTurn[], plan: Plan): Promise<object> {
  await drawCurves(curvesOf(turns, plan), fileURLToPath(new URL('../../../docs/turns.svg', import.meta.url)));
  return {
    voiceActivity: voiceActivityOf(turns, SEEDS[0]! + 1),
    onsetMs: spreadWithin(turns.filter(({ condition }) => condition.noise === null).flatMap(onsetOf)),
  };
}

const enginesMs =
  USUAL_TIMES.firstPieceMs + 4 * USUAL_TIMES.pieceMs + USUAL_TIMES.synthesisMs + USUAL_TIMES.playingMs;
const fixedWays = (turns: readonly HeardTurn[]) =>
  FIXED_WAITS_MS.map((ms) => ({ ms, results: turns.map((turn) => fixedWay(turn, ms)) }));
const ourWays = (
  turns: readonly HeardTurn[],
  plan: Plan,
  manners: Partial<Plan['manners']> = {},
  other: Partial<Plan> = {},
) => turns.map((turn) => ourWay(turn, { ...plan, ...other, manners: { ...plan.manners, ...manners } }));
const middleWait = (results: readonly { cutOff: boolean; waitMs: number }[]) =>
  quantile(
    results.filter(({ cutOff }) => !cutOff).map(({ waitMs }) => waitMs),
    0.5,
  );
const cutOffShare = (results: readonly { cutOff: boolean }[]) =>
  results.filter(({ cutOff }) => cutOff).length / results.length;

function curvesOf(turns: readonly HeardTurn[], plan: Plan): CurvePoint[] {
  const serial = serialMs(turns);
  const point = (
    way: string,
    dialMs: number,
    results: readonly { cutOff: boolean; waitMs: number }[],
    gapP50: number,
  ) => ({ way, dialMs, cutOffPercent: 100 * cutOffShare(results), waitP50: middleWait(results), gapP50 });
  return [
    ...fixedWays(turns).flatMap(({ ms, results }) => [
      point('streamed, fixed wait', ms, results, middleWait(results) + FINAL_LATE_MS + enginesMs),
      point('serial, fixed wait', ms, results, middleWait(results) + serial),
    ]),
    ...LEEWAYS_MS.map((ms) => {
      const results = ourWays(turns, plan, { leewayMs: ms });
      return point(
        'ours',
        ms,
        results,
        quantile(
          results.map(({ gapMs }) => gapMs),
          0.5,
        ),
      );
    }),
  ];
}

/** The fixed wait that would cut off as many, read between two of those that were tried. */
function fixedAtEqualCutOffs(turns: readonly HeardTurn[], results: readonly TurnResult[]): number {
  const ways = fixedWays(turns).map(({ results: of }) => ({
    share: cutOffShare(of),
    waitMs: middleWait(of),
  }));
  const share = cutOffShare(results);
  const after = ways.findIndex((way) => way.share <= share);
  if (after <= 0) return (after === 0 ? ways[0] : ways.at(-1))!.waitMs;
  const [one, other] = [ways[after - 1]!, ways[after]!];
  const part = one.share === other.share ? 0 : (one.share - share) / (one.share - other.share);
  return one.waitMs + part * (other.waitMs - one.waitMs);
}

function turnTaking(turns: readonly HeardTurn[], plan: Plan): object {
  const ours = ourWays(turns, plan);
  const plain = fixedWays(turns).find(({ ms }) => ms === PLAIN_WAIT_MS)!.results;
  const whole = ours.filter((_, i) => turns[i]!.kind === 'whole');
  const expected = ours.filter(({ reason }) => reason.includes('phrase that is expected'));
  const begun = ours.reduce((sum, one) => sum + one.headStarts, 0);
  const kept = ours.filter(({ kept: is }) => is).length;
  return {
    ours: summary(ours),
    waitAgainstFixed: Number((middleWait(ours) / fixedAtEqualCutOffs(turns, ours)).toFixed(2)),
    fixed: fixedWays(turns).map(({ ms, results }) => ({ ms, ...summary(results) })),
    byLeeway: LEEWAYS_MS.map((ms) => ({ ms, ...summary(ourWays(turns, plan, { leewayMs: ms })) })),
    waitOnWholePhrases: spreadWithin(whole.map(({ waitMs }) => waitMs)),
    onExpectedPhrases: summary(expected),
    withoutExpectedPhrases: summary(ourWays(turns, plan, {}, { expect: { phrases: [] } })),
    withoutHeadStart: summary(ourWays(turns, plan, { headStarts: 0 })),
    ownGap: spreadWithin(ours.filter(({ cutOff }) => !cutOff).map(({ ownGapMs }) => ownGapMs)),
    plainWays: {
      streamedGapP50: middleWait(plain) + FINAL_LATE_MS + enginesMs,
      serialGapP50: middleWait(plain) + serialMs(turns),
    },
    headStarts: { keptOfTurns: shareOf(kept, ours.length), wasted: shareOf(begun - kept, begun) },
    byCondition: groups(turns, ours, ({ condition }) => conditionName(condition)),
    byKind: groups(turns, ours, ({ kind }) => kind),
    conductorTimesRealTime: Math.round(
      turns.reduce((sum, { heard }) => sum + heard.lengthMs, 0) /
        ours.reduce((sum, { conductorMs }) => sum + conductorMs, 0),
    ),
  };
}

/** Recognise all at 0.35 of real time, then the whole answer, then all of its sound, then play. */
function serialMs(turns: readonly HeardTurn[]): number {
  const spokenMs = quantile(
    turns.map((turn) => endOf(turn) - turn.pieces[0]!.fromMs),
    0.5,
  );
  return Math.round(
    0.35 * spokenMs + USUAL_TIMES.firstPieceMs + REPLY.length * USUAL_TIMES.pieceMs + REPLY.length * 9,
  );
}

function groups(
  turns: readonly HeardTurn[],
  results: readonly TurnResult[],
  nameOf: (turn: HeardTurn) => string,
) {
  const by = new Map<string, TurnResult[]>();
  turns.forEach((turn, i) => by.set(nameOf(turn), [...(by.get(nameOf(turn)) ?? []), results[i]!]));
  return [...by].map(([name, all]) => ({ name, ...summary(all) }));
}
