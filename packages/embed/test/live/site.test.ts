/**
 * The button on somebody else's page, on another origin and with a strict policy of its own: in headless
 * Chromium, with a recorded microphone.
 */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import type { Page } from 'playwright-core';
import { HOUSE_RATE_HZ, writeWav } from '@verbalon/core';
import { expectAccessible } from '../../../../testing/accessible.js';
import { Pages } from '../../../../testing/browser.js';
import { freshFolder, root } from '../../../../testing/service.js';
import { sharedDemo, type SharedService } from '../../../../testing/shared-demo.js';

let service: SharedService;
const pages = new Pages(() => `${service.pids.standins.site!.address}/?service=${service.address}`);
const refused: string[] = [];

beforeAll(async () => void (service = await sharedDemo()));
afterEach(() => pages.close());
afterAll(() => pages.end());

const quiet = join(freshFolder(), 'quiet.wav');
writeFileSync(quiet, writeWav([new Int16Array(60 * HOUSE_RATE_HZ)], HOUSE_RATE_HZ));

/** The site, with this walker before its microphone, or with nobody, or without any. */
async function site(walker: string | null): Promise<Page> {
  const file = walker === 'nobody' ? quiet : join(root, 'demo/recordings', `${walker}.wav`);
  const microphone =
    walker === null
      ? []
      : [
          '--use-fake-ui-for-media-stream',
          '--use-fake-device-for-media-stream',
          `--use-file-for-fake-audio-capture=${file}%noloop`,
        ];
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
  const ask = button(page, 'ask');
  // The label is part of the button.
  await ask.getByText('Ask Tansy', { exact: true }).click();
  await ask.getByText(`What you say goes to ${new URL(service.address).host}.`).waitFor();
  await ask.getByText('This conversation is recorded.').waitFor();
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
      page.evaluate(() =>
        Object.fromEntries(
          Array.from(document.querySelectorAll<HTMLInputElement>('form [name]')).map(({ name, value }) => [
            name,
            value,
          ]),
        ),
      );
    await expect(values()).resolves.toMatchObject({
      hut: 'Rowan Hut',
      bunks: '3',
      name: 'Fisher',
      night: expect.stringMatching(/^\d{4}-12-23$/),
    });
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

it('within a shadow root it dictates into the field of the same root', async () => {
  const page = await site('orsk-dictates');
  await page.evaluate(() => {
    const host = document.body.appendChild(document.createElement('div'));
    host.attachShadow({ mode: 'open' }).innerHTML =
      '<textarea id="note" aria-label="Note"></textarea><verbalon-button id="inner" assistant="tansy" for="note"></verbalon-button>';
  });
  await press(page, 'inner');
  await page.locator('#note[data-verbalon=ink]').waitFor();
  expect(await page.getByLabel('Note').inputValue()).toMatch(/\w+ \w+/);
  expect(await page.getByLabel('Remark').inputValue()).toBe('');
});

it('what a script set before the button was there counts', async () => {
  const page = await site(null);
  await page.evaluate(() => {
    const early = document.createElement('verbalon-later') as unknown as HTMLElement & {
      hooks: object;
      chat: () => string;
    };
    early.hooks = { spoken: () => 'changed' };
    early.chat = () => 'an answer';
    document.body.append(early);
    class Later extends (customElements.get('verbalon-button') as CustomElementConstructor) {}
    customElements.define('verbalon-later', Later);
    Object.assign(window, { early });
  });
  const kept = await page.evaluate(() => {
    const { early } = window as unknown as { early: { hooks: { spoken(): string }; chat(): string } };
    return [early.hooks.spoken(), early.chat()];
  });
  expect(kept).toEqual(['changed', 'an answer']);
});

describe('the page’s own chat', () => {
  it('gets a voice: what is said goes to it, what it writes is spoken, and a hook changes what is spoken', async () => {
    const page = await site('miller-asks');
    await press(page, 'voice');
    const chat = page.locator('#asked');
    await chat
      .locator('.question')
      .getByText(/saddle/i)
      .first()
      .waitFor();
    await chat.locator('.answer').getByText('Ask me about prices').first().waitFor();
    await button(page, 'voice').locator('.answer').getByText('Ask me about prices').waitFor();
    await more(page, 'voice');
    await types(page, 'voice', 'what does a bunk cost');
    await chat.locator('.answer').getByText('A bunk is 28 €').waitFor();
    await button(page, 'voice').locator('.answer').getByText('Children pay half.').waitFor();
    expect(refused).toEqual([]);
  });
});

describe('by hand', () => {
  const state = (page: Page, is: string) => page.locator(`#ask[state=${is}]`).waitFor();

  it('Escape ends the answer and not the talk; without motion where none is wanted', async () => {
    const page = await site('nobody');
    await page.emulateMedia({ reducedMotion: 'reduce' });
    await press(page, 'ask');
    const moves = () =>
      button(page, 'ask').evaluate(
        (element) => getComputedStyle(element.shadowRoot!.querySelector('.main')!).animationName,
      );
    await state(page, 'beginning');
    expect(await moves()).toBe('none');
    await page.emulateMedia({ reducedMotion: 'no-preference' });
    await state(page, 'answering');
    await button(page, 'ask').getByRole('button').first().press('Escape');
    await state(page, 'listening');
    await more(page, 'ask');
    await types(page, 'ask', 'is there supper at Lantern Hut');
    await button(page, 'ask')
      .locator('.answer')
      .getByText(/supper/i)
      .waitFor();
  });

  it.each(['mouse', 'keyboard'])('with floor="press" it is held down to talk, by %s', async (by) => {
    const page = await site('miller-asks');
    await page.evaluate(() => document.getElementById('ask')!.setAttribute('floor', 'press'));
    const main = button(page, 'ask').getByRole('button').first();
    await main.click();
    await page.waitForFunction(() => document.body.dataset.last !== undefined);
    if (by === 'mouse') {
      await main.hover();
      await page.mouse.down();
    } else await main.press('Enter');
    await button(page, 'ask')
      .locator('.words')
      .getByText(/saddle/i)
      .waitFor();
    if (by === 'mouse') await page.mouse.up();
    else await main.press('Enter');
    await button(page, 'ask')
      .locator('.answer')
      .getByText(/open|closed/i)
      .waitFor();
  });

  it('with floor="once" silence ends it, and the next press opens it again', async () => {
    const page = await site('miller-asks');
    await page.evaluate(() => document.getElementById('ask')!.setAttribute('floor', 'once'));
    await press(page, 'ask');
    await button(page, 'ask')
      .locator('.answer')
      .getByText(/open|closed/i)
      .waitFor();
    await state(page, 'resting');
    await button(page, 'ask').getByText('Resting: press to talk').waitFor();
    await press(page, 'ask');
    await state(page, 'listening');
  });
});

it('a page that has ears of its own says the words', async () => {
  const page = await site(null);
  await page.evaluate(() => {
    const button = document.querySelector('verbalon-button') as unknown as {
      start(): Promise<void>;
      say(text: string): void;
    };
    void button.start().then(() => button.say('is there supper at Lantern Hut'));
  });
  await button(page, 'ask')
    .locator('.answer')
    .getByText(/supper/i)
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
  await page.evaluate(() =>
    Object.defineProperty(navigator.mediaDevices, 'getUserMedia', {
      value: () => Promise.resolve(new AudioContext().createMediaStreamDestination().stream),
    }),
  );
  const owners = page.waitForEvent('console', (message) => message.text().includes('"origins"'));
  await press(page, 'ask');
  // A visitor reads a sentence without addresses; whoever owns the page reads the remedy in the browser's
  // console.
  await button(page, 'ask')
    .getByRole('alert')
    .getByText('The assistant can’t be reached right now. Please try again later.')
    .waitFor();
  expect((await owners).text()).toContain('assistants/porch.yaml');
});
