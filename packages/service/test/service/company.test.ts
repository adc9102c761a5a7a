/**
 * People besides the caller, over real sockets: guests who join by a link and speak, and a person at the
 * console who takes over.
 */
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import { createServer, type Server } from 'node:http';
import { once } from 'node:events';
import type { AddressInfo } from 'node:net';
import { levelDb, readWav, writeWav } from '@verbalon/core';
import { callWithRecording } from '@verbalon/client/node';
import type { CallerEnd } from '@verbalon/client';
import type { May, WaitingCaller } from '@verbalon/protocol';
import { TestGuest } from '../../../../testing/guest.js';
import { isLoud, PhonedService } from '../../../../testing/phoned-service.js';
import { until } from '../../../../testing/service.js';

const RATE_HZ = 16_000;
let on: PhonedService;
let server: Server;
let posted: { body: WaitingCaller; key: string }[] = [];
let guests: TestGuest[] = [];
let calls: { done: Promise<unknown>; stop: () => void }[] = [];

beforeAll(async () => {
  server = createServer((request, response) => {
    let text = '';
    request.on('data', (part) => (text += part));
    request.on('end', () => {
      posted.push({ body: JSON.parse(text) as WaitingCaller, key: String(request.headers['x-key']) });
      response.end();
    });
  }).listen(0, '127.0.0.1');
  await once(server, 'listening');
  const { port } = server.address() as AddressInfo;
  on = await PhonedService.start({
    hears: true,
    phone: `  numbers: { '100': tansy }\n`,
    rest: `handOver: { to: console, waitS: 10, webhook: 'http://127.0.0.1:${port}/handed', secret: HANDED_KEY, headers: { x-key: '{secret}' } }\n`,
    env: { HANDED_KEY: 'open-please' },
  });
}, 120_000);
afterEach(async () => {
  for (const guest of guests) guest.leave();
  for (const { stop, done } of calls) {
    stop();
    await done;
  }
  guests = [];
  calls = [];
  posted = [];
  await on.quiet();
});
afterAll(async () => {
  server.close();
  await on.service.stop();
});

/** A caller who says nothing by voice, until the test is over. */
async function silentCaller() {
  let conversation = '';
  let end: CallerEnd | null = null;
  const stop = new AbortController();
  const done = callWithRecording({
    address: on.service.address,
    assistant: 'tansy',
    recording: writeWav([new Int16Array(120 * RATE_HZ)], RATE_HZ),
    signal: stop.signal,
    onOpen: (one) => (end = one),
    onMessage: (message) => {
      if (message.kind === 'admitted') ({ conversation } = message);
    },
  });
  calls.push({ done, stop: () => stop.abort() });
  await until(() => conversation !== '' && end !== null);
  return { conversation, end: end!, stop: () => stop.abort(), done };
}

async function guestOf(conversation: string, may: May, name: string): Promise<TestGuest> {
  const { join } = await on.http.view(conversation, { may });
  const guest = await TestGuest.join(on.service.address, join!, name);
  guests.push(guest);
  return guest;
}

/** In an assistant's voice, at 16 kHz. */
async function sound(text: string): Promise<Float32Array> {
  return readWav((await on.http.aloud({ text, assistant: 'tansy' })).wav).channels[0]!;
}

const loud = (frames: readonly Int16Array[]) => frames.filter(isLoud).length;
const reports = (conversation: string) => on.reports(conversation);

describe('a guest', () => {
  it('hears the assistant, is heard in the caller’s place while it presses, and is named', async () => {
    const { conversation } = await silentCaller();
    const guest = await guestOf(conversation, 'join', 'Ada');
    const other = await guestOf(conversation, 'join', 'Ben');
    await until(() => loud(guest.heard) > 30);
    await until(async () => (await reports(conversation)).length === 1);
    guest.press();
    guest.say(await sound('When is breakfast at Heron Hut?'));
    const before = loud(other.heard);
    await until(() => !guest.isSaying);
    guest.release();
    await until(async () => (await reports(conversation)).length === 2);
    const [, asked] = await reports(conversation);
    expect(asked).toMatchObject({ by: 'Ada' });
    expect(asked!.text).toMatch(/heron hut/i);
    // Another guest heard the question and the answer.
    expect(loud(other.heard) - before).toBeGreaterThan(60);
  });

  it('speaks when nobody else does, and says nothing that is the caller’s to say', async () => {
    const { conversation } = await silentCaller();
    const [ada, ben] = [
      await guestOf(conversation, 'join', 'Ada'),
      await guestOf(conversation, 'join', 'Ben'),
    ];
    await until(() => ada.messages.length > 0 && ben.messages.length > 0);
    ada.press();
    ada.say(await sound('one moment please'));
    await until(() => !ada.isSaying);
    ben.press();
    await until(() => ben.trouble === 'floor-taken');
    ada.send({ kind: 'typed', text: 'Hello' });
    await until(() => ada.trouble === 'guest-may-not');
    ada.send({ kind: 'takeOver' });
    await until(() => ada.messages.filter(({ kind }) => kind === 'trouble').length === 2);
    ada.leave();
    ben.press();
    ben.release();
    expect(ben.isOver).toBe(false);
  });

  it('with a link that only shows does not come in; when the talk is over, so is it for the guest', async () => {
    const { conversation, stop, done } = await silentCaller();
    const { join, page } = await on.http.view(conversation);
    expect(join).toBeNull();
    const stranger = await TestGuest.join(on.service.address, page.split('/').at(-1)!, 'nobody');
    guests.push(stranger);
    await until(() => stranger.trouble === 'guest-may-not');
    const guest = await guestOf(conversation, 'join', 'Ada');
    await until(() => guest.messages.length > 0);
    stop();
    await done;
    await until(() => guest.isOver);
  });
});

describe('a caller who wants a person', () => {
  it('is shown as waiting, its values are posted, and whoever takes it talks with it; then the assistant is back', async () => {
    const { caller, talk } = await on.asksForPerson();
    await until(async () => (await on.http.waiting()).length > 0);
    const [waiting] = await on.http.waiting();
    expect(waiting).toMatchObject({
      conversation: talk,
      assistant: 'tansy',
      line: 'phone',
      caller: { id: 'walker', name: 'Miller' },
      known: { hut: 'Heron Hut' },
    });
    await until(() => posted.length > 0);
    expect(posted).toEqual([{ body: waiting, key: 'open-please' }]);
    const warden = await guestOf(talk, 'take over', 'the warden');
    warden.send({ kind: 'takeOver' });
    await until(() => warden.messages.some((one) => one.kind === 'person' && one.name === 'the warden'));
    expect(await on.http.waiting()).toEqual([]);
    // Nobody but the warden speaks now.
    const [callerBefore, wardenBefore] = [caller.heard.length, warden.heard.length];
    warden.say(await sound('Good evening, this is the warden. How many are you?'));
    await until(() => loud(caller.heard.slice(callerBefore).map(({ samples }) => samples)) > 60);
    caller.say(await on.spoken('there are four of us'));
    await until(() => loud(warden.heard.slice(wardenBefore)) > 30);
    const turns = (await reports(talk)).length;
    await until(async () => (await reports(talk)).length > turns);
    expect((await reports(talk)).at(-1)).toMatchObject({ heard: '' });
    warden.send({ kind: 'giveBack' });
    await until(async () => (await reports(talk)).at(-1)!.heard.includes('talking with me again'));
    caller.hangUp();
    // What the warden said is in the stored sound.
    await until(async () => (await on.http.conversation(talk)).ending !== null);
    const [, assistant] = readWav(await on.http.conversationSound(talk)).channels;
    expect(levelDb(assistant!)).toBeGreaterThan(-45);
  });

  it('hears that nobody comes, when nobody takes it', async () => {
    const { talk } = await on.asksForPerson();
    await until(async () => (await on.http.waiting()).length > 0);
    await until(async () =>
      (await reports(talk)).some(({ heard }) => heard.includes('nobody can take the call')),
    );
    expect(await on.http.waiting()).toEqual([]);
  });
});
