/**
 * Everything that can come in, sent to a started service by a seed, with a talk beside it; and what became of
 * it, as a table.
 */
import { join } from 'node:path';
import { BAD_WAYS } from './common/bad-engine.js';
import { Beside } from './beside.js';
import { Fire, KILLED, pause } from './fire.js';
import { ServiceUnderFire, type UnderFireOptions } from './common/service-under-fire.js';

export interface CampaignSize {
  seed: number;
  /** Messages and frames; mutated sound files; requests. */
  items: number;
  sounds: number;
  uploads: number;
  requests: number;
  /** Callers who come at once. */
  crowd: number;
  /** Of each kind of process. */
  kills: number;
  stalls: number;
  commits: number;
  /** After everything the service is left alone for so long before its memory is looked at, in ms. */
  restMs: number;
  /** So much of a walker's recording is said beside it, again and again, in s; all of it by default. */
  besideS?: number;
}

export interface CampaignRow {
  what: string;
  tried: number;
  /** Answered, or refused with words; the service went on. */
  survived: number;
  lost: number;
  doubled: number;
  /** The longest that health was waited for in the meantime, in ms. */
  healthMs: number;
}

export interface CampaignResult {
  rows: CampaignRow[];
  crashes: number;
  healthWorstMs: number;
  memoryBeforeMb: number;
  memoryAfterMb: number;
  /** After a kill of the service itself: how much of the last moments was not stored at most, in ms. */
  lostAtKillMs: number;
  /** Of a crowd that came at once: let in, told to come again, and the longest wait for either, in ms. */
  crowd: { admitted: number; told: number; slowestMs: number };
  /** The talk beside it: its turns, and how many were answered. */
  beside: { turns: number; answered: number };
  stopMs: number;
}

/** A stall that is longer than a query is waited for, in ms. */
const STALL_MS = 6_500;

/** @param done is told of each part that is over: of one that hangs it is known after which */
export async function campaign(
  size: CampaignSize,
  options: UnderFireOptions,
  done: (what: string) => void = () => undefined,
): Promise<CampaignResult> {
  const service = await ServiceUnderFire.start(options);
  const rows: CampaignRow[] = [];
  let worstMs = 0;
  const row = (what: string, tried: number, survived: number, lost = 0, doubled = 0) => {
    const healthMs = Math.round(service.worstHealthMs);
    rows.push({ what, tried, survived, lost, doubled, healthMs });
    done(what);
    worstMs = Math.max(worstMs, healthMs);
    service.worstHealthMs = 0;
  };
  const sounds = join(options.root, 'testing/sounds');
  const fire = new Fire(service, size.seed, sounds);
  // What the first of each kind brings along stays: the memory after them is what is compared.
  await fire.items(Math.ceil(size.items / 20), 1);
  await fire.sounds(4, 1);
  const memoryBeforeMb = service.memoryMb();
  const beside = new Beside(service, options.root, size.besideS);
  row('messages and frames', size.items, await fire.items(size.items, 1_000));
  row('mutated sound files', size.sounds, await fire.sounds(size.sounds, 1_000));
  row('uploads at once, half of them cut off', size.uploads, await fire.uploads(size.uploads));
  row('requests', size.requests, await fire.requests(size.requests));
  row('ways of a bad engine', Object.keys(BAD_WAYS).length, await fire.badWays());
  const crowd = await fire.crowd(size.crowd);
  row('callers at once', size.crowd, crowd.admitted + crowd.told);
  const stalls = await fire.whileWriting(size.stalls, async () => {
    service.proxy.stall();
    await pause(STALL_MS);
    service.proxy.goOn();
    await service.ready();
  });
  row(
    `stalls of the database, ${STALL_MS / 1000} s each`,
    size.stalls,
    stalls.survived,
    stalls.lost,
    stalls.doubled,
  );
  const commits = await fire.whileWriting(size.commits, async () => {
    await service.proxy.loseCommit();
    await service.ready();
  });
  row('answers to COMMIT lost', size.commits, commits.survived, commits.lost, commits.doubled);
  for (const [what, part] of Object.entries(KILLED)) {
    const killed = await fire.whileWriting(size.kills, () => fire.kill(part));
    row(`kills: ${what}`, size.kills, killed.survived, killed.lost, killed.doubled);
  }
  const database = await fire.whileWriting(size.kills, async () => {
    process.kill(service.databasePid, 'SIGKILL');
    await pause(200);
    await service.ready();
  });
  row('kills: the database', size.kills, database.survived, database.lost, database.doubled);
  const { turns, answered } = await beside.end();
  await pause(size.restMs);
  const memoryAfterMb = service.memoryMb();
  const killed = await fire.killService(size.kills);
  row('kills: the service itself', size.kills, killed.survived, killed.lost, killed.doubled);
  const { crashes } = service;
  const stopMs = await service.stop();
  return {
    rows,
    crashes,
    healthWorstMs: worstMs,
    memoryBeforeMb,
    memoryAfterMb,
    lostAtKillMs: killed.behindMs,
    crowd,
    beside: { turns, answered },
    stopMs,
  };
}
