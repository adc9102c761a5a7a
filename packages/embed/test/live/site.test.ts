/** The button on somebody else's page, on another origin and with a strict policy of its own: in headless Chromium, with a recorded microphone. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import type { Page } from 'playwright-core';
import { HOUSE_RATE_HZ, writeWav } from '@verbalon/core';
import { expectAccessible } from '../../../../testing/accessible.js';
import { Pages } from '../../../../testing/browser.js';
import { freshFolder, root, startService, type RunningService } from '../../../../testing/service.js';

let service: RunningService;
const pages = new Pages(() => `${service.pids.standins.site!.address}/?service=${service.address}`);
const refused: string[] = [];

beforeAll(async () => void (service = await startService()));
afterEach(() => pages.close());
afterAll(() => service.stop());

const quiet = join(freshFolder(), 'quiet.wav');
writeFileSync(quiet, writeWav([new Int16Array(60 * HOUSE_RATE_HZ)], HOUSE_RATE_HZ));

/** The site, with this walker before its microphone, or with nobody, or without any. */
async function site(walker: string | null): Promise<Page> {
  const file = walker === 'nobody' ? quiet : join(root, 'demo/recordings', `${walker}.wav`);
  const microphone = walker === null ? [] : ['--use-fake-ui-for-media-stream', '--use-fake-device-for-media-stream', `--use-file-for-fake-audio-capture=${file}%noloop`]; // prettier-ignore
  const page = await pages.open(microphone);
  page.on('console', (message) => message.type() === 'error' && refused.push(message.text()));
  return page;
}

const button = (page: Page, id: string) => page.locator(`#${id}`);
const press = (page: Page, id: string) => button(page, id).getByRole('button').first().click();
const more = async (page: Page, id: string) => button(page, id).getByRole('button', { name: 'More' }).click();

async function types(page: Page, id: string, text: string): Promise<void> {
  await button(page, id).getByLabel('Type what you want to say').fill(text);
  await page.keyboard.press('Enter');
}

it('before it is pressed only the button itself is loaded, and it is small', async () => {
  const page = await site(null);
  await button(page, 'ask').getByRole('button', { name: 'Ask Tansy' }).waitFor();
  const loaded = await page.evaluate(() => performance.getEntriesByType('resource').map(({ name }) => name));
  expect(loaded.filter((name) => name.startsWith(service.address))).toEqual([`${service.address}/embed.js`]);
  await expectAccessible(page);
  expect(refused).toEqual([]);
});

it('talks: what is said stands beside it, the answer too, and Stop ends it', async () => {
  const page = await site('miller-asks');
  await press(page, 'ask');
  const ask = button(page, 'ask');
  await ask.getByText(`What you say goes to ${new URL(service.address).host}.`).waitFor();
  await ask
    .locator('.words')
    .getByText(/saddle/i)
    .waitFor();
  await ask
    .locator('.answer')
    .getByText(/open|closed/i)
    .waitFor();
  await more(page, 'ask');
  await expectAccessible(page);
  await ask.getByRole('button', { name: 'Stop' }).click();
  await ask.getByRole('button', { name: 'Ask Tansy' }).waitFor();
  expect(refused).toEqual([]);
});

describe('in the page’s form', () => {
  it('an errand fills fields of every kind, leaves what a person wrote, and heeds it', async () => {
    const page = await site('nobody');
    await page.getByLabel('Name').fill('Fisher');
    await press(page, 'fill');
    await more(page, 'fill');
    await types(page, 'fill', 'book three bunks at Rowan Hut on the twenty third of December under Miller');
    await page.locator('[name=hut][data-verbalon=ink]').waitFor();
    const values = () =>
      page.evaluate(() => Object.fromEntries(Array.from(document.querySelectorAll<HTMLInputElement>('form [name]')).map(({ name, value }) => [name, value]))); // prettier-ignore
    await expect(values()).resolves.toMatchObject({ hut: 'Rowan Hut', bunks: '3', name: 'Fisher', night: expect.stringMatching(/^\d{4}-12-23$/) }); // prettier-ignore
    // A person corrects: the errand goes on with that.
    await page.getByLabel('Bunks').fill('5');
    await page.keyboard.press('Tab');
    await button(page, 'fill')
      .locator('.answer')
      .getByText(/Five bunks/)
      .waitFor();
    await types(page, 'fill', 'no, at Lantern Hut');
    await page.waitForFunction(() => document.querySelector('select')!.value === 'Lantern Hut');
    expect(await values()).toMatchObject({ bunks: '5', name: 'Fisher' });
  });

  it('a remark is dictated where the caret is, undone, and the page’s own form has it', async () => {
    const page = await site('orsk-dictates');
    const remark = page.getByLabel('Remark');
    await remark.fill('Please: . Thank you');
    await remark.evaluate((field: HTMLTextAreaElement) => field.setSelectionRange(8, 8));
    await page.evaluate(() => {
      const seen: string[] = [];
      document.getElementById('remark')!.addEventListener('input', () => seen.push('input'));
      document.getElementById('remark')!.addEventListener('change', () => seen.push('change'));
      Object.assign(window, { seen });
    });
    await press(page, 'dictate');
    await page.locator('#remark[data-verbalon=pencil]').waitFor();
    await page.locator('#remark[data-verbalon=ink]').waitFor();
    expect(await remark.inputValue()).toMatch(/^Please: \S.*Thank you$/);
    const seen = await page.evaluate(() => (window as unknown as { seen: string[] }).seen);
    expect(new Set(seen)).toEqual(new Set(['input', 'change']));
    await button(page, 'dictate').getByRole('button', { name: 'Undo' }).click();
    expect(await remark.inputValue()).toBe('Please: . Thank you');
    await button(page, 'dictate').getByRole('button', { name: 'Stop' }).click();
    expect(refused).toEqual([]);
  });
});

it('a function of the page is called by an errand, and answered', async () => {
  const page = await site('nobody');
  await press(page, 'ask');
  await more(page, 'ask');
  await types(page, 'ask', 'show me Lantern Hut');
  await page.getByRole('heading', { name: 'Lantern Hut' }).waitFor();
  await button(page, 'ask')
    .locator('.answer')
    .getByText(/Here is Lantern Hut/)
    .waitFor();
});

it('says plainly what is in the way: no microphone, and a page that nobody let in', async () => {
  const page = await site(null);
  await press(page, 'ask');
  await button(page, 'ask')
    .getByRole('alert')
    .getByText(/microphone/)
    .waitFor();
  // One can still type.
  await more(page, 'ask');
  await types(page, 'ask', 'is there supper at Lantern Hut');
  await button(page, 'ask')
    .locator('.answer')
    .getByText(/supper/i)
    .waitFor();
  await button(page, 'ask').getByRole('button', { name: 'Stop' }).click();
  await page.evaluate(() => document.getElementById('ask')!.setAttribute('assistant', 'porch'));
  await page.evaluate(() => Object.defineProperty(navigator.mediaDevices, 'getUserMedia', { value: () => Promise.resolve(new AudioContext().createMediaStreamDestination().stream) })); // prettier-ignore
  await press(page, 'ask');
  await button(page, 'ask')
    .getByRole('alert')
    .getByText(/origins/)
    .waitFor();
});
