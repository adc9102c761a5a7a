/**
 * The demo's service for tests that change nothing of it: the first file of a lane that wants it starts it,
 * and it goes on until the run is over. The lanes of a run (scripts/test.mjs) do not meet in it.
 */
import { spawn } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { HttpClient } from '@verbalon/client';
import { freshDatabase, freshFolder, root, until, untilReady, type RunningService } from './service.js';

type Noted = Pick<RunningService, 'address' | 'pids' | 'dataFolder'> & { log: string };
export type SharedService = Omit<RunningService, 'child' | 'stop'>;

export async function sharedDemo(): Promise<SharedService> {
  const note = join(process.env.VERBALON_TEST_RUN!, `demo-${process.env.VERBALON_TEST_LANE ?? 0}.json`);
  if (!existsSync(note)) await start(note);
  const { address, pids, dataFolder, log } = JSON.parse(readFileSync(note, 'utf8')) as Noted;
  const http = new HttpClient(address);
  await untilReady(http);
  return { address, http, pids, dataFolder, log: () => readFileSync(log, 'utf8') };
}

async function start(note: string): Promise<void> {
  const folder = freshFolder();
  const log = join(folder, 'log');
  const holder = spawn(
    process.execPath,
    [join(root, 'testing/hold-demo.mjs'), note, log, join(folder, 'data')],
    // It outlives this process.
    { cwd: root, env: { ...process.env, ...(await freshDatabase()) }, detached: true, stdio: 'ignore' },
  );
  holder.unref();
  await until(
    () => existsSync(note),
    () => readFileSync(log, 'utf8'),
  );
}
