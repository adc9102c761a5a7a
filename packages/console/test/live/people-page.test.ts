/**
 * People at the console, in headless Chromium with a recorded microphone: a call that rings, is taken and
 * given back; captions of it, and captions without a talk.
 */
import { afterAll, afterEach, beforeAll, expect, it } from '@jest/globals';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { joinPcm16, readWav, toPcm16, writeWav } from '@verbalon/core';
import { expectAccessible } from '../../../../testing/accessible.js';
import { Pages } from '../../../../testing/browser.js';
import { isLoud, PhonedService } from '../../../../testing/phoned-service.js';
import { freshFolder, until } from '../../../../testing/service.js';

/** What was heard of a telephone's caller; what exactly is not this test's matter. */
const SOMETHING = /You:\s*\w+/;
let on: PhonedService;
/** What is said into the microphone, again and again. */
let microphone: string[];
const pages = new Pages(() => on.service.address);

beforeAll(async () => {
  on = await PhonedService.start({
    hears: true,
    phone: `  numbers: { '100': tansy }\n`,
    rest: 'handOver: { to: console, waitS: 120 }\n',
  });
  const { wav } = await on.http.aloud({ text: 'Is the path open to Rowan Hut?', assistant: 'tansy' });
  const file = join(freshFolder(), 'warden.wav');
  const { channels, rateHz } = readWav(wav);
  writeFileSync(file, writeWav([joinPcm16([toPcm16(channels[0]!), new Int16Array(2 * rateHz)])], rateHz));
  microphone = [
    '--use-fake-device-for-media-stream',
    '--use-fake-ui-for-media-stream',
    `--use-file-for-fake-audio-capture=${file}`,
  ];
}, 120_000);
afterEach(async () => {
  await pages.close();
  await on.quiet();
});
afterAll(async () => {
  await pages.end();
  await on.service.stop();
});

it('a caller who wants a person rings at the console; whoever takes the call talks with the caller, and gives it back', async () => {
  const page = await pages.open(microphone);
  const { caller, talk } = await on.asksForPerson();
  const asking = page.getByRole('alert');
  await asking.getByText('Miller, walker wants a person').waitFor();
  await asking.getByText('Heron Hut').waitFor();
  await expectAccessible(page);
  const opening = page.waitForEvent('popup');
  await asking.getByRole('button', { name: 'Take the call' }).click();
  const taking = await opening;
  await taking.getByLabel('Your name').fill('Maren');
  await expectAccessible(taking);
  await taking.getByRole('button', { name: 'Take the call' }).click();
  await taking.getByText('Maren talks with the caller.').waitFor();
  await page.getByText('wants a person').waitFor({ state: 'detached' });
  const before = caller.heard.length;
  await until(() => caller.heard.slice(before).filter(({ samples }) => isLoud(samples)).length > 100);
  // What the caller says meanwhile stands on the page.
  caller.say(await on.spoken('is breakfast at six'));
  await taking.getByTestId('caller-caption').filter({ hasText: SOMETHING }).waitFor();
  // It is told and not answered.
  await until(async () => (await on.reports(talk)).some(({ text, heard }) => text !== '' && heard === ''));
  await taking.getByRole('button', { name: 'Give back to the assistant' }).click();
  await taking.getByText('The assistant answers.').waitFor();
  let all: string[] = [];
  await until(
    async () =>
      (all = (await on.reports(talk)).map(({ heard }) => heard)).some((one) =>
        one.includes('talking with me again'),
      ),
    () => all.join(' | '),
  );
  caller.hangUp();
  await taking.getByText('The talk is over, or this link has expired.').waitFor();
});

it('captions of a talk stand on another screen, large and smaller, with a face or without', async () => {
  const page = await pages.open([]);
  const caller = await on.connected();
  const talk = (await on.newest()).conversation!;
  const link = await on.http.view(talk);
  await page.goto(`${on.service.address}${link.page}`);
  await page.getByTestId('assistant-caption').filter({ hasText: 'Tansy' }).waitFor();
  caller.say(await on.spoken('is breakfast at six'));
  await page.getByTestId('caller-caption').filter({ hasText: SOMETHING }).waitFor();
  await page.getByRole('button', { name: 'With a face' }).click();
  await page.getByRole('img').waitFor();
  await page.getByRole('button', { name: 'Smaller words' }).click();
  expect(page.url()).toContain('size=small');
  await expectAccessible(page);
  expect(await page.getByLabel('Your name').count()).toBe(0);
});

it('captions without a talk start and stop by a tap, and nobody answers', async () => {
  const page = await pages.open(microphone);
  await page.getByRole('link', { name: 'Only captions' }).click();
  await page.getByRole('button', { name: 'Start' }).click();
  await page.getByTestId('caller-caption').filter({ hasText: /path/i }).waitFor();
  await expectAccessible(page);
  await page.getByRole('button', { name: 'Stop' }).click();
  await page.getByRole('button', { name: 'Start' }).waitFor();
  expect(await page.getByTestId('assistant-caption').count()).toBe(0);
});

it('somebody else joins a talk of this page, speaks while a key is down, and is named', async () => {
  const page = await pages.open(microphone);
  await page.goto(`${on.service.address}/?assistant=tansy`);
  await page.getByRole('button', { name: 'Type only' }).click();
  await page.getByRole('button', { name: 'Begin' }).click();
  await page.getByTestId('assistant-caption').filter({ hasText: 'help you?' }).waitFor();
  const opening = page.waitForEvent('popup');
  await page.getByRole('button', { name: 'Let somebody join' }).click();
  const joined = await opening;
  await joined.getByLabel('Your name').fill('Ada');
  await joined.getByRole('button', { name: 'Join' }).click();
  // Before a word of theirs is kept.
  await joined.getByText('This talk is recorded: what you say is kept.').waitFor();
  const key = joined.getByRole('button', { name: /Hold to speak/ });
  await key.hover();
  await joined.mouse.down();
  await joined.getByRole('button', { name: 'You are heard' }).waitFor();
  await joined
    .getByTestId('caller-caption')
    .filter({ hasText: /Ada: .*hut/i })
    .waitFor();
  await joined.mouse.up();
  await expectAccessible(joined);
  await page.getByRole('list', { name: 'What was said' }).getByText('Ada', { exact: true }).waitFor();
});
