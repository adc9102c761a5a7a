/**
 * The button on the demo's own web page, in headless Chromium with a recorded microphone: how large it is,
 * how fast it listens, how fast dictated words stand in the field, and its gaps and interruptions beside
 * those of the console in the same run, from what each page really played.
 */
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { gzipSync } from 'node:zlib';
import { copyDemo } from '@verbalon/hostile';
import { serve } from '@verbalon/service';
import { pino } from 'pino';
import { chromium, type LaunchOptions, type Page } from 'playwright-core';
import { keepSound, measure, writeInterrupter, type Measured, type PageSound } from './page-sound.js';
import { ratioOfMiddles, spreadWithin } from './common/statistics.js';

const root = fileURLToPath(new URL('../..', import.meta.url));
const PRESSES = 40;
const TALKS = 3;
/** From the press to the recording's beginning, and after its end, in ms. */
const AFTER_MS = 4_000;
const { args: quiet = [], ...chromiumHere } = JSON.parse(
  readFileSync('testing/chromium.json', 'utf8'),
) as LaunchOptions;

type Kept = Window & { lags: number[]; heard: number; sound: PageSound };

async function withPage<T>(file: string, work: (page: Page) => Promise<T>): Promise<T> {
  const args = [
    '--use-fake-ui-for-media-stream',
    '--use-fake-device-for-media-stream',
    `--use-file-for-fake-audio-capture=${file}%noloop`,
  ];
  const browser = await chromium.launch({ ...chromiumHere, args: [...quiet, ...args] });
  try {
    const page = await browser.newPage();
    await page.addInitScript(keepMessages);
    await page.addInitScript(keepSound);
    return await work(page);
  } finally {
    await browser.close();
  }
}

/** In the page: when the last words came. */
function keepMessages(): void {
  const kept = window as unknown as Kept;
  Object.assign(kept, { lags: [], heard: 0 });
  const Plain = window.WebSocket;
  window.WebSocket = class extends Plain {
    constructor(...given: ConstructorParameters<typeof WebSocket>) {
      super(...given);
      this.addEventListener('message', ({ data }: MessageEvent<unknown>) => {
        if (typeof data !== 'string') return;
        if ((JSON.parse(data) as { kind: string }).kind === 'partial') kept.heard = performance.now();
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

async function talked(
  page: Page,
  address: string,
  press: (page: Page) => Promise<void>,
  { sayings, lengthMs }: ReturnType<typeof writeInterrupter>,
): Promise<Measured> {
  await page.goto(address);
  await press(page);
  await page.waitForTimeout(lengthMs + AFTER_MS);
  return measure(await page.evaluate(() => (window as unknown as Kept).sound), sayings);
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
  const service = await serve({
    projectFolder: join(folder, 'project'),
    dataFolder: join(folder, 'data'),
    port: 0,
    log: pino({ level: 'silent' }),
  });
  try {
    const at = `${service.pids().standins.site!.address}/?service=${service.address}`;
    const recording = (name: string) => join(root, 'demo/recordings', `${name}.wav`);
    const pressedMs = await withPage(recording('miller-asks'), (page) => presses(page, at));
    const dictatedMs = await withPage(recording('orsk-dictates'), (page) => lags(page, at));
    const microphone = join(folder, 'interrupter.wav');
    const script = writeInterrupter(join(root, 'demo/recordings'), microphone);
    const atConsole = `${service.address}/?assistant=tansy`;
    const pressed = (page: Page) => page.locator('#ask').getByRole('button').first().click();
    const button: Measured[] = [];
    const console: Measured[] = [];
    for (let i = 0; i < TALKS; i++) {
      button.push(await withPage(microphone, (page) => talked(page, at, pressed, script)));
      console.push(await withPage(microphone, (page) => talked(page, atConsole, beginAtConsole, script)));
    }
    const beside = (key: keyof Measured) => {
      const [ones, others] = [button, console].map((all) => all.flatMap((one) => one[key])) as [
        number[],
        number[],
      ];
      return {
        button: spreadWithin(ones),
        console: spreadWithin(others),
        ratio: ratioOfMiddles(ones, others),
      };
    };
    const found = {
      bytes: bytes(),
      pressedMs: spreadWithin(pressedMs),
      dictatedMs: spreadWithin(dictatedMs),
      gapMs: beside('gaps'),
      silentMs: beside('silences'),
    };
    process.stdout.write(`${JSON.stringify(found, null, 1)}\n`);
    return { ...found, all: { pressedMs, dictatedMs, button, console } };
  } finally {
    await service.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}
