/**
 * `npm run bench overlaps`: sounds over the assistant's voice: interruptions, nods, noises, and nothing but
 * its own echo.
 */
import type { Plan } from '@verbalon/core';
import { shareOf, spreadWithin } from '../common/statistics.js';
import { assistantsOf } from './assistants.js';
import { eachOf, Recogniser } from './hear.js';
import {
  echoOnly,
  hearOver,
  judgeCase,
  overlapping,
  planFor,
  type Overlapping,
  type OverlapResult,
} from './overlaps.js';
import { Speakers } from './set.js';

const OVERLAPS = 300;
const ECHO_MINUTES = 10;
const ECHO_DB = -12;
const SEED = 14;

export async function overlapsBench(): Promise<object> {
  const speakers = new Speakers();
  const { plan, profile } = assistantsOf('report')[0]!;
  const recogniser = new Recogniser(profile);
  await recogniser.warm();
  const rows = await overlaps(recogniser, speakers, plan);
  await recogniser.close();
  await speakers.close();
  return { seed: SEED, rows };
}

async function overlaps(recogniser: Recogniser, speakers: Speakers, own: Plan) {
  const plan = planFor(own);
  const rows: object[] = [];
  for (const kind of ['interruption', 'nod', 'cough or knock'] as const) {
    const { cases, voice } = await overlapping(kind, 'report', OVERLAPS, SEED, speakers);
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
  const { cases, voice } = await echoOnly(ECHO_MINUTES, ECHO_DB, SEED + 1, speakers);
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
  // An interruption that is missed is infinitely late; of what is none nobody waits for anything.
  const never = kind === 'interruption' ? [Infinity] : [];
  const after = (pick: (result: OverlapResult) => number | null) =>
    spreadWithin(
      results.flatMap(([one, result]) => (pick(result) === null ? never : [pick(result)! - one.atMs])),
    );
  return {
    kind,
    group,
    n: results.length,
    hushed: shareOf(hushed.length, results.length),
    toDuckMs: after(({ duckMs }) => duckMs),
    toHushMs: after(({ hushMs }) => hushMs),
    ...(kind === 'interruption'
      ? {}
      : { resumedMs: spreadWithin(results.flatMap(([, { resumedMs }]) => resumedMs ?? [])) }),
    duckedBefore: results.filter(([one, { played }]) =>
      played.orders.some(({ atMs, order }) => order.kind === 'duck' && atMs < one.atMs),
    ).length,
  };
}
