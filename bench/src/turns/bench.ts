/** `npm run bench turns`: taking turns, beside plain ways on the same hearing. Speakers, templates and noises of the half that nothing was tuned on. */
import { fileURLToPath } from 'node:url';
import {
  Ear,
  FINAL_LATE_MS,
  HOUSE_RATE_HZ,
  percentile,
  samplesOfMs,
  toFloats,
  USUAL_TIMES,
  type Plan,
} from '@verbalon/core';
import { Project } from '@verbalon/service';
import { drawCurves, type CurvePoint } from './curves.js';
import { eachOf, hearAll, Recogniser } from './hear.js';
import { endOf, fixedWay, ourWay, percentOf, summary, type HeardTurn, type TurnResult } from './judge.js';
import {
  echoOnly,
  hearOver,
  judgeCase,
  overlapping,
  planFor,
  type Overlapping,
  type OverlapResult,
} from './overlaps.js';
import { REPLY } from './play.js';
import { callerTurns, conditionName, Speakers } from './set.js';
import { voiceActivityOf, voiceWeights } from './voice.js';

const TURNS = 440;
const OVERLAPS = 300;
const ECHO_MINUTES = 10;
const ECHO_DB = -12;
const SEED = 12;
const FIXED_WAITS_MS = [300, 500, 700, 900, 1_100, 1_300];
const LEEWAYS_MS = [400, 500, 600, 700, 800, 1_000];
const PLAIN_WAIT_MS = 700;

const demo = fileURLToPath(new URL('../../../demo', import.meta.url));
const round = (value: number) => Math.round(value);
const spreadOf = (values: readonly number[]) =>
  values.length === 0
    ? null
    : { n: values.length, p50: round(percentile(values, 0.5)), p95: round(percentile(values, 0.95)) };

export async function turnsBench(): Promise<object> {
  const speakers = new Speakers();
  const { plan: own, profile } = new Project(demo).assistant('tansy');
  const recogniser = new Recogniser(profile!);
  await recogniser.warm();
  const plan: Plan = {
    ...own,
    greeting: '',
    manners: { ...own.manners, speaksFirst: 'caller', firstWordMs: 0 },
  };
  const turns = await hearAll(recogniser, await callerTurns('report', TURNS, SEED, speakers));
  const found = {
    seed: SEED,
    set: describe(turns),
    voiceActivity: voiceActivityOf(turns, SEED + 1),
    onsetMs: spreadOf(turns.filter(({ condition }) => condition.noise === null).flatMap(onsetOf)),
    ...(await turnTaking(turns, plan)),
    overlaps: await overlaps(recogniser, speakers, own),
  };
  await recogniser.close();
  await speakers.close();
  return found;
}

export async function voiceWeightsBench(): Promise<object> {
  const speakers = new Speakers();
  const made = await voiceWeights(speakers);
  await speakers.close();
  return made;
}

function describe(turns: readonly HeardTurn[]): object {
  const pauses = turns.flatMap(({ pauses }) => pauses.map(({ ms }) => ms));
  const kinds: Record<string, number> = {};
  for (const { kind } of turns) kinds[kind] = (kinds[kind] ?? 0) + 1;
  const seconds = turns.reduce((sum, { heard }) => sum + heard.lengthMs, 0) / 1000;
  return {
    turns: turns.length,
    seconds: round(seconds),
    kinds,
    pauses: { ...spreadOf(pauses), longest: Math.max(...pauses) },
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

async function turnTaking(turns: readonly HeardTurn[], plan: Plan) {
  const with_ = (manners: Partial<Plan['manners']>, other: Partial<Plan> = {}) =>
    turns.map((turn) => ourWay(turn, { ...plan, ...other, manners: { ...plan.manners, ...manners } }));
  const ours = with_({});
  const noHeadStart = with_({ headStarts: 0 });
  const phraseMs = 4 * USUAL_TIMES.pieceMs;
  const enginesMs = USUAL_TIMES.firstPieceMs + phraseMs + USUAL_TIMES.synthesisMs + USUAL_TIMES.playingMs;
  const fixed = FIXED_WAITS_MS.map((ms) => ({ ms, ...summary(turns.map((turn) => fixedWay(turn, ms))) }));
  const plain = fixed.find(({ ms }) => ms === PLAIN_WAIT_MS)!;
  const leeways = LEEWAYS_MS.map((ms) => ({ ms, results: with_({ leewayMs: ms }) }));
  const points: CurvePoint[] = [
    ...fixed.flatMap(({ ms: dialMs, cutOffPercent, waitP50 }) => [
      {
        way: 'streamed, fixed wait',
        dialMs,
        cutOffPercent,
        waitP50: waitP50!,
        gapP50: waitP50! + FINAL_LATE_MS + enginesMs,
      },
      {
        way: 'serial, fixed wait',
        dialMs,
        cutOffPercent,
        waitP50: waitP50!,
        gapP50: waitP50! + serialMs(turns),
      },
    ]),
    ...leeways.map(({ ms: dialMs, results }) => {
      const { cutOffPercent, waitP50 } = summary(results);
      return { way: 'ours', dialMs, cutOffPercent, waitP50: waitP50!, gapP50: gapOf(results)!.p50 };
    }),
  ];
  await drawCurves(points, fileURLToPath(new URL('../../../docs/turns.svg', import.meta.url)));
  const silent = turns.map(withoutMelody);
  const whole = ours.filter((_, i) => turns[i]!.kind === 'whole');
  const expected = ours.filter(({ reason }) => reason.includes('phrase that is expected'));
  const audioMs = turns.reduce((sum, { heard }) => sum + heard.lengthMs, 0);
  return {
    ours: {
      ...summary(ours),
      cutOffAloudPercent: percentOf(ours.filter(({ cutOffAloud }) => cutOffAloud).length, ours.length),
    },
    fixed,
    byLeeway: leeways.map(({ ms, results }) => ({ ms, ...summary(results), gap: gapOf(results) })),
    waitOnWholePhrases: spreadOf(whole.flatMap(({ waitMs }) => waitMs ?? [])),
    waitOnExpectedPhrases: spreadOf(expected.flatMap(({ waitMs }) => waitMs ?? [])),
    withoutMelody: summary(silent.map((turn) => ourWay(turn, plan))),
    withoutExpectedPhrases: summary(with_({}, { expect: { phrases: [] } })),
    gap: gapOf(ours),
    gapOnExpectedPhrases: gapOf(expected),
    gapWithoutHeadStart: gapOf(noHeadStart),
    ownGap: spreadOf(ours.flatMap(({ ownGapMs }) => ownGapMs ?? [])),
    plainWays: {
      cutOffPercent: plain.cutOffPercent,
      streamedGapP50: plain.waitP50! + FINAL_LATE_MS + enginesMs,
      serialGapP50: plain.waitP50! + serialMs(turns),
    },
    headStarts: {
      keptPercentOfTurns: percentOf(ours.filter(({ kept }) => kept).length, ours.length),
      wastedPercent: percentOf(
        ours.reduce((sum, one) => sum + one.headStarts - (one.kept ? 1 : 0), 0),
        ours.reduce((sum, one) => sum + one.headStarts, 0),
      ),
    },
    byCondition: groups(turns, ours, ({ condition }) => conditionName(condition)),
    byKind: groups(turns, ours, ({ kind }) => kind),
    conductorTimesRealTime: round(audioMs / ours.reduce((sum, { conductorMs }) => sum + conductorMs, 0)),
  };
}

function gapOf(results: readonly TurnResult[]) {
  return spreadOf(results.flatMap(({ gapMs }) => gapMs ?? []));
}

/** Recognise all at 0.35 of real time, then the whole answer, then all of its sound, then play. */
function serialMs(turns: readonly HeardTurn[]): number {
  const spokenMs = percentile(
    turns.map((turn) => endOf(turn) - turn.pieces[0]!.fromMs),
    0.5,
  );
  return round(
    0.35 * spokenMs + USUAL_TIMES.firstPieceMs + REPLY.length * USUAL_TIMES.pieceMs + REPLY.length * 9,
  );
}

function withoutMelody(turn: HeardTurn): HeardTurn {
  const events = turn.heard.events.map(({ atMs, event }) =>
    event.kind === 'voicePaused'
      ? { atMs, event: { ...event, ending: { moveSt: null, placeSt: null } } }
      : { atMs, event },
  );
  return { ...turn, heard: { ...turn.heard, events } };
}

function groups(
  turns: readonly HeardTurn[],
  results: readonly TurnResult[],
  nameOf: (turn: HeardTurn) => string,
) {
  const by = new Map<string, TurnResult[]>();
  turns.forEach((turn, i) => by.set(nameOf(turn), [...(by.get(nameOf(turn)) ?? []), results[i]!]));
  return [...by].map(([name, all]) => ({ name, ...summary(all), gapP50: gapOf(all)?.p50 ?? null }));
}

async function overlaps(recogniser: Recogniser, speakers: Speakers, own: Plan) {
  const plan = planFor(own);
  const rows: object[] = [];
  for (const kind of ['interruption', 'nod', 'cough or knock'] as const) {
    const { cases, voice } = await overlapping(kind, 'report', OVERLAPS, SEED + 2, speakers);
    const heard = await eachOf(cases, (one) => hearOver(one, recogniser));
    const results = cases.map((one, i): [Overlapping, OverlapResult] => [
      one,
      judgeCase(one, heard[i]!, plan, voice),
    ]);
    const loud = (db: number | null) =>
      db === null ? 'no echo' : db <= -13 ? 'echo −20 to −13 dB' : 'echo −13 to −6 dB';
    for (const group of ['all', 'no echo', 'echo −20 to −13 dB', 'echo −13 to −6 dB'])
      rows.push(
        overlapRow(
          kind,
          group,
          results.filter(([{ echoDb }]) => group === 'all' || loud(echoDb) === group),
        ),
      );
  }
  const { cases, voice } = await echoOnly(ECHO_MINUTES, ECHO_DB, SEED + 3, speakers);
  let ducks = 0;
  let hushes = 0;
  for (const one of cases) {
    const result = judgeCase(one, await hearOver(one, recogniser), plan, voice);
    ducks += result.ducks;
    hushes += result.hushMs === null ? 0 : 1;
  }
  rows.push({
    kind: `only its echo at ${ECHO_DB} dB`,
    minutes: ECHO_MINUTES,
    interruptedItself: hushes,
    falseDucksAMinute: ducks / ECHO_MINUTES,
  });
  return rows;
}

function overlapRow(kind: string, group: string, results: readonly [Overlapping, OverlapResult][]) {
  const hushed = results.filter(([one, { hushMs }]) => hushMs !== null && hushMs >= one.atMs);
  const after = (pick: (result: OverlapResult) => number | null) =>
    spreadOf(results.flatMap(([one, result]) => (pick(result) === null ? [] : [pick(result)! - one.atMs])));
  return {
    kind,
    group,
    n: results.length,
    hushedPercent: percentOf(hushed.length, results.length),
    toDuckMs: after(({ duckMs }) => duckMs),
    toHushMs: after(({ hushMs }) => hushMs),
    ...(kind === 'interruption'
      ? {}
      : { resumedMs: spreadOf(results.flatMap(([, { resumedMs }]) => resumedMs ?? [])) }),
    duckedBefore: results.filter(([one, { played }]) =>
      played.orders.some(({ atMs, order }) => order.kind === 'duck' && atMs < one.atMs),
    ).length,
  };
}
