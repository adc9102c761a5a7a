/** A project folder is watched: nothing that is written goes unnoticed, whenever it is. */
import { afterAll, expect, it } from '@jest/globals';
import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { watchFolder } from '../../src/project/watching.js';
import { freshFolder, until } from '../../../../testing/service.js';

const FOLDERS = 60;
const TURNS_LATER = 20;

const folders: string[] = [];
const watchers: { close(): Promise<void> }[] = [];
afterAll(async () => {
  await Promise.all(watchers.map((one) => one.close()));
  for (const folder of folders) rmSync(folder, { recursive: true });
});

it('what is written just while the watching begins is noticed like anything else', async () => {
  const all = await Promise.all(
    Array.from({ length: FOLDERS }, async (_, i) => {
      const folder = freshFolder();
      folders.push(folder);
      mkdirSync(join(folder, 'engines'));
      writeFileSync(join(folder, 'engines/old.yaml'), 'a: 1\n');
      const told = new Set<string>();
      const watcher = watchFolder(folder, Date.now() - 1_000, (changed) => {
        if (changed.what === 'engines') told.add(changed.name);
      });
      watchers.push(watcher);
      for (let turn = 0; turn < i % TURNS_LATER; turn++) await new Promise((done) => setImmediate(done));
      writeFileSync(join(folder, 'engines/new.yaml'), 'a: 1\n');
      return told;
    }),
  );
  await until(() => all.every((told) => told.has('new') && told.has('old')));
  expect(all).toHaveLength(FOLDERS);
}, 120_000);
