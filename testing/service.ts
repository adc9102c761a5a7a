/** Starts the real service through the command line, with the demo project and a data folder of its own. */
import { fork, spawnSync, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { once } from 'node:events';
import { chmodSync, mkdtempSync, openSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { Readable, Writable } from 'node:stream';
import { join, resolve } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import pg from 'pg';
import { HttpClient } from '@verbalon/client';
import type { Cue } from '@verbalon/client/node';
import { readWav, toPcm16, writeWav } from '@verbalon/core';
import { copyDemo } from '@verbalon/hostile/demo-copy';

export const root = resolve(process.cwd());
export const cli = join(root, 'packages/cli/bin/verbalon.mjs');

export interface RunningService {
  address: string;
  http: HttpClient;
  pids: { database: number; standins: Record<string, { pid: number; address: string }> };
  dataFolder: string;
  child: ChildProcess;
  /** Everything logged so far. */
  log(): string;
  stop(): Promise<void>;
}

export function freshFolder(): string {
  const folder = mkdtempSync(join(tmpdir(), 'verbalon-test-'));
  // The database's user must be able to enter it: then the database lies in it and goes with it.
  chmodSync(folder, 0o755);
  return folder;
}

/**
 * A database of its own, on the PostgreSQL of the run; nothing where there is none. @returns how a service is
 * told of it
 */
export async function freshDatabase(): Promise<Record<string, string>> {
  const server = process.env.VERBALON_TEST_POSTGRES;
  if (server === undefined) return {};
  const name = `test_${randomBytes(6).toString('hex')}`;
  const client = new pg.Client(server);
  await client.connect();
  await client.query(`create database ${name} template template_of_tests`);
  await client.end();
  const url = new URL(server);
  url.pathname = `/${name}`;
  return { DATABASE_URL: url.href };
}

/** A copy of the demo project that a test may change; its stand-ins stay where they are. */
export function demoCopy(): string {
  const project = join(freshFolder(), 'project');
  copyDemo(root, project);
  return project;
}

/** A certificate for this machine, and its key: PEM files of a fresh folder. */
export function freshCertificate(): { cert: string; key: string } {
  const folder = freshFolder();
  const [cert, key] = [join(folder, 'cert.pem'), join(folder, 'key.pem')];
  const made = spawnSync('openssl', [
    'req',
    '-x509',
    '-newkey',
    'ec',
    '-pkeyopt',
    'ec_paramgen_curve:prime256v1',
    '-nodes',
    '-days',
    '2',
    '-subj',
    '/CN=localhost',
    '-addext',
    'subjectAltName=IP:127.0.0.1,DNS:localhost',
    '-keyout',
    key,
    '-out',
    cert,
  ]);
  if (made.status !== 0) throw new Error(`openssl made no certificate: ${made.stderr.toString()}`);
  return { cert, key };
}

/** For a service that is to start a PostgreSQL of its own. */
export const OWN_DATABASE = { DATABASE_URL: '' };

export type Serving = Omit<RunningService, 'http'>;

/** Starts a service, whatever it needs before it can be talked to. */
export async function startServing(
  project: string,
  dataFolder: string,
  env: Record<string, string>,
  more: readonly string[] = [],
): Promise<Serving> {
  const args = ['serve', '--port', '0', '--project', project, '--data', dataFolder, ...more];
  const child = fork(cli, args, {
    env: { ...process.env, ...(await freshDatabase()), ...env },
    stdio: ['ignore', 'ignore', 'pipe', 'ipc'],
  });
  let log = '';
  child.stderr!.setEncoding('utf8').on('data', (text: string) => (log += text));
  const serving = await Promise.race([
    once(child, 'message').then(([message]) => message as Pick<RunningService, 'address' | 'pids'>),
    once(child, 'exit').then(([code]) => Promise.reject(new Error(`serve ended with code ${code}: ${log}`))),
  ]);
  return {
    ...serving,
    dataFolder,
    child,
    log: () => log,
    stop: async () => {
      if (child.exitCode === null && child.signalCode === null) {
        child.kill('SIGTERM');
        await once(child, 'exit');
      }
      rmSync(dataFolder, { recursive: true, force: true });
    },
  };
}

/** A service that can be talked to. */
export async function startService(
  project = join(root, 'demo'),
  dataFolder = freshFolder(),
  env: Record<string, string> = {},
): Promise<RunningService> {
  const serving = await startServing(project, dataFolder, env);
  const http = new HttpClient(serving.address);
  await untilReady(http);
  return { ...serving, http };
}

/** Until it waits for nothing before it can be talked to. */
export async function untilReady(http: HttpClient): Promise<void> {
  while ((await http.waitingFor()).length > 0) await new Promise((done) => setTimeout(done, 50));
}

export interface Ran {
  code: number | null;
  out: string;
  err: string;
}

/** Runs a command of the command line to its end, in this process. */
export async function verbalon(
  args: string[],
  env: Record<string, string> = {},
  input: string | Uint8Array = '',
): Promise<Ran & { bytes: Buffer }> {
  const written: Record<'out' | 'err', Buffer[]> = { out: [], err: [] };
  const into = (name: 'out' | 'err') =>
    new Writable({
      write: (chunk: Buffer, _encoding, done) => {
        written[name].push(Buffer.from(chunk));
        done();
      },
    });
  const { main } = await import('@verbalon/cli/main');
  const stdin = Readable.from([Buffer.from(input)]);
  const streams = { stdout: into('out'), stderr: into('err'), stdin };
  const code = await main(args, { ...streams, env: { ...process.env, ...env } });
  const bytes = Buffer.concat(written.out);
  return { code, out: bytes.toString(), err: Buffer.concat(written.err).toString(), bytes };
}

/** Runs it in a process of its own, as a shell does. */
export function verbalonProgram(args: string[], env: Record<string, string> = {}): Ran {
  const result = spawnSync(process.execPath, [cli, ...args], {
    env: { ...process.env, ...env },
    encoding: 'utf8',
    timeout: 45_000,
  });
  return { code: result.status, out: result.stdout, err: result.stderr };
}

/**
 * Lines for a program's standard input, as a shell gives them: a pipe of ours would be a socket, of somebody
 * who only starts it.
 */
export function linesFor(text: string): number {
  const file = join(freshFolder(), 'lines.txt');
  writeFileSync(file, text);
  return openSync(file, 'r');
}

const UNTIL_PATIENCE_MS = 90_000;
/** Looking takes no more than one part in so many of the time; the pauses between lie within these, in ms. */
const LOOKING_SHARE = 20;
const LEAST_PAUSE_MS = 20;
const MOST_PAUSE_MS = 300;

/**
 * Waits until something holds, looking often. What throws, such as an answer 404, does not hold yet.
 * @param seen what is told when it never holds
 */
export async function until(
  holds: () => boolean | Promise<boolean>,
  seen: () => string = () => '',
): Promise<void> {
  let last: unknown;
  for (const deadline = Date.now() + UNTIL_PATIENCE_MS; Date.now() < deadline;) {
    const fromMs = performance.now();
    try {
      if (await holds()) return;
      last = undefined;
    } catch (error) {
      last = error;
    }
    const pauseMs = LOOKING_SHARE * (performance.now() - fromMs);
    await pause(Math.min(MOST_PAUSE_MS, Math.max(LEAST_PAUSE_MS, pauseMs)));
  }
  throw last instanceof Error ? last : new Error(`it was waited for in vain: ${holds.toString()}\n${seen()}`);
}

/** A walker's recording; `seconds` cuts it there, for tests that need only its beginning. */
export function walker(name: string, seconds?: number): Uint8Array {
  const whole = readFileSync(join(root, 'demo/recordings', `${name}.wav`));
  if (seconds === undefined) return whole;
  const { channels, rateHz } = readWav(whole);
  return writeWav([toPcm16(channels[0]!.subarray(0, seconds * rateHz))], rateHz);
}

/** A silence from this length on is for the assistant; a shorter one is a hesitation, in ms. */
const LEAST_FOR_ANSWER_MS = 3_000;
/** So long before a saying it is looked how far the assistant is, in ms. */
const BEFORE_SAYING_MS = 300;

/** A walker who lets the assistant finish, or interrupts it ("Wait, ..."), on a slow machine too. */
export function patientWalker(name: string, seconds?: number): { recording: Uint8Array; cues: Cue[] } {
  const spoken = truth(name);
  const cues = spoken.flatMap(({ text, fromMs }, i): Cue[] => {
    if (fromMs - (spoken[i - 1]?.toMs ?? 0) < LEAST_FOR_ANSWER_MS) return [];
    return [{ atMs: fromMs - BEFORE_SAYING_MS, until: /^wait\b/i.test(text) ? 'speaking' : 'silent' }];
  });
  return { recording: walker(name, seconds), cues };
}

/** Where the walker's words really are, in ms. */
export function truth(name: string): { text: string; fromMs: number; toMs: number }[] {
  const file = join(root, 'demo/recordings', `${name}.json`);
  return (
    JSON.parse(readFileSync(file, 'utf8')) as { spoken: { text: string; fromMs: number; toMs: number }[] }
  ).spoken;
}
