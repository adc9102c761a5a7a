/** The console in headless Chromium, with a recording in the microphone's place. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { join } from 'node:path';
import { chromium, type Browser, type Page } from 'playwright-core';
import { root, startService, type RunningService } from '../../../testing/service.js';

const QUIET = ['--no-sandbox', '--disable-background-networking', '--disable-component-update', '--disable-sync', '--no-first-run', '--disable-quic']; // prettier-ignore
const MICROPHONE = [
  '--use-fake-device-for-media-stream',
  '--use-fake-ui-for-media-stream',
  `--use-file-for-fake-audio-capture=${join(root, 'demo/recordings/baker-interrupts.wav')}%noloop`,
];

let service: RunningService;
const browsers: Browser[] = [];

async function open(args: string[]): Promise<Page> {
  const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: [...QUIET, ...args] });
  browsers.push(browser);
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(service.address);
  return page;
}

beforeAll(async () => {
  service = await startService();
});
afterAll(async () => {
  await Promise.all(browsers.map((browser) => browser.close()));
  await service.stop();
});

describe('the Talk page', () => {
  it('hears the microphone, shows both sides’ words, plays the answer, and is interrupted by voice', async () => {
    const page = await open(MICROPHONE);
    await page.getByRole('button', { name: 'Talk by microphone' }).click();
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
    await page.getByText('from your last sound to her first').waitFor();
    const [conversation] = await service.http.conversations();
    expect(conversation).toMatchObject({ line: 'web', assistant: 'tansy' });
  });

  it('lets a recorded walker talk, is hushed by Esc, takes typed turns and a fresh start', async () => {
    const page = await open([]);
    await page.getByLabel('Recorded walker').selectOption('miller-asks');
    await page.getByRole('button', { name: 'Let this walker talk' }).click();
    const said = page.getByRole('list', { name: 'What was said' });
    await page.getByTestId('assistant-caption').getByText('Hello,').waitFor();
    await page.keyboard.press('Escape');
    await said.getByText('(interrupted)').waitFor();
    await page.getByRole('button', { name: 'End', exact: true }).click();
    await page.getByText('The talk is over.').waitFor();
    await page.getByRole('button', { name: 'Type only' }).click();
    await said.getByText('How can I help you?').waitFor();
    await page.getByLabel('Type what you want to say').fill('Who is the warden of Saddle Hut?');
    await page.keyboard.press('Enter');
    await said.getByText('The warden of Saddle Hut is Tomas Reed.').waitFor();
    await page.getByRole('button', { name: 'Fresh start' }).click();
    await page.getByText('nothing of before is remembered').waitFor();
    expect(await said.getByText('Tomas Reed').count()).toBe(0);
  });

  it('says plainly when the microphone is not allowed or the service goes away', async () => {
    const page = await open(['--use-fake-device-for-media-stream', '--deny-permission-prompts']);
    await page.getByRole('button', { name: 'Talk by microphone' }).click();
    await page.getByRole('alert').getByText('The microphone is not allowed for this page.').waitFor();
    await page.getByRole('button', { name: 'Close' }).click();
    await page.getByRole('button', { name: 'Type only' }).click();
    await page.getByTestId('state').getByText('Answering').waitFor();
    service.child.kill('SIGTERM');
    await page.getByRole('alert').getByText('The service is being stopped').waitFor();
    await page.getByRole('alert').getByText('The service does not answer').waitFor();
    expect(await page.getByTestId('state').textContent()).toBe('Not talking');
  });
});
