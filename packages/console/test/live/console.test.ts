/** The console in headless Chromium, with a recording in the microphone's place. */
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { readWav, toPcm16, writeWav } from '@verbalon/core';
import type { Page } from 'playwright-core';
import { Pages } from '../../../../testing/browser.js';
import { expectAccessible } from '../../../../testing/accessible.js';
import { freshFolder, startService, root, truth, walker, until } from '../../../../testing/service.js';
import { lightProject } from '../../../../testing/light-project.js';
import { sharedDemo, type SharedService } from '../../../../testing/shared-demo.js';

/** A question after a while of silence, for a microphone whose talk begins with a greeting. */
function lateQuestion(silenceS: number): string {
  const { channels, rateHz } = readWav(walker('miller-asks'));
  const { fromMs, toMs } = truth('miller-asks')[1]!;
  const question = channels[0]!.subarray((fromMs * rateHz) / 1000, (toMs * rateHz) / 1000);
  const sound = new Float32Array((silenceS + 20) * rateHz);
  sound.set(question, silenceS * rateHz);
  const file = join(freshFolder(), 'late.wav');
  writeFileSync(file, writeWav([toPcm16(sound)], rateHz));
  return file;
}
/**
 * Baker, who lets the greeting end and the answer begin on a busy machine too: a fake microphone waits for
 * nothing.
 */
function slowBaker(): string {
  const { channels, rateHz } = readWav(walker('baker-interrupts'));
  const interruptionMs = truth('baker-interrupts')[1]!.fromMs - 200;
  const cut = (interruptionMs / 1000) * rateHz;
  const [greetingS, answerS] = [5, 1.5];
  const sound = new Float32Array((greetingS + answerS) * rateHz + channels[0]!.length);
  sound.set(channels[0]!.subarray(0, cut), greetingS * rateHz);
  sound.set(channels[0]!.subarray(cut), (greetingS + answerS) * rateHz + cut);
  const file = join(freshFolder(), 'slow-baker.wav');
  writeFileSync(file, writeWav([toPcm16(sound)], rateHz));
  return file;
}
const recordings = { bunks: lateQuestion(4), baker: slowBaker() };
const MICROPHONE = [
  '--use-fake-device-for-media-stream',
  '--use-fake-ui-for-media-stream',
  `--use-file-for-fake-audio-capture=${recordings.baker}%noloop`,
];

let service: SharedService;
const pages = new Pages(() => service.address);
const open = (args: string[]) => pages.open(args);

/** Begins a talk; before the first one with an assistant it is said what is kept and where speech goes. */
async function begin(page: Page, button: string): Promise<void> {
  // Before the assistants are known the question would come later.
  await page.getByRole('heading', { level: 1, name: 'No assistant' }).waitFor({ state: 'hidden' });
  await page.getByRole('button', { name: button }).click();
  const told = page.getByRole('dialog', { name: /Before you talk to/ });
  if (await told.isVisible()) await told.getByRole('button', { name: 'Begin' }).click();
}

beforeAll(async () => {
  service = await sharedDemo();
});
// A page that stays open goes on drawing and talking, and slows what comes after it.
afterEach(() => pages.close());
afterAll(() => pages.end());

describe('the Talk page', () => {
  it('hears the microphone, shows both sides’ words, plays the answer, and is interrupted by voice', async () => {
    const page = await open(MICROPHONE);
    await begin(page, 'Talk by microphone');
    await page.getByText('this talk is recorded').waitFor();
    const said = page.getByRole('list', { name: 'What was said' });
    await said.getByText('Hello, this is Tansy of Tarnside Huts. How can I help you?').waitFor();
    // Words appear while they are spoken, before they are final.
    await page.getByTestId('caller-caption').locator('.pencil', { hasText: /\w/ }).waitFor();
    await page.getByTestId('assistant-caption').getByText('There').waitFor();
    await said.getByText(/tell me about the huts/i).waitFor();
    // Baker speaks over the answer: what was not heard is not in it.
    await said.getByText('(interrupted)').waitFor();
    await said.getByText(/Supper at Lantern Hut is at 18:00/).waitFor();
    await page.getByText('from the caller’s last sound to the answer’s first').waitFor();
    const [conversation] = await service.http.conversations();
    expect(conversation).toMatchObject({ line: 'web', assistant: 'tansy' });
  });

  it('lets a recorded walker talk, is hushed by Esc, takes typed turns and a fresh start', async () => {
    const page = await open([]);
    await page.getByLabel('Recorded caller').selectOption('miller-asks');
    await begin(page, 'Let this caller talk');
    const said = page.getByRole('list', { name: 'What was said' });
    await page.getByTestId('assistant-caption').getByText('Hello,').waitFor();
    await page.keyboard.press('Escape');
    await said.getByText('(interrupted)').waitFor();
    await page.getByRole('button', { name: 'End', exact: true }).click();
    await page.getByText('The talk is over.').waitFor();
    await begin(page, 'Type only');
    await said.getByText('How can I help you?').waitFor();
    await page.getByLabel('Type what you want to say').fill('Who is the warden of Saddle Hut?');
    await page.keyboard.press('Enter');
    await said.getByText('The warden of Saddle Hut is Tomas Reed.').waitFor();
    await page.getByRole('button', { name: 'Fresh start' }).click();
    await page.getByText('nothing of before is remembered').waitFor();
    expect(await said.getByText('Tomas Reed').count()).toBe(0);
  });

  it('lets the language it speaks be changed during a talk', async () => {
    const page = await open([]);
    await page.goto(`${service.address}/?assistant=clouds`);
    await begin(page, 'Type only');
    await page.getByLabel('Language it speaks').selectOption('German');
    await page
      .getByRole('status')
      .getByText(/^It hears .*English and speaks German from now on\.$/)
      .waitFor();
    expect(await page.getByLabel('Language it hears').count()).toBe(1);
    await page.getByLabel('Type what you want to say').fill('Is the path over the saddle open?');
    await page.keyboard.press('Enter');
    await page.getByText('Ja, der Weg über den Sattel ist heute offen.').first().waitFor();
  });

  it('tells once what is kept and where speech goes, and remembers that it did', async () => {
    const page = await open([]);
    await page.getByRole('button', { name: 'Type only' }).click();
    const told = page.getByRole('dialog', { name: 'Before you talk to Tansy of Tarnside Huts' });
    await told.getByText('This talk is recorded').waitFor();
    expect(await told.getByText(/^Your words go to/).textContent()).toMatch(/thinker, on a cloud/);
    await told.getByRole('button', { name: 'Not now' }).click();
    expect(await page.getByTestId('state').textContent()).toBe('Not talking');
    await begin(page, 'Type only');
    await page.getByTestId('state').getByText('Answering').waitFor();
    await page.getByRole('button', { name: 'End', exact: true }).click();
    await page.reload();
    await page.getByRole('button', { name: 'Type only' }).click();
    await page.getByTestId('state').getByText('Answering').waitFor();
  });

  it('is push-to-talk where the assistant wants it: Space held, a button, or an open floor', async () => {
    const page = await open(microphone('bunks'));
    await page.goto(`${service.address}/?assistant=porch`);
    await begin(page, 'Talk by microphone');
    await page.getByTestId('state').getByText('Hold Space to talk').waitFor();
    await page.getByText('Hold the button and ask', { exact: true }).waitFor();
    await page.keyboard.down(' ');
    await page.getByTestId('state').getByText('Listening to you').waitFor();
    await page
      .getByTestId('caller-caption')
      .getByText(/saturday/i)
      .waitFor();
    await page.keyboard.up(' ');
    const said = page.getByRole('list', { name: 'What was said' });
    await said.getByText(/There are four bunks free at Heron Hut/).waitFor();
    await page.getByLabel('Push-to-talk').uncheck();
    await page
      .getByTestId('state')
      .getByText(/^Listening$/)
      .waitFor();
    await page.getByLabel('Push-to-talk').check();
    await page.getByRole('button', { name: 'Hold to talk' }).click();
    // A tap: it holds until the next one.
    await page.getByRole('button', { name: 'Listening to you' }).click();
    await page.getByRole('button', { name: 'Hold to talk' }).waitFor();
  });

  it('checks the sound: whether the microphone gives any, and hears the loudspeaker', async () => {
    const page = await open(microphone('bunks'));
    await page.getByRole('button', { name: 'Sound check' }).click();
    await page.getByRole('button', { name: 'Play the tone' }).click();
    // Silence or, when the file has got to its question, a voice; never the tone, which goes nowhere.
    await page.getByText(/^The microphone (gives silence|does not hear the loudspeaker)/).waitFor();
  });
});

/** A recording in the place of the microphone, once. */
function microphone(name: 'bunks'): string[] {
  return [
    '--use-fake-device-for-media-stream',
    '--use-fake-ui-for-media-stream',
    `--use-file-for-fake-audio-capture=${recordings[name]}%noloop`,
  ];
}

describe('the other pages', () => {
  it('show a stored talk: its strip, its sound, its turns', async () => {
    const page = await open([]);
    await page.getByRole('link', { name: 'Conversations' }).click();
    // The first test's caller, who interrupted.
    await page.getByRole('row').filter({ hasText: 'tansy' }).last().getByRole('link').click();
    await page
      .getByRole('list', { name: 'Turns' })
      .getByText(/supper at Lantern Hut/i)
      .first()
      .waitFor();
    await page
      .getByText(/the caller (said|spoke)/)
      .first()
      .waitFor();
    const strip = page.getByRole('img', { name: "Both sides' words over time" });
    expect(await strip.first().getByText('hushed').count()).toBe(1);
    await page.getByText('Try other turn-taking settings').click();
    await page.getByLabel('Leeway in ms').fill('1500');
    await page.getByRole('button', { name: 'Try it' }).click();
    await page.getByRole('table', { name: 'Turns as they were and as they would be' }).waitFor();
    expect(await strip.count()).toBe(3);
    await page.getByText('Try other turn-taking settings').click();
    // To hear from there: the playhead follows.
    await page
      .getByRole('listitem')
      .filter({ hasText: 'Tell me about the huts' })
      .getByRole('button', { name: 'Play from here' })
      .click();
    await page.waitForFunction(() => document.querySelector('audio')!.currentTime > 3);
    const x = Number(await page.getByTestId('playhead').first().getAttribute('x1'));
    expect(x).toBeGreaterThan(300);
    await expectAccessible(page);
  });

  it('try one engine at a time, with its time and the request that does the same', async () => {
    const page = await open([]);
    await page.getByRole('link', { name: 'Engines' }).click();
    await page.getByLabel('A recording: WAV').setInputFiles(join(root, 'testing/sounds/bunks.webm'));
    await page.getByRole('button', { name: 'Transcribe' }).click();
    await page
      .getByTestId('transcript')
      .getByText('How many bunks are free at Heron Hut on Saturday?')
      .waitFor();
    await page.getByText(/3\.6 s of sound in/).waitFor();
    await page.getByLabel('What to say').fill('Supper is at six.');
    await page.getByRole('button', { name: 'Say it' }).click();
    await page.waitForFunction(
      () => ((document.querySelector('[data-testid=said]') as HTMLAudioElement | null)?.duration ?? 0) > 1,
    );
    await page.getByLabel('What to ask').fill('Who is the warden of Saddle Hut?');
    await page.getByRole('button', { name: 'Ask', exact: true }).click();
    await page.getByTestId('answer').getByText('The warden of Saddle Hut is Tomas Reed.').waitFor();
    const ask = page.getByRole('region', { name: 'Ask a question' });
    await ask.getByText('Same request with curl').click();
    const curl = (await ask.locator('pre').textContent())!;
    expect(spawnSync('sh', ['-c', curl], { encoding: 'utf8' }).stdout).toContain('Tomas Reed');
    await page.getByLabel('What to say').fill('🍲');
    await page.getByRole('button', { name: 'Say it' }).click();
    await page.getByRole('alert').getByText('There is nothing in this text that can be said aloud').waitFor();
    await expectAccessible(page);
  });

  it('show the interface with its examples; and all pages are fit for everybody, by day and by night', async () => {
    const page = await open([]);
    await page.goto(`${service.address}/interface`);
    await page.getByText('POST /v1/transcribe').click();
    await page.getByText(/curl -X POST --data-binary @miller-asks\.wav .*transcribe/).waitFor();
    await page.getByText('arrive, from the line').click();
    await page.getByText('"kind": "arrive"').waitFor();
    await expectAccessible(page);
    await page.getByRole('button', { name: 'Night theme' }).click();
    for (const path of [
      '/',
      '/conversations',
      '/engines',
      '/errands',
      '/files/assistants/porch',
      '/interface',
    ]) {
      await page.goto(`${service.address}${path}`);
      await page.getByRole('heading', { level: 1 }).waitFor();
      await page.waitForLoadState('networkidle');
      await expectAccessible(page);
    }
  });

  it('the Talk page is small enough to load on a poor line, and fits a telephone', async () => {
    const assets = join(root, 'packages/console/dist/assets');
    const index = readFileSync(join(root, 'packages/console/dist/index.html'), 'utf8');
    const scripts = [...index.matchAll(/assets\/([\w.-]+\.js)/g)].map(([, name]) => name!);
    const bytes = scripts.reduce((sum, name) => sum + gzipSync(readFileSync(join(assets, name))).length, 0);
    expect(bytes).toBeLessThan(200_000);
    const page = await open([]);
    await page.setViewportSize({ width: 390, height: 844 });
    await page.waitForLoadState('networkidle');
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
    await expectAccessible(page);
  });
});

describe('a talk that is ended before it has begun', () => {
  it('while the browser still asks for the microphone, opens none when it is allowed afterwards', async () => {
    const page = await open(['--use-fake-device-for-media-stream', '--use-fake-ui-for-media-stream']);
    const before = await service.http.conversations(1);
    await page.evaluate(() => {
      const { mediaDevices } = navigator;
      const ask = mediaDevices.getUserMedia.bind(mediaDevices);
      const of = globalThis as unknown as { allow: () => void; given: MediaStream | null };
      of.given = null;
      const allowed = new Promise<void>((allow) => (of.allow = allow));
      mediaDevices.getUserMedia = async (wanted) => {
        await allowed;
        return (of.given = await ask(wanted));
      };
    });
    await begin(page, 'Talk by microphone');
    await page.getByRole('button', { name: 'End', exact: true }).click();
    await page.evaluate(() => (globalThis as unknown as { allow: () => void }).allow());
    const tracks = () =>
      page.evaluate(() =>
        (globalThis as unknown as { given: MediaStream | null }).given
          ?.getTracks()
          .map((one) => one.readyState),
      );
    await until(async () => (await tracks())?.every((state) => state === 'ended') === true);
    expect(await page.getByTestId('state').textContent()).toBe('Not talking');
    expect((await service.http.conversations(1)).map(({ id }) => id)).toEqual(before.map(({ id }) => id));
  });
});

describe('in the end', () => {
  it('says plainly when the microphone is not allowed or the service goes away', async () => {
    const own = await startService(await lightProject());
    const page = await open(['--use-fake-device-for-media-stream', '--deny-permission-prompts']);
    await page.goto(own.address);
    await begin(page, 'Talk by microphone');
    await page.getByRole('alert').getByText('The microphone is not allowed for this page.').waitFor();
    await page.getByRole('button', { name: 'Close' }).click();
    await begin(page, 'Type only');
    await page.getByTestId('state').getByText('Answering').waitFor();
    await own.stop();
    await page.getByRole('alert').getByText('The service is being stopped').waitFor();
    await page.getByRole('alert').getByText('The service does not answer').waitFor();
    expect(await page.getByTestId('state').textContent()).toBe('Not talking');
  });
});
