/** The short form of `npm run bench faults`: everything that can come in, by a seed, with a talk beside it. */
import { expect, it } from '@jest/globals';
import { rmSync } from 'node:fs';
import { campaign } from '@verbalon/hostile';
import { freshFolder, root } from '../../../../testing/service.js';

/** The whole of it takes about a minute. */
const PATIENCE_MS = 280_000;

it(
  'nothing that comes in ends the service, loses a row, or writes one twice',
  async () => {
    const folder = freshFolder();
    const size = {
      seed: 11,
      items: 600,
      sounds: 12,
      requests: 60,
      crowd: 60,
      kills: 1,
      stalls: 1,
      commits: 1,
      restMs: 0,
    };
    let last = 'the start';
    let late: NodeJS.Timeout | undefined;
    // A part that hangs is told by what was before it.
    const hangs = new Promise<never>((_, reject) => {
      late = setTimeout(() => reject(new Error(`what comes after "${last}" does not end`)), PATIENCE_MS);
    });
    const all = campaign(size, { root, folder }, (what) => (last = what));
    const { rows, crashes, beside } = await Promise.race([all, hangs]).finally(() => clearTimeout(late));
    expect(crashes).toBe(0);
    // How much a kill of the service itself costs is a question of time: `npm run bench faults` measures it.
    for (const { what, tried, survived, lost, doubled } of rows)
      expect({ what, survived, doubled, lost: what === 'kills: the service itself' ? 0 : lost }).toEqual({
        what,
        survived: tried,
        doubled: 0,
        lost: 0,
      });
    expect(beside.turns).toBeGreaterThan(0);
    rmSync(folder, { recursive: true, force: true });
  },
  PATIENCE_MS + 10_000,
);
