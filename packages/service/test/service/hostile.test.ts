/** The short forms of `npm run bench faults` and `strangers`: everything that can come in, by a seed. */
import { expect, it } from '@jest/globals';
import { rmSync } from 'node:fs';
import { campaign, strangersCampaign } from '@verbalon/hostile';
import { freshFolder, root } from '../../../../testing/service.js';

/** The whole of it takes about a minute. */
const PATIENCE_MS = 280_000;

it(
  'nothing that comes in ends the service, loses a row, or writes one twice',
  async () => {
    const folder = freshFolder();
    const size = {
      seed: 11,
      items: 200,
      sounds: 6,
      uploads: 16,
      requests: 60,
      crowd: 60,
      kills: 1,
      stalls: 1,
      commits: 1,
      restMs: 0,
      besideS: 21,
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
    // Two sayings fit into what is said beside it, again and again.
    expect(beside.turns).toBeGreaterThanOrEqual(2);
    rmSync(folder, { recursive: true, force: true });
  },
  PATIENCE_MS + 10_000,
);

it('no stranger ends the service, is let in to anything, or leads what it sends elsewhere', async () => {
  const folder = freshFolder();
  const size = { seed: 12, telephone: 800, requests: 120, values: 6, floods: 2, good: 0 };
  const { crashes, telephone, requests, values, flood } = await strangersCampaign(size, { root, folder });
  expect(crashes).toBe(0);
  expect(telephone.answered).toBeGreaterThan(0);
  expect(requests.refused).toBeGreaterThan(0);
  // What is everybody's: what the operations are, and a page that shows nothing by itself.
  const everybodys = ['/v1/openapi.json', '/captions?view=guessed'];
  expect(requests.opened.filter((path) => !everybodys.includes(path))).toEqual([]);
  expect(values).toMatchObject({ said: 6, elsewhere: 0 });
  expect(flood).toMatchObject({ talks: 2 });
  rmSync(folder, { recursive: true, force: true });
});
