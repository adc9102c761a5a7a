/**
 * One call by a real softphone, from the demo's project: it asks, interrupts, books by voice and keys, and is
 * handed over to a person at the console.
 */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { levelDb, readWav, toPcm16, writeWav } from '@verbalon/core';
import { TestGuest } from '../../../../testing/guest.js';
import { PhonedService } from '../../../../testing/phoned-service.js';
import { softphone } from '../../../../testing/softphone.js';
import { until } from '../../../../testing/service.js';

const RATE_HZ = 16_000;
let on: PhonedService;
beforeAll(async () => {
  on = await PhonedService.start({
    hears: true,
    phone: `  numbers: { '100': tansy }\n`,
    rest: 'handOver: { to: console }\n',
  });
}, 120_000);
afterAll(() => on.service.stop());

/** These are said at these seconds. */
async function saidAt(lines: [number, string][], seconds: number): Promise<Uint8Array> {
  const sound = new Int16Array(seconds * RATE_HZ);
  for (const [at, text] of lines) {
    const { wav } = await on.http.aloud({ text, assistant: 'tansy', voice: 'dunlin' });
    sound.set(toPcm16(readWav(wav).channels[0]!), at * RATE_HZ);
  }
  return writeWav([sound], RATE_HZ);
}

it('asks, interrupts, books by voice and keys, and is handed over', async () => {
  const recording = await saidAt(
    [
      [9, 'Is the path over the saddle open today?'],
      // Over the answer.
      [13.5, 'I would like to book at Rowan Hut for Friday.'],
      [29, 'Under the name Miller.'],
    ],
    83,
  );
  let talk = '';
  let all: Awaited<ReturnType<typeof on.reports>> = [];
  const heard = (words: string) =>
    until(
      async () => (all = await on.reports(talk)).some((one) => one.heard.includes(words)),
      () => JSON.stringify(all.map((one) => [one.text, one.heard])),
    );
  const called = softphone(`sip:100@${on.at}`, recording, 'PCMU', async (press) => {
    await until(async () => (talk = (await on.newest())?.conversation ?? '') !== '');
    await heard('How many bunks?');
    press('3#');
    await heard('Shall I book that?');
    press('1');
    await heard('It is booked. Your number is');
    press('0');
    await heard('To the warden of which hut?');
    press('2');
    await until(async () => (await on.http.waiting()).length > 0);
    const { join } = await on.http.view(talk, { may: 'take over' });
    const warden = await TestGuest.join(on.service.address, join!, 'the warden of Rowan Hut');
    warden.send({ kind: 'takeOver' });
    await until(() => warden.messages.some(({ kind }) => kind === 'person'));
    warden.say(
      readWav(
        (await on.http.aloud({ text: 'Good evening. You have three bunks on Friday.', assistant: 'tansy' }))
          .wav,
      ).channels[0]!,
    );
    await until(() => !warden.isSaying);
    warden.leave();
  });
  const { heard: sound } = await called;
  const [, path] = all;
  expect(path!.heard.length).toBeLessThan('Yes, the path over the saddle is open.'.length);
  // On a busy machine the answer may not have begun when they go on: then both sentences are one turn.
  expect(all.map(({ text }) => text).join(' ')).toContain('I would like to book at Rowan Hut for Friday.');
  const [run] = await on.http.runs({ limit: '1', errand: 'book-bunks' });
  expect(run).toMatchObject({ state: 'done', slots: { bunks: 3, hut: 'Rowan Hut', name: 'Miller' } });
  // The warden's words were the last that the telephone heard.
  expect(levelDb(sound.subarray(-4 * 8_000))).toBeGreaterThan(-40);
  await until(async () => (await on.newest()).stages.at(-1)!.stage === 'ended');
}, 180_000);
