/**
 * `npm run bench screens`: a box on pipes (from its button to its light, and its mouth beside the sound that
 * it was given) and captions on a screen (from the words on the caller's line to the words in a page of
 * headless Chromium).
 */
import { spawn, spawnSync } from 'node:child_process';
import { createReadStream, createWriteStream, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { fileURLToPath } from 'node:url';
import { HttpClient } from '@verbalon/client';
import { callWithRecording } from '@verbalon/client/node';
import { HOUSE_RATE_HZ, levelDb, pcm16FromBytes, samplesOfMs, toFloats } from '@verbalon/core';
import { chromium, type LaunchOptions, type Page } from 'playwright-core';
import { benchService, recordingOf, sayings } from './common/stage.js';
import { spreadWithin } from './common/statistics.js';

const root = fileURLToPath(new URL('../..', import.meta.url));
const PRESSES = 20;
const TURNS = 3;
const FRAME_MS = 20;
/** A light that does not come by then never does. */
const LONGEST_MS = 2_000;
/** A sound louder than this is heard, and opens the mouth, in dBFS. */
const LOUD_DB = -40;
const LOUD_OPEN = (LOUD_DB + 50) / 38;
const CAPTION = '[data-testid=caller-caption]';

const wait = (ms: number) => new Promise((done) => setTimeout(done, ms));

interface Said {
  kind: string;
  light?: string;
  open?: number;
}

/** A box on pipes. @returns from each press to its light, and from each beginning of sound to the mouth's */
async function box(address: string): Promise<{ lightMs: number[]; mouthMs: number[] }> {
  const folder = mkdtempSync(join(tmpdir(), 'verbalon-box-'));
  const [hear, speak] = [join(folder, 'hear'), join(folder, 'speak')];
  spawnSync('mkfifo', [hear, speak]);
  const child = spawn(
    process.execPath,
    [
      join(root, 'packages/cli/bin/verbalon.mjs'),
      'line',
      'tansy',
      '--device',
      '--hear',
      hear,
      '--speak',
      speak,
    ],
    { env: { ...process.env, VERBALON_URL: address }, stdio: ['pipe', 'pipe', 'inherit'] },
  );
  let light = '';
  let told: (light: string) => void = () => undefined;
  const mouths: number[] = [];
  let isOpen = false;
  createInterface({ input: child.stdout }).on('line', (line) => {
    const { kind, light: now, open = 0 } = JSON.parse(line) as Said;
    if (kind === 'light') told((light = now!));
    if (kind !== 'mouth') return;
    if (!isOpen && open > LOUD_OPEN) mouths.push(performance.now());
    isOpen = open > 0;
  });
  const microphone = createWriteStream(hear);
  const silence = Buffer.alloc(2 * samplesOfMs(FRAME_MS, HOUSE_RATE_HZ));
  const ticking = setInterval(() => microphone.write(silence), FRAME_MS);
  const sounds: number[] = [];
  let quietSince = 0;
  createReadStream(speak).on('data', (data) => {
    const now = performance.now();
    if (levelDb(toFloats(pcm16FromBytes(data as Buffer))) < LOUD_DB) return;
    if (now - quietSince > 300) sounds.push(now);
    quietSince = now;
  });
  const say = (line: object) => child.stdin.write(`${JSON.stringify(line)}\n`);
  while (light === '') await wait(50);
  const lightMs: number[] = [];
  for (let i = 0; i < PRESSES; i++) {
    // Pressed while it answers: the light goes from there to listening.
    say({ kind: 'typed', text: 'how many bunks are free at heron hut' });
    for (let waited = 0; light !== 'answering' && waited < LONGEST_MS; waited += 10) await wait(10);
    await wait(400);
    const lit = new Promise<boolean>((done) => {
      told = (now) => now === 'listening' && done(true);
      setTimeout(() => done(false), LONGEST_MS);
    });
    const from = performance.now();
    say({ kind: 'button', is: 'down' });
    lightMs.push((await lit) ? performance.now() - from : Infinity);
    await wait(500);
    say({ kind: 'button', is: 'up' });
    await wait(1_500);
  }
  for (let i = 0; i < TURNS; i++) {
    say({ kind: 'typed', text: 'how many bunks are free at heron hut' });
    await wait(6_000);
  }
  say({ kind: 'leave' });
  clearInterval(ticking);
  await new Promise((done) => child.once('exit', done));
  rmSync(folder, { recursive: true, force: true });
  const mouthMs = sounds.map((at) => Math.min(...mouths.map((one) => Math.abs(one - at)), Infinity));
  return { lightMs, mouthMs };
}

/** In the page: when each text of the caption stood there. */
function keepCaptions(selector: string): void {
  const kept: { text: string; at: number }[] = [];
  Object.assign(window, { kept });
  new MutationObserver(() => {
    const text = (document.querySelector(selector)?.textContent ?? '')
      .replace(/^You: /, '')
      .replace(/\s+/g, ' ')
      .trim();
    if (text !== kept.at(-1)?.text) kept.push({ text, at: Date.now() });
  }).observe(document, { subtree: true, childList: true, characterData: true });
}

async function captionLags(address: string, page: Page): Promise<number[]> {
  const http = new HttpClient(address);
  const parts = sayings(['miller-asks', 'carter-errs']).map(({ samples }, i) => ({
    atMs: 1_500 + i * 6_000,
    samples,
  }));
  const lasts = parts.at(-1)!;
  const shown: { text: string; at: number }[] = [];
  let opened: Promise<unknown> = Promise.resolve();
  await callWithRecording({
    address,
    recording: recordingOf(parts, lasts.atMs + 6_000),
    onMessage: (message) => {
      if (message.kind === 'admitted')
        opened = http.view(message.conversation).then(({ page: path }) => page.goto(`${address}${path}`));
      if (message.kind === 'partial')
        shown.push({ text: [message.settled, message.open].filter(Boolean).join(' '), at: Date.now() });
    },
  });
  await opened;
  const kept = await page.evaluate(
    () => (window as unknown as { kept: { text: string; at: number }[] }).kept,
  );
  // What was replaced before it could be drawn is there when what replaced it is; what never was is
  // infinitely late.
  return shown.map(({ at }) => (kept.find((one) => one.at >= at - 5)?.at ?? Infinity) - at);
}

export async function screensBench(): Promise<object> {
  const service = await benchService([]);
  const { lightMs, mouthMs } = await box(service.address);
  const { args = [], ...chromiumHere } = JSON.parse(
    readFileSync('testing/chromium.json', 'utf8'),
  ) as LaunchOptions;
  const browser = await chromium.launch({ ...chromiumHere, args });
  const page = await browser.newPage();
  await page.addInitScript(keepCaptions, CAPTION);
  const lags = await captionLags(service.address, page);
  await browser.close();
  await service.end();
  return {
    buttonToLightMs: spreadWithin(lightMs),
    mouthBesideSoundMs: spreadWithin(mouthMs),
    captionMs: spreadWithin(lags),
  };
}
