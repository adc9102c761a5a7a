/**
 * A long recording through `POST /v1/transcribe`: how fast, how much memory of the service, and how right.
 * BENCH_MINUTES, 60 by default.
 */
import { fork } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, openAsBlob, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { HttpClient } from '@verbalon/client';
import { comparableWords, errorRate, HOUSE_RATE_HZ, wordErrors, writeWav } from '@verbalon/core';
import { round, sayings } from './common/stage.js';

const PAUSE_MS = 1_200;
const LOOK_EVERY_MS = 500;
const PAGE_BYTES = 4_096;

export async function longBench(): Promise<object> {
  const minutes = Number(process.env.BENCH_MINUTES ?? 60);
  const folder = mkdtempSync(join(tmpdir(), 'verbalon-long-'));
  const file = join(folder, 'long.wav');
  const said = writeRecording(file, minutes);
  const cli = fileURLToPath(new URL('../../packages/cli/bin/verbalon.mjs', import.meta.url));
  const project = fileURLToPath(new URL('../../demo', import.meta.url));
  const child = fork(cli, ['serve', '--port', '0', '--project', project, '--data', join(folder, 'data')], {
    stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
  });
  const [{ address }] = (await once(child, 'message')) as [{ address: string }];
  const http = new HttpClient(address);
  while ((await http.waitingFor()).length > 0) await new Promise((done) => setTimeout(done, LOOK_EVERY_MS));
  const residentMb = () =>
    (Number(readFileSync(`/proc/${child.pid}/statm`, 'utf8').split(' ')[1]) * PAGE_BYTES) / 1e6;
  const beforeMb = residentMb();
  let mostMb = beforeMb;
  const looking = setInterval(() => (mostMb = Math.max(mostMb, residentMb())), LOOK_EVERY_MS);
  const quarters: number[] = [];
  let found = {};
  for await (const event of http.transcribe(await openAsBlob(file), { assistant: 'tansy' })) {
    if (event.kind === 'progress' && event.heardMs > ((quarters.length + 1) * minutes * 60_000) / 4)
      quarters.push(round(residentMb(), 0));
    if (event.kind !== 'done') continue;
    const { spoken, durationMs, tookMs } = event.transcript;
    const errors = wordErrors(comparableWords(said), comparableWords(spoken));
    found = {
      minutes: round(durationMs / 60_000, 1),
      tookS: round(tookMs / 1000, 0),
      realTimeFactor: round(tookMs / durationMs, 3),
      wordErrors: round(errorRate(errors), 3),
    };
  }
  clearInterval(looking);
  child.kill('SIGTERM');
  await once(child, 'exit');
  rmSync(folder, { recursive: true, force: true });
  return {
    ...found,
    memoryBeforeMb: round(beforeMb, 0),
    memoryMostMb: round(mostMb, 0),
    memoryAtQuartersMb: quarters,
  };
}

/** The walkers' sayings one after the other, with pauses, over and over. @returns what is said in it */
function writeRecording(file: string, minutes: number): string {
  const all = sayings(['miller-asks', 'baker-interrupts', 'fisher-hesitates']);
  const pause = new Int16Array((PAUSE_MS * HOUSE_RATE_HZ) / 1000);
  const sound = new Int16Array(minutes * 60 * HOUSE_RATE_HZ);
  const said: string[] = [];
  let at = 0;
  for (let i = 0; ; i++) {
    const { samples, text } = all[i % all.length]!;
    if (at + samples.length + pause.length > sound.length) break;
    sound.set(samples, at);
    at += samples.length + pause.length;
    said.push(text);
  }
  writeFileSync(file, writeWav([sound], HOUSE_RATE_HZ));
  return said.join(' ');
}
