/** Whatever can come in, sent to a started service, with a talk beside it: what survived, what was lost or doubled. */
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { campaign } from '@verbalon/hostile';
import { round } from './stage.js';

const root = fileURLToPath(new URL('../..', import.meta.url));
const SIZE = {
  items: 50_000,
  sounds: 1_500,
  requests: 500,
  crowd: 300,
  kills: 20,
  stalls: 10,
  commits: 5,
  restMs: 20_000,
};

export async function faultsBench(): Promise<object> {
  const seed = Number(process.env.VERBALON_SEED ?? 1);
  const folder = mkdtempSync(join(tmpdir(), 'verbalon-faults-'));
  // The database's user must be able to enter it.
  chmodSync(folder, 0o755);
  try {
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
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
