/** A box on pipes: its button, its light, its display and its mouth, with a recording for a microphone. */
import { beforeAll, expect, it } from '@jest/globals';
import { spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { createReadStream, createWriteStream } from 'node:fs';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { levelDb, pcm16Bytes, pcm16FromBytes, readWav, toFloats, toPcm16 } from '@verbalon/core';
import { cli, freshFolder, until, walker } from '../../../../testing/service.js';
import { sharedDemo, type SharedService } from '../../../../testing/shared-demo.js';

const RATE_HZ = 16_000;
const FRAME = 320;

let service: SharedService;
beforeAll(async () => {
  service = await sharedDemo();
}, 120_000);

interface Said {
  kind: string;
  light?: string;
  lines?: [string, string];
  open?: number;
  why?: string;
  detail?: string;
}

it('talks by its button, and says what to show', async () => {
  const folder = freshFolder();
  const [hear, speak] = [join(folder, 'hear'), join(folder, 'speak')];
  spawnSync('mkfifo', [hear, speak]);
  const child = spawn(
    process.execPath,
    [cli, 'line', 'tansy', '--device', '--hear', hear, '--speak', speak, '--columns', '30'],
    { env: { ...process.env, VERBALON_URL: service.address }, stdio: ['pipe', 'pipe', 'inherit'] },
  );
  const said: Said[] = [];
  createInterface({ input: child.stdout }).on('line', (line) => said.push(JSON.parse(line) as Said));
  const tell = (line: object | string) =>
    child.stdin.write(`${typeof line === 'string' ? line : JSON.stringify(line)}\n`);
  const light = () => said.findLast(({ kind }) => kind === 'light')?.light;
  const lines = () => said.flatMap((one) => one.lines ?? []).join(' ');
  // The box's sound: what it hears, 20 ms at a time, and what it is given to play.
  const question = toPcm16(readWav(walker('miller-asks', 7)).channels[0]!);
  let at = -1;
  const microphone = createWriteStream(hear).on('error', () => undefined);
  const ticking = setInterval(
    () => {
      const frame = new Int16Array(FRAME);
      if (at >= 0) {
        frame.set(question.subarray(at, at + FRAME));
        at += FRAME;
      }
      microphone.write(pcm16Bytes(frame));
    },
    (FRAME * 1_000) / RATE_HZ,
  );
  let loud = 0;
  createReadStream(speak).on('data', (data) => {
    if (levelDb(toFloats(pcm16FromBytes(data as Buffer))) > -45) loud++;
  });
  await until(() => light() === 'answering');
  await until(() => light() === 'listening' || light() === 'breathing');
  expect(loud).toBeGreaterThan(50);
  const mouths = () => said.flatMap(({ open }) => open ?? []);
  expect(Math.max(...mouths())).toBeGreaterThan(0.5);
  // The mouth is shut when nothing is heard any more.
  await until(() => mouths().at(-1) === 0);
  tell({ kind: 'button', is: 'down' });
  await until(() => light() === 'listening' && lines().includes('Listening'));
  at = 0;
  await until(() => at >= question.length);
  tell({ kind: 'button', is: 'up' });
  await until(() => lines().includes('loose stone') || lines().includes('is open'));
  tell('nonsense');
  await until(() => said.some(({ kind }) => kind === 'trouble'));
  tell({ kind: 'volume', volume: 0 });
  await until(() => said.some(({ kind }) => kind === 'volume'));
  // A pipe on which nothing comes any more keeps nobody.
  clearInterval(ticking);
  tell({ kind: 'leave' });
  const [code] = (await once(child, 'exit')) as [number];
  microphone.destroy();
  expect(said.at(-1)).toEqual({ kind: 'over', why: 'goodbye' });
  expect(code).toBe(0);
});
