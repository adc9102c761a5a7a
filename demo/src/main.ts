/**
 * `npm run demo`: starts the service with the demo project, lets one recorded walker talk to Tansy, prints
 * the talk as it happens, and stays up with the console. `-- --exit` ends after the talk, with code 0 only if
 * every turn was answered.
 */
import { fork, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, openSync, readFileSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { fileURLToPath } from 'node:url';
import { parseArgs } from 'node:util';
import { TalkPrinter } from '@verbalon/cli';
import { HttpClient } from '@verbalon/client';
import { callWithRecording } from '@verbalon/client/node';
import { writeWav } from '@verbalon/core';

const READY_PATIENCE_MS = 60_000;
const LOOK_AGAIN_MS = 50;
const USUAL_PORT = 7464;

const { values } = parseArgs({
  options: { exit: { type: 'boolean', default: false }, walker: { type: 'string', default: 'miller-asks' } },
});
const path = (relative: string) => fileURLToPath(new URL(relative, import.meta.url));
const dataFolder = path('../../.verbalon/demo');
const say = (text: string) => process.stdout.write(`${text}\n`);

async function portIsFree(port: number): Promise<boolean> {
  const server = createServer();
  return new Promise((resolve) => {
    server.once('error', () => resolve(false));
    server.listen(port, '127.0.0.1', () => server.close(() => resolve(true)));
  });
}

interface Serving {
  address: string;
  pids: { standins: Record<string, { address: string }> };
}

async function startService(): Promise<{ child: ChildProcess; address: string; site: string }> {
  mkdirSync(dataFolder, { recursive: true });
  const log = openSync(`${dataFolder}/service.log`, 'a');
  const port = (await portIsFree(USUAL_PORT)) ? USUAL_PORT : 0;
  const args = ['serve', '--project', path('..'), '--data', dataFolder, '--port', String(port)];
  const child = fork(path('../../packages/cli/bin/verbalon.mjs'), args, {
    stdio: ['ignore', 'ignore', log, 'ipc'],
  });
  const { address, pids } = await new Promise<Serving>((resolve, reject) => {
    child.once('message', (message: Serving) => resolve(message));
    child.once('exit', () => reject(new Error(complaintOf(`${dataFolder}/service.log`))));
  });
  return { child, address, site: pids.standins.site?.address ?? '' };
}

/** The service's last words: what is wrong, and what to do. */
function complaintOf(log: string): string {
  const lines = readFileSync(log, 'utf8').trim().split('\n');
  const from = lines.findLastIndex((line) => line.startsWith('verbalon: '));
  return from >= 0 ? lines.slice(from).join('\n') : `the service did not start; see ${log}`;
}

async function ready(http: HttpClient): Promise<void> {
  const deadline = Date.now() + READY_PATIENCE_MS;
  for (let waiting = await http.waitingFor(); waiting.length > 0; waiting = await http.waitingFor()) {
    if (Date.now() > deadline) throw new Error(`not ready: ${waiting.join('; ')}`);
    await new Promise((done) => setTimeout(done, LOOK_AGAIN_MS));
  }
}

async function stopService(child: ChildProcess): Promise<void> {
  if (child.exitCode !== null) return;
  const gone = once(child, 'exit');
  child.kill('SIGTERM');
  await gone;
}

async function letWalkerTalk(address: string, walker: string, signal: AbortSignal): Promise<boolean> {
  const printer = new TalkPrinter();
  const recording = readFileSync(path(`../recordings/${walker}.wav`));
  const { spoken } = JSON.parse(readFileSync(path(`../recordings/${walker}.json`), 'utf8')) as {
    spoken: unknown[];
  };
  say(`\n${walker} talks to Tansy, in real time (${spoken.length} pieces of speech):\n`);
  const call = await callWithRecording({
    address,
    recording,
    signal,
    onMessage: (message) => printer.show(message),
    onPlayed: (speech, _playedMs, atMs) => printer.played(speech, atMs),
  });
  const saved = `${dataFolder}/${walker}.two-lanes.wav`;
  writeFileSync(saved, writeWav([call.caller, call.assistant], call.rateHz));
  const turns = call.reports.filter(({ source }) => source === 'voice');
  const answered = turns.filter((turn) => turn.answered || turn.interrupted);
  const gaps = turns.flatMap(({ gap }) => (gap ? [Math.round(gap.ms)] : []));
  say(`\n${answered.length} of ${turns.length} turns were answered; gaps in ms: ${gaps.join(', ')}`);
  say(`both sides as sent and heard: ${saved}`);
  return call.cutOff === null && turns.length > 0 && answered.length === turns.length;
}

const stop = new AbortController();
let stopping: Promise<void> | null = null;
const { child, address, site } = await startService().catch((error: Error) => {
  process.stderr.write(`${error.message}\n`);
  process.exit(1);
});
for (const signal of ['SIGINT', 'SIGTERM'] as const) {
  process.on(signal, () => {
    stop.abort();
    stopping ??= stopService(child).then(() => process.exit(0));
  });
}
await ready(new HttpClient(address));
const good = await letWalkerTalk(address, values.walker, stop.signal);
if (values.exit) {
  await stopService(child);
  process.exit(good ? 0 : 1);
}
if (!stopping)
  say(
    `\nNow you: open ${address} and talk to Tansy, or ${site}/?service=${address}, a page with her button. Ctrl-C stops everything.`,
  );
