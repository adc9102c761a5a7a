/** A line that breaks during a talk, keys, and a goodbye: over the real socket, with real engines. */
import { beforeAll, describe, expect, it } from '@jest/globals';
import { connect, createServer, type AddressInfo, type Socket } from 'node:net';
import { WebSocket } from 'ws';
import { lineAddress } from '@verbalon/client';
import { callWithRecording } from '@verbalon/client/node';
import { audibleEdges, readWav, toFloats, toPcm16, writeWav } from '@verbalon/core';
import type { ServiceMessage, ServiceMessageOf } from '@verbalon/protocol';
import { patientWalker, truth, until, walker } from '../../../../testing/service.js';
import { sharedDemo, type SharedService } from '../../../../testing/shared-demo.js';

let service: SharedService;
beforeAll(async () => {
  service = await sharedDemo();
});

/** Passes bytes on to the service, and can be cut. */
async function startCable(): Promise<{ address: string; cut: () => void; close: () => void; cuts: number }> {
  const open = new Set<Socket>();
  const target = Number(new URL(service.address).port);
  const server = createServer((near) => {
    const far = connect(target, '127.0.0.1');
    for (const socket of [near, far]) {
      open.add(socket);
      socket.on('error', () => undefined);
      socket.on('close', () => open.delete(socket));
    }
    near.pipe(far).pipe(near);
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const cable = {
    address: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    cuts: 0,
    cut: () => {
      cable.cuts++;
      // Without a word, as when somebody pulls the plug.
      for (const socket of open) socket.resetAndDestroy();
    },
    close: () => void server.close(),
  };
  return cable;
}

const of = <K extends ServiceMessage['kind']>(messages: ServiceMessage[], kind: K) =>
  messages.filter((message): message is ServiceMessageOf<K> => message.kind === kind);

describe('a connection that is cut', () => {
  it('again and again, while both sides speak: the talk goes on, no word is lost and none comes twice', async () => {
    const cable = await startCable();
    const spoken = truth('baker-interrupts');
    const { recording, cues } = patientWalker('baker-interrupts');
    const answerMs = spoken[0]!.toMs + 2_000;
    const moments = [spoken[0]!.fromMs + 500, answerMs + 20, spoken[1]!.fromMs + 900];
    const call = await callWithRecording({
      address: cable.address,
      recording,
      cues: [...cues, { atMs: answerMs, until: 'speaking' }],
      onSound: (_samples, _rateHz, recordingMs) => {
        if (moments.length > 0 && recordingMs > moments[0]!) {
          moments.shift();
          cable.cut();
        }
      },
    });
    cable.close();
    expect(cable.cuts).toBe(3);
    expect(call.cutOff).toBeNull();
    expect(of(call.messages, 'admitted')).toHaveLength(1);
    const turns = call.reports.filter(({ source }) => source === 'voice');
    expect(turns.map(({ text }) => text)).toEqual([
      'Tell me about the huts.',
      'Wait, what time is supper at Lantern Hut?',
      'That is all. Goodbye.',
    ]);
    expect(turns[0]!.interrupted).toMatch(/^the caller (said|spoke)/);
    expect(turns.slice(1).map(({ heard }) => heard)).toEqual([
      'Supper at Lantern Hut is at 18:00.',
      'Goodbye, and have a safe walk!',
    ]);
    const recognitions = of(call.messages, 'final').map(({ recognition }) => recognition);
    expect(new Set(recognitions).size).toBe(recognitions.length);
    // What the service has of the caller is what the caller has said, sample by sample in its place.
    await until(async () => (await service.http.conversation(call.conversation)).endedAt !== null);
    const stored = readWav(await service.http.conversationSound(call.conversation));
    for (const saying of spoken) {
      const [fromMs, toMs] = [call.axisMs(saying.fromMs), call.axisMs(saying.toMs)];
      const edges = audibleEdges(
        stored.channels[0]!.subarray((fromMs - 200) * 16, (toMs + 200) * 16),
        stored.rateHz,
      )!;
      expect(Math.abs(edges.from / 16 - 200)).toBeLessThan(60);
      expect(Math.abs(edges.to / 16 - (toMs - fromMs + 200))).toBeLessThan(60);
    }
    expect((await service.http.conversation(call.conversation)).gaps).toEqual([]);
  });
});

/** A socket of our own: what was received, and a way to send. */
function raw(): Promise<{
  socket: WebSocket;
  messages: ServiceMessage[];
  items: () => number;
  send: (message: object) => void;
  closed: Promise<number>;
}> {
  return new Promise((resolve) => {
    const socket = new WebSocket(lineAddress(service.address));
    const messages: ServiceMessage[] = [];
    let items = 0;
    socket.on('message', (data: Buffer, isBinary) => {
      if (!isBinary) messages.push(JSON.parse(data.toString()) as ServiceMessage);
      items++;
    });
    const closed = new Promise<number>((done) => socket.on('close', done));
    socket.on('open', () =>
      resolve({
        socket,
        messages,
        items: () => items,
        send: (message) => socket.send(JSON.stringify(message)),
        closed,
      }),
    );
  });
}

const ARRIVE = { kind: 'arrive', line: 'web', audio: { encoding: 's16le', rateHz: 16_000 } };

describe('a talk and its token', () => {
  it('two windows on one talk: the newer one has it, the older is told so', async () => {
    const first = await raw();
    first.send(ARRIVE);
    await until(() => of(first.messages, 'speech').length > 0);
    const { token } = of(first.messages, 'admitted')[0]!;
    const second = await raw();
    second.send({ ...ARRIVE, resume: { token, received: 0 } });
    expect(await first.closed).toBe(1008);
    expect(of(first.messages, 'trouble')[0]).toMatchObject({ code: 'talk-taken-over', fatal: true });
    await until(() => second.messages.length > 2);
    expect(second.messages.slice(0, 2).map(({ kind }) => kind)).toEqual(['resumed', 'admitted']);
    second.send({ kind: 'typed', text: 'Who is the warden of Saddle Hut?' });
    await until(() => of(second.messages, 'reply').some(({ text }) => text.includes('Tomas')));
    second.send({ kind: 'leave' });
    expect(await second.closed).toBe(1000);
  });

  it('a token that nobody knows, and one that claims too much, are refused with words', async () => {
    const stranger = await raw();
    stranger.send({ ...ARRIVE, resume: { token: 'x'.repeat(24), received: 3 } });
    expect(await stranger.closed).toBe(1008);
    expect(of(stranger.messages, 'trouble')[0]).toMatchObject({
      code: 'talk-gone',
      remedy: expect.stringContaining('10 seconds'),
    });
    const first = await raw();
    first.send(ARRIVE);
    await until(() => first.messages.length > 0);
    const liar = await raw();
    liar.send({
      ...ARRIVE,
      resume: { token: of(first.messages, 'admitted')[0]!.token, received: 1_000_000 },
    });
    expect(await liar.closed).toBe(1008);
    first.send({ kind: 'leave' });
    await first.closed;
  });
});

describe('push-to-talk over the socket', () => {
  it('hears while the key is down, forgives an early release, and answers at once', async () => {
    const saying = truth('miller-asks')[1];
    const recording = readWav(walker('miller-asks'));
    const at = (ms: number) => (ms / 1000) * recording.rateHz;
    // The question twice: once between press and release, once after it, where nobody listens.
    const question = recording.channels[0]!.subarray(at(saying!.fromMs), at(saying!.toMs));
    const sound = new Float32Array(at(13_000));
    sound.set(question, at(3_500));
    sound.set(question, at(9_000));
    let pressed = 0;
    const call = await callWithRecording({
      address: service.address,
      assistant: 'porch',
      recording: writeWav([toPcm16(sound)], recording.rateHz),
      onOpen: (caller) => {
        const timer = setInterval(() => {
          const ms = (caller.captured * 1000) / recording.rateHz;
          if (pressed === 0 && ms > 3_400) {
            pressed = 1;
            caller.press();
          }
          // A little early: the end of the last word is forgiven.
          if (pressed === 1 && ms > 3_400 + (saying!.toMs - saying!.fromMs)) {
            clearInterval(timer);
            caller.release();
          }
        }, 10);
      },
    });
    expect(of(call.messages, 'admitted')[0]).toMatchObject({
      floor: 'press',
      hint: 'Hold the button and ask',
    });
    const turns = call.reports.filter(({ source }) => source === 'voice');
    expect(turns).toHaveLength(1);
    expect(turns[0]).toMatchObject({
      text: 'How many bunks are free at Heron Hut on Saturday?',
      heard: 'There are four bunks free at Heron Hut on Saturday.',
    });
    expect(turns[0]!.wait!.reason).toBe('the key was released');
    const stored = (await service.http.conversations()).find(({ id }) => id === call.conversation);
    expect(stored).toMatchObject({ assistant: 'porch', recorded: false });
    expect(audibleEdges(toFloats(call.assistant), call.rateHz)).not.toBeNull();
  });
});
