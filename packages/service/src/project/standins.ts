/** Starts the stand-ins that a project names, and stops them with the service. */
import { spawn, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { once } from 'node:events';
import { createInterface } from 'node:readline';
import type { ProjectFile } from '@verbalon/protocol';
import { ProblemError } from '../problems.js';

const START_PATIENCE_MS = 10_000;
const STOP_PATIENCE_MS = 3_000;

export interface Standin {
  name: string;
  address: string;
  pid: number;
  /** The environment variable with its key, and the key. */
  key: { name: string; value: string } | null;
  stop(): Promise<void>;
}

/** @throws ProblemError `standin-not-starting` */
export async function startStandins(folder: string, file: ProjectFile): Promise<Standin[]> {
  const started: Standin[] = [];
  try {
    for (const { name, start, key } of file.standins ?? []) {
      // A key that is set wrong is a thing to try: the stand-in knows another one then.
      const value = randomBytes(12).toString('hex');
      const known = key === undefined ? null : { name: key, value: process.env[key] ?? value };
      started.push(await startOne(folder, name, known ? [...start, '--key', value] : start, known));
    }
    return started;
  } catch (error) {
    await Promise.all(started.map((one) => one.stop()));
    throw error;
  }
}

async function startOne(
  folder: string,
  name: string,
  command: string[],
  key: Standin['key'],
): Promise<Standin> {
  // A group of its own: Ctrl-C in a terminal is the service's business; a stand-in ends when its standard input closes.
  const child = spawn(process.execPath, command, {
    cwd: folder,
    stdio: ['pipe', 'pipe', 'pipe'],
    detached: true,
  });
  let complaint = '';
  child.stderr
    .setEncoding('utf8')
    .on('data', (text: string) => (complaint = (complaint + text).slice(-2_000)));
  const address = await new Promise<string>((resolve, reject) => {
    const fail = (why: string) => reject(new ProblemError('standin-not-starting', `${name}: ${why}`));
    const timer = setTimeout(() => fail(`not ready after ${START_PATIENCE_MS} ms`), START_PATIENCE_MS);
    child.once('exit', (code) => fail(complaint.trim().split('\n').at(-1) || `it ended with code ${code}`));
    createInterface(child.stdout).on('line', (line) => {
      const found = /^ready (http:\S+)$/.exec(line)?.[1];
      if (!found) return;
      clearTimeout(timer);
      resolve(found);
    });
  });
  return { name, address, pid: child.pid!, key, stop: () => stop(child) };
}

async function stop(child: ChildProcess): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) return;
  const gone = once(child, 'exit');
  child.kill('SIGTERM');
  const timer = setTimeout(() => child.kill('SIGKILL'), STOP_PATIENCE_MS);
  await gone;
  clearTimeout(timer);
}
