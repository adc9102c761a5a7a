/**
 * The shapes that engines come in at home, each by a card against a stand-in: a file a segment, functions,
 * packed sound, a pass.
 */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { AddressInfo } from 'node:net';
import { WebSocketServer } from 'ws';
import {
  comparableWords,
  type CallableFunction,
  type Entry,
  levelDb,
  readWav,
  toFloats,
} from '@verbalon/core';
import type { LlmEngine, LlmEvent, SttEngine, SttEvent, TtsEngine } from '@verbalon/engines';
import { answering, openCard, segmentOf, standinFor } from '../../../../testing/cards.js';

const KEY = 'key-of-the-test';
const cedar = standinFor('cedar', KEY);
beforeAll(() => cedar.start());
afterAll(() => cedar.stop());
const open = (name: string, change?: Parameters<typeof openCard>[1]) =>
  openCard(name, change, { standins: { cedar: cedar.address }, secrets: { CEDAR_KEY: KEY } });
const never = new AbortController().signal;

async function heardBy(engine: SttEngine, samples: Int16Array, more = {}): Promise<SttEvent[]> {
  const stream = engine.open({
    language: 'en',
    profile: null,
    talk: 'test',
    stay: null,
    signal: never,
    ...more,
  });
  for (let at = 0; at < samples.length; at += 1_600) stream.push(samples.slice(at, at + 1_600));
  stream.finish();
  const events: SttEvent[] = [];
  for await (const event of stream.events) events.push(event);
  return events;
}

async function written(engine: LlmEngine, messages: Entry[], functions: CallableFunction[] = []) {
  const events: LlmEvent[] = [];
  const request = {
    persona: 'You are Tansy.',
    messages,
    functions,
    answerLength: 'short',
    language: 'en',
    talk: 'test',
    turn: 7,
  } as const;
  for await (const event of engine.think({ ...request, stay: null, signal: never })) events.push(event);
  const text = events.flatMap((event) => (event.kind === 'piece' ? [event.text] : [])).join('');
  const calls = events.flatMap((event) => (event.kind === 'call' ? [event.call] : []));
  return { text: text.trim(), calls, events };
}

async function said(engine: TtsEngine, text = 'Supper is at half past six.') {
  const parts: Int16Array[] = [];
  for await (const { samples } of engine.speak({
    text,
    language: 'en',
    voice: {},
    stay: null,
    signal: never,
  }))
    parts.push(samples);
  const all = Int16Array.from(parts.flatMap((part) => [...part]));
  return { ms: all.length / 16, db: levelDb(toFloats(all)), pieces: parts.length };
}

describe('ears that take a whole file', () => {
  it('are sent a form with a WAV file; their own capitals and marks are kept', async () => {
    const engine = open('cedar-ears') as SttEngine;
    await engine.warm();
    const { samples, text } = segmentOf('miller-asks', 1);
    const events = await heardBy(engine, samples);
    expect(events).toHaveLength(1);
    const final = events[0]!;
    expect(final.kind).toBe('final');
    expect(final.words.map(({ word }) => word)).toEqual(comparableWords(text));
    const shown = final.words.map((word) => word.written).join(' ');
    expect(shown[0]).toMatch(/[A-Z]/);
    expect(shown).toMatch(/[.?]$/);
    await engine.close();
  });

  it.each(['wav', 'flac', 'pcm16', 'mulaw', 'alaw'] as const)(
    'get the sound as %s, whatever its rate',
    async (encoding) => {
      const bodies: { type: string; bytes: Buffer }[] = [];
      const server = await answering((request, bytes) => {
        bodies.push({ type: request.headers['content-type'] ?? '', bytes });
        expect(Number(request.headers['content-length'])).toBe(bytes.length);
        return { said: 'Two bunks' };
      });
      const engine = open('cedar-ears', (card) => ({
        ...card,
        address: server.address,
        send: { form: 'whole', encoding, rateHz: 8_000 },
        receive: { form: 'whole', read: [{ final: { text: '/said' } }] },
      })) as SttEngine;
      const { samples } = segmentOf('miller-asks', 1);
      await heardBy(engine, samples);
      await engine.close();
      await server.close();
      const { type, bytes } = bodies[0]!;
      const seconds = samples.length / 16_000;
      const size = {
        wav: 44 + 16_000 * seconds,
        pcm16: 16_000 * seconds,
        mulaw: 8_000 * seconds,
        alaw: 8_000 * seconds,
      };
      if (encoding === 'flac') expect(bytes.toString('latin1', 0, 4)).toBe('fLaC');
      else expect(Math.abs(bytes.length - size[encoding])).toBeLessThan(40);
      if (encoding === 'flac') expect(bytes.length).toBeLessThan(16_000 * seconds);
      if (encoding === 'wav') expect(readWav(bytes)).toMatchObject({ rateHz: 8_000 });
      expect(type).toBe(
        { wav: 'audio/wav', flac: 'audio/flac' }[encoding as string] ?? 'application/octet-stream',
      );
    },
  );

  it('get it in a JSON message, and are asked for provisional words where the card says so, which costs', async () => {
    const asked: number[] = [];
    const server = await answering((_request, bytes) => {
      const { clip } = JSON.parse(bytes.toString('utf8')) as { clip: string };
      asked.push(Buffer.from(clip, 'base64').length);
      return { said: `heard ${asked.length}` };
    });
    const engine = open('cedar-ears', (card) => ({
      ...card,
      address: server.address,
      send: { form: 'whole', sound: { clip: '{sound}' }, everyMs: 30 },
      receive: { form: 'whole', read: [{ final: { text: '/said' } }] },
    })) as SttEngine;
    const again: number[] = [];
    const sentAgain = (ms: number) => void again.push(ms);
    const stream = engine.open({
      language: 'en',
      profile: null,
      talk: 't',
      stay: null,
      signal: never,
      sentAgain,
    });
    const { samples } = segmentOf('miller-asks', 1);
    stream.push(samples.slice(0, 16_000));
    const kinds: string[] = [];
    for await (const event of stream.events) {
      kinds.push(event.kind);
      if (event.kind === 'partial' && kinds.length === 1) {
        stream.push(samples.slice(16_000));
        stream.finish();
      }
    }
    expect(kinds[0]).toBe('partial');
    expect(kinds.at(-1)).toBe('final');
    expect(again[0]).toBe(1_000);
    expect(asked[0]).toBe(32_000);
    expect(asked.at(-1)).toBe(samples.length * 2);
    await engine.close();
    await server.close();
  });

  it('are asked again where nothing had come, as often as the card says', async () => {
    let asked = 0;
    const server = await answering(() => (++asked < 3 ? 503 : { said: 'yes' }));
    const with2 = (retries: number) =>
      open('cedar-ears', (card) => ({
        ...card,
        retries,
        address: server.address,
        receive: { form: 'whole', read: [{ final: { text: '/said' } }] },
      })) as SttEngine;
    const { samples } = segmentOf('miller-asks', 1);
    expect((await heardBy(with2(2), samples)).at(-1)).toMatchObject({ words: [{ word: 'yes' }] });
    asked = 0;
    await expect(heardBy(with2(1), samples)).rejects.toThrow(/503/);
    await server.close();
  });
});

describe('a model with functions', () => {
  const forecast: CallableFunction = {
    name: 'forecast',
    about: 'the weather',
    parameters: { type: 'object' },
  };
  const question: Entry = { role: 'caller', text: 'What is the weather like?' };

  it('asks for what is offered, after a few words, and answers with what it gave', async () => {
    const engine = open('cedar-mind') as LlmEngine;
    const first = await written(engine, [question], [forecast]);
    expect(first.text).toBe('One moment.');
    expect(first.calls).toEqual([{ id: 'deed-1', name: 'forecast', arguments: { place: 'the saddle' } }]);
    const result: Entry = { role: 'result', call: 'deed-1', name: 'forecast', text: 'Dry, with some wind.' };
    const then = await written(
      engine,
      [question, { role: 'assistant', text: first.text, calls: first.calls }, result],
      [forecast],
    );
    expect(then).toMatchObject({ text: 'Dry, with some wind.', calls: [] });
    await engine.close();
  });

  it.each<[string, object, unknown[], unknown[]]>([
    [
      'whole, several in a list',
      { list: '/do', name: '/f', arguments: '/a', id: '/i' },
      [
        {
          do: [
            { f: 'x', a: { n: 1 }, i: 'p' },
            { f: 'y', a: {}, i: 'q' },
          ],
        },
      ],
      [
        { id: 'p', name: 'x', arguments: { n: 1 } },
        { id: 'q', name: 'y', arguments: {} },
      ],
    ],
    [
      'as a JSON text, without ids',
      { name: '/f', arguments: '/a' },
      [
        { f: 'x', a: '{"n":1}' },
        { f: 'y', a: '' },
      ],
      [
        { id: 'call-1', name: 'x', arguments: { n: 1 } },
        { id: 'call-2', name: 'y', arguments: {} },
      ],
    ],
    [
      'in pieces of two at once',
      { index: '/k', name: '/f', arguments: '/a' },
      [
        { k: 0, f: 'x', a: '{"n"' },
        { k: 1, f: 'y', a: '{' },
        { k: 0, a: ':1}' },
        { k: 1, a: '}' },
      ],
      [
        { id: 'call-1', name: 'x', arguments: { n: 1 } },
        { id: 'call-2', name: 'y', arguments: {} },
      ],
    ],
    [
      'that are no JSON stay text',
      { name: '/f', arguments: '/a' },
      [{ f: 'x', a: '{"n":' }],
      [{ id: 'call-1', name: 'x', arguments: '{"n":' }],
    ],
  ])('arguments %s', async (_name, call, lines, calls) => {
    const server = await answering(() => lines.map((line) => JSON.stringify(line)).join('\n'));
    const engine = open('cedar-mind', (card) => ({
      ...card,
      address: server.address,
      receive: { form: 'lines', read: [{ piece: '/text', call }] },
    })) as LlmEngine;
    expect((await written(engine, [question])).calls).toEqual(calls);
    await engine.close();
    await server.close();
  });

  it('says what stands at a place of its JSON, as it streams', async () => {
    const engine = open('cedar-mind', (card) => ({
      ...card,
      settings: { shape: 'say' },
      send: {
        ...(card.send as object),
        open: [
          {
            brief: '{persona}',
            shape: '{shape}',
            log: { each: 'messages', item: { from: '{role}', words: '{text}' } },
          },
        ],
      },
      receive: { ...(card.receive as object), spoken: '/say' },
    })) as LlmEngine;
    const { text, events } = await written(engine, [
      { role: 'caller', text: 'What time is supper at Heron Hut?' },
    ]);
    expect(text).toBe('Supper at Heron Hut is at 18:30.');
    expect(events.filter(({ kind }) => kind === 'piece').length).toBeGreaterThan(2);
    await engine.close();
  });

  it('one that acts is told what was heard of it, and knows the same request by its name', async () => {
    const bodies: unknown[] = [];
    const server = await answering((request, bytes) => {
      bodies.push([request.url, JSON.parse(bytes.toString('utf8'))]);
      return { bit: 'Booked.' };
    });
    const engine = open('cedar-mind', (card) => ({
      ...card,
      acts: true,
      address: `${server.address}/do`,
      send: {
        open: [{ said: '{last}', once: '{request}', turn: '{turn}', sure: '{certain}' }],
        heard: { path: '/heard', message: { once: '{request}', words: '{text}', all: '{whole}' } },
      },
      receive: { form: 'whole', read: [{ piece: '/bit' }] },
    })) as LlmEngine;
    await written(engine, [{ role: 'caller', text: 'Two bunks, please.' }]);
    await engine.heard!({ talk: 'test', turn: 7, text: 'Booked.', whole: true });
    expect(bodies).toEqual(
      [
        [`/do?key=${KEY}`, { said: 'Two bunks, please.', once: 'test-7', turn: 7, sure: true }],
        [`/heard?key=${KEY}`, { once: 'test-7', words: 'Booked.', all: true }],
      ].map(([path, body]) => [expect.stringContaining(String(path).split('?')[0]!), body]),
    );
    await engine.close();
    await server.close();
  });
});

describe('a voice', () => {
  it('in MP3 is heard as it comes', async () => {
    const engine = open('cedar-voice') as TtsEngine;
    await engine.warm();
    const { ms, db, pieces } = await said(engine);
    expect(ms).toBeGreaterThan(1_000);
    expect(ms).toBeLessThan(3_000);
    expect(db).toBeGreaterThan(-40);
    expect(pieces).toBeGreaterThan(2);
    await engine.close();
  });

  it('behind a pass fetches it once, and again when it is not taken any more', async () => {
    const engine = open('cedar-singer') as TtsEngine;
    await engine.warm();
    const { ms, db } = await said(engine);
    expect(ms).toBeGreaterThan(1_000);
    expect(db).toBeGreaterThan(-40);
    await fetch(`${cedar.address}/door`, { method: 'DELETE' });
    expect((await said(engine)).ms).toBe(ms);
    const wrong = openCard('cedar-singer', undefined, {
      standins: { cedar: cedar.address },
      secrets: { CEDAR_KEY: 'no' },
    });
    await expect(wrong.warm()).rejects.toThrow(/401/);
    await Promise.all([engine.close(), wrong.close()]);
  });

  it('that sends what its card does not say is told so, and damaged sound ends only itself', async () => {
    const change = (encoding: string) =>
      open('cedar-voice', (card) => ({ ...card, receive: { form: 'sound', encoding } })) as TtsEngine;
    const flac = change('flac');
    await expect(said(flac)).rejects.toThrow(/sent mp3 sound, and its card says .*flac.*; write mp3 or auto/);
    const server = await answering(() => Buffer.concat([Buffer.from('fLaC'), Buffer.alloc(3_000, 0xa7)]));
    const bad = open('cedar-voice', (card) => ({
      ...card,
      address: server.address,
      receive: { form: 'sound', encoding: 'auto' },
    })) as TtsEngine;
    await expect(said(bad)).rejects.toThrow(/engine-garbled/);
    const good = change('auto');
    expect((await said(good)).ms).toBeGreaterThan(1_000);
    await Promise.all([flac.close(), bad.close(), good.close(), server.close()]);
  });
});

describe('a socket', () => {
  it('that greets is answered; its connection is kept for a talk, and closed at its end', async () => {
    const server = new WebSocketServer({
      port: 0,
      handleProtocols: (offered) => [...offered].at(-1) ?? false,
    });
    const heard: string[] = [];
    let connections = 0;
    let closed: () => void = () => undefined;
    const gone = new Promise<void>((done) => (closed = done));
    server.on('connection', (line) => {
      connections++;
      heard.push(`protocol ${line.protocol}`);
      line.send(JSON.stringify({ kind: 'welcome', ticket: 'abc' }));
      line.on('close', closed);
      line.on('message', (data: Buffer, isBinary) => {
        if (isBinary) return;
        const message = JSON.parse(data.toString('utf8')) as { op: string };
        heard.push(JSON.stringify(message));
        if (message.op === 'end') line.send(JSON.stringify({ kind: 'words', text: 'two bunks' }));
      });
    });
    const { port } = server.address() as AddressInfo;
    const engine = open('cedar-ears', (card) => ({
      ...card,
      wire: 'socket',
      address: `ws://127.0.0.1:${port}/`,
      query: {},
      send: {
        protocols: ['plain', 'talk-1'],
        greeted: {
          when: { '/kind': 'welcome' },
          take: { ticket: '/ticket' },
          reply: [{ op: 'here', ticket: '{ticket}' }],
        },
        connection: 'talk',
        open: [{ op: 'language', is: '{language}' }],
        begin: [{ op: 'begin' }],
        finish: [{ op: 'end' }],
      },
      receive: { form: 'messages', read: [{ has: '/text', final: { text: '/text' }, end: true }] },
    })) as SttEngine;
    const { samples } = segmentOf('miller-asks', 1);
    for (let i = 0; i < 2; i++) expect((await heardBy(engine, samples)).at(-1)!.kind).toBe('final');
    const one = [
      '{"op":"here","ticket":"abc"}',
      '{"op":"language","is":"en"}',
      '{"op":"begin"}',
      '{"op":"end"}',
    ];
    expect(heard.filter((line) => !line.startsWith('protocol'))).toEqual([
      ...one,
      '{"op":"begin"}',
      '{"op":"end"}',
    ]);
    expect(heard[0]).toBe('protocol talk-1');
    expect(connections).toBeLessThanOrEqual(2);
    engine.forget('test');
    await gone;
    await engine.close();
    server.close();
  });
});
