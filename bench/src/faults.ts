/**
 * Whatever can come in, sent to a started service, with a talk beside it: what survived, what was lost or
 * doubled.
 */
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { percentile } from '@verbalon/core';
import { campaign, strangersCampaign } from '@verbalon/hostile';
import { round } from './common/stage.js';

const root = fileURLToPath(new URL('../..', import.meta.url));
const SIZE = {
  items: 50_000,
  sounds: 1_500,
  uploads: 1_000,
  requests: 500,
  crowd: 300,
  kills: 20,
  stalls: 10,
  commits: 5,
  restMs: 20_000,
};

const STRANGERS = { telephone: 20_000, requests: 5_000, values: 40, floods: 200, good: 10 };

export async function faultsBench(): Promise<object> {
  return { ...(await seeded(besideFaults)), strangers: await strangersBench() };
}

/** What somebody without a key, somebody at a telephone, and one flooder may send. */
export function strangersBench(): Promise<object> {
  return seeded(async (seed, folder) => {
    const { flood, health, ...found } = await strangersCampaign({ seed, ...STRANGERS }, { root, folder });
    const gaps = (all: readonly number[]) => ({
      turns: all.length,
      p50: round(percentile(all, 0.5)),
      mean: round(mean(all)),
      p95: round(percentile(all, 0.95)),
    });
    return {
      seed,
      ...found,
      flood: {
        talks: flood.talks,
        sent: flood.sent,
        gapBesideMs: gaps(flood.beside),
        gapThrownAwayMs: gaps(flood.thrownAway),
        ratio: round(mean(flood.beside) / mean(flood.thrownAway), 3),
      },
      health: Object.entries(health).map(([part, { n, p99, worst }]) => ({
        part,
        n,
        p99Ms: round(p99),
        worstMs: round(worst),
      })),
    };
  });
}

const mean = (all: readonly number[]) => all.reduce((sum, one) => sum + one, 0) / all.length;

async function seeded(run: (seed: number, folder: string) => Promise<object>): Promise<object> {
  const seed = Number(process.env.VERBALON_SEED ?? 1);
  const folder = mkdtempSync(join(tmpdir(), 'verbalon-faults-'));
  // The database's user must be able to enter it.
  chmodSync(folder, 0o755);
  try {
    return await run(seed, folder);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

async function besideFaults(seed: number, folder: string): Promise<object> {
  const { rows, ...found } = await campaign({ seed, ...SIZE }, { root, folder });
  return {
    seed,
    rows,
    ...found,
    healthWorstMs: round(found.healthWorstMs),
    memoryBeforeMb: round(found.memoryBeforeMb),
    memoryAfterMb: round(found.memoryAfterMb),
    memoryRatio: round(found.memoryAfterMb / found.memoryBeforeMb, 2),
    lostAtKillMs: round(found.lostAtKillMs),
    stopMs: round(found.stopMs),
  };
}
