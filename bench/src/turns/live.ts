/**
 * `npm run bench live`: caller turns of the report half through the whole service in real time, with the stand-in model at
 * 400 ms to its first piece; told from the sound that both sides had, not from the service's own reports.
 */
import { callWithRecording } from '@verbalon/client/node';
import { HOUSE_RATE_HZ, writeWav } from '@verbalon/core';
import { audible, benchService, spread, together } from '../stage.js';
import { endOf, percentOf } from './judge.js';
import { callerTurns, Speakers } from './set.js';

const TURNS = 44;
const SEED = 51;
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
  const right = found.filter(({ cutOffAloud }) => !cutOffAloud);
  const clean = right.filter(({ turn }) => turn.condition.noise === null);
  const gaps = (rows: typeof found) => spread(rows.flatMap(({ gapMs }) => gapMs ?? []));
  return {
    seed: SEED,
    turns: found.length,
    firstPieceMs: FIRST_PIECE_MS,
    answered: right.filter(({ gapMs }) => gapMs !== null).length,
    cutOffAloudPercent: percentOf(found.length - right.length, found.length),
    gapMs: gaps(right),
    gapInAQuietRoomMs: gaps(clean),
    waitMs: spread(right.flatMap(({ waitMs }) => waitMs ?? [])),
    headStartKeptPercent: percentOf(right.filter(({ kept }) => kept).length, right.length),
    headStartsBegun: right.reduce((sum, { begun }) => sum + begun, 0),
  };
}
