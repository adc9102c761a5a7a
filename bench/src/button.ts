/**
 * The button on the demo's own web page, in headless Chromium with a recorded microphone: how large it is, how fast it listens, how
 * fast dictated words stand in the field, and its gaps beside those of the console in the same run.
 */
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { gzipSync } from 'node:zlib';
import { copyDemo } from '@verbalon/hostile';
import { serve } from '@verbalon/service';
import { pino } from 'pino';
import { chromium, type Page } from 'playwright-core';
import { spread } from './stage.js';

const root = fileURLToPath(new URL('../..', import.meta.url));
const PRESSES = 40;
const TALKS = 3;
/** From the recording's beginning to its end, and its last answer, in ms. */
const TALK_MS = 42_000;
const QUIET = ['--no-sandbox', '--disable-background-networking', '--disable-component-update', '--disable-sync', '--no-first-run', '--disable-quic']; // prettier-ignore

type Kept = Window & { turns: number[]; lags: number[]; heard: number };

async function withPage<T>(walker: string, work: (page: Page) => Promise<T>): Promise<T> {
  const file = join(root, 'demo/recordings', `${walker}.wav`);
  const args = ['--use-fake-ui-for-media-stream', '--use-fake-device-for-media-stream', `--use-file-for-fake-audio-capture=${file}%noloop`]; // prettier-ignore
  const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: [...QUIET, ...args] });
  try {
    const page = await browser.newPage();
    await page.addInitScript(keepMessages);
    return await work(page);
  } finally {
    await browser.close();
  }
}

/** In the page: gaps of turns, as they are reported, and when the last words came. */
function keepMessages(): void {
  const kept = window as unknown as Kept;
  Object.assign(kept, { turns: [], lags: [], heard: 0 });
  const Plain = window.WebSocket;
  window.WebSocket = class extends Plain {
    constructor(...given: ConstructorParameters<typeof WebSocket>) {
      super(...given);
      this.addEventListener('message', ({ data }: MessageEvent<unknown>) => {
        if (typeof data !== 'string') return;
        const message = JSON.parse(data) as {
          kind: string;
          report?: { source: string; gap: { ms: number } | null };
        };
        if (message.kind === 'partial') kept.heard = performance.now();
        if (message.kind === 'turn' && message.report?.source === 'voice' && message.report.gap)
          kept.turns.push(message.report.gap.ms);
      });
    }
  };
}

/** From the press to "Listening", each time in a page that was loaded anew. */
async function presses(page: Page, site: string): Promise<number[]> {
  const all: number[] = [];
  for (let i = 0; i < PRESSES; i++) {
    await page.goto(site);
    await page.locator('#dictate').getByRole('button', { name: 'Dictate' }).waitFor();
    all.push(
      await page.evaluate(
        () =>
          new Promise<number>((done) => {
            const button = document.getElementById('dictate')!;
            const from = performance.now();
            new MutationObserver(
              () => button.getAttribute('state') === 'listening' && done(performance.now() - from),
            ).observe(button, { attributes: true });
            button.shadowRoot!.querySelector<HTMLButtonElement>('.main')!.click();
          }),
      ),
    );
  }
  return all;
}

/** From the message with the words to the field that has them. */
async function lags(page: Page, site: string): Promise<number[]> {
  await page.goto(site);
  await page.evaluate(() => {
    const kept = window as unknown as Kept;
    document
      .getElementById('remark')!
      .addEventListener('input', () => kept.lags.push(performance.now() - kept.heard));
  });
  await page.locator('#dictate').getByRole('button').first().click();
  await page.waitForTimeout(25_000);
  return page.evaluate(() => (window as unknown as Kept).lags);
}

async function gapsOf(page: Page, address: string, press: (page: Page) => Promise<void>): Promise<number[]> {
  await page.goto(address);
  await press(page);
  await page.waitForTimeout(TALK_MS);
  return page.evaluate(() => (window as unknown as Kept).turns);
}

async function beginAtConsole(page: Page): Promise<void> {
  await page.getByRole('heading', { level: 1, name: 'No assistant' }).waitFor({ state: 'hidden' });
  await page.getByRole('button', { name: 'Talk by microphone' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Begin' }).click();
}

function bytes(): { before: number; after: number } {
  const folder = join(root, 'packages/embed/dist');
  const of = (file: string) => gzipSync(readFileSync(join(folder, file))).length;
  const after = readdirSync(join(folder, 'embed')).map((file) => of(join('embed', file)));
  return { before: of('embed.js'), after: after.reduce((sum, one) => sum + one, 0) };
}

export async function buttonBench(): Promise<object> {
  const folder = mkdtempSync(join(tmpdir(), 'verbalon-bench-'));
  copyDemo(root, join(folder, 'project'));
  const service = await serve({ projectFolder: join(folder, 'project'), dataFolder: join(folder, 'data'), port: 0, log: pino({ level: 'silent' }) }); // prettier-ignore
  try {
    const at = `${service.pids().standins.site!.address}/?service=${service.address}`;
    const pressedMs = await withPage('miller-asks', (page) => presses(page, at));
    const dictatedMs = await withPage('orsk-dictates', (page) => lags(page, at));
    const gaps = { button: [] as number[], console: [] as number[] };
    for (let i = 0; i < TALKS; i++) {
      gaps.button.push(...(await withPage('miller-asks', (page) => gapsOf(page, at, (one) => one.locator('#ask').getByRole('button').first().click())))); // prettier-ignore
      gaps.console.push(...(await withPage('miller-asks', (page) => gapsOf(page, `${service.address}/?assistant=tansy`, beginAtConsole)))); // prettier-ignore
    }
    const found = { bytes: bytes(), pressedMs: spread(pressedMs), dictatedMs: spread(dictatedMs), gaps: { button: spread(gaps.button), console: spread(gaps.console) } }; // prettier-ignore
    process.stdout.write(`${JSON.stringify(found, null, 1)}\n`);
    return { ...found, all: { pressedMs, dictatedMs, gaps } };
  } finally {
    await service.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}
