/**
 * `npm run bench live`: caller turns of the report half through the whole service in real time, with the
 * stand-in model at 400 ms to its first piece; told from the sound that both sides had, not from the
 * service's own reports.
 */
import { callWithRecording } from '@verbalon/client/node';
import { HOUSE_RATE_HZ, writeWav } from '@verbalon/core';
import { audible, benchService, together } from '../common/stage.js';
import { shareOf, spreadWithin } from '../common/statistics.js';
import { endOf } from './judge.js';
import { callerTurns, Speakers } from './set.js';

const TURNS = 60;
/** Written down before it was run; nothing was tuned on it. */
const SEED = 7711;
/** The answer is heard for so long before it is hushed, to save time. */
const LISTEN_MS = 700;
const FIRST_PIECE_MS = 400;

export async function liveBench(): Promise<object> {
  const speakers = new Speakers();
  const turns = await callerTurns('report', TURNS, SEED, speakers);
  await speakers.close();
  const service = await benchService(['--fixed-words', '40', '--first-piece-ms', String(FIRST_PIECE_MS)]);
  const found = await together(turns, 2, async (turn) => {
    const endMs = endOf(turn);
    let hushed: NodeJS.Timeout | null = null;
    let press = (): void => undefined;
    const call = await callWithRecording({
      address: service.address,
      recording: writeWav([turn.samples], HOUSE_RATE_HZ),
      onOpen: (caller) => (press = () => caller.hush()),
      onMessage: (message) => {
        if (message.kind === 'speech' && message.atMs > endMs)
          hushed ??= setTimeout(() => press(), LISTEN_MS);
      },
    });
    const early = audible(call.assistant, call.rateHz);
    const sound = audible(call.assistant, call.rateHz, endMs);
    const report = call.reports.findLast(({ source, heard }) => source === 'voice' && heard !== '');
    return {
      turn,
      cutOffAloud: early !== null && early.fromMs < endMs,
      gapMs: sound ? sound.fromMs - endMs : null,
      waitMs: report?.wait?.ms ?? null,
      kept: report?.headStarts.kept ?? false,
      begun: report?.headStarts.begun ?? 0,
    };
  });
  await service.end();
  // Who is not answered is infinitely late; who is cut off aloud stands in a row of his own.
  const right = found.filter(({ cutOffAloud }) => !cutOffAloud);
  const clean = right.filter(({ turn }) => turn.condition.noise === null);
  const gaps = (rows: typeof found) => spreadWithin(rows.map(({ gapMs }) => gapMs ?? Infinity));
  const begun = right.reduce((sum, one) => sum + one.begun, 0);
  const kept = right.filter((one) => one.kept).length;
  return {
    seed: SEED,
    turns: found.length,
    firstPieceMs: FIRST_PIECE_MS,
    cutOffAloud: shareOf(found.length - right.length, found.length),
    neverAnswered: shareOf(found.filter(({ gapMs }) => gapMs === null).length, found.length),
    gapMs: gaps(right),
    gapInAQuietRoomMs: gaps(clean),
    waitMs: spreadWithin(right.flatMap(({ waitMs }) => waitMs ?? [])),
    headStarts: { keptOfTurns: shareOf(kept, right.length), wasted: shareOf(begun - kept, begun) },
  };
}
