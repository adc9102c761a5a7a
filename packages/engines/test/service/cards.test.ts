/**
 * Engines by cards: the demo's cards against the stand-in clouds they describe, and a card against servers
 * that misbehave.
 */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawn, type ChildProcess } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo, Socket } from 'node:net';
import { createInterface } from 'node:readline';
import { WebSocketServer } from 'ws';
import { parse } from 'yaml';
import { comparableWords, readWav, samplesOfMs, toPcm16 } from '@verbalon/core';
import { openEngine, type LlmEngine, type SttEngine, type TtsEngine } from '@verbalon/engines';
import type { EngineCard } from '@verbalon/protocol';
import { truth, until, walker } from '../../../../testing/service.js';

const KEY = 'key-of-the-test';
const standins: Record<string, string> = {};
const children: ChildProcess[] = [];
const never = () => new AbortController().signal;

async function startStandin(name: string): Promise<void> {
  const knowledge = ['--knowledge', 'demo/knowledge/huts.yaml', '--first-piece-ms', '40'];
  const args =
    name === 'thinker' ? knowledge : [...knowledge, '--recordings', 'demo/recordings', '--key', KEY];
  const child = spawn(process.execPath, [`standins/dist/${name}/main.js`, ...args], {
    stdio: ['pipe', 'pipe', 'inherit'],
  });
  children.push(child);
  const [line] = await new Promise<string[]>((resolve) =>
    createInterface(child.stdout).once('line', (text) => resolve([text])),
  );
  standins[name] = line!.replace('ready ', '');
}

beforeAll(async () => void (await Promise.all(['alder', 'birch', 'cedar', 'thinker'].map(startStandin))));
afterAll(() => children.forEach((child) => child.kill()));

function open(
  name: string,
  change: (card: Record<string, unknown>) => object = (card) => card,
  key: string | undefined = KEY,
) {
  const file = parse(readFileSync(`demo/engines/${name}.yaml`, 'utf8')) as Record<string, unknown>;
  // What is tested is what is said, not how soon a busy machine says it.
  const card = change({ ...file, deadlines: { firstMs: 50_000, betweenMs: 50_000 } }) as EngineCard;
  const secrets = { ALDER_KEY: key, BIRCH_KEY: key, CEDAR_KEY: key };
  const nothing = () => {
    throw new Error('not of this test');
  };
  return openEngine(name, card, {
    workFolder: '/tmp',
    standins,
    secrets,
    folder: 'demo',
    answers: nothing,
    model: nothing,
    page: nothing,
  });
}

async function think(
  engine: LlmEngine,
  text = 'What time is supper at Heron Hut?',
  said = '',
  abort = new AbortController(),
) {
  const messages = [
    { role: 'caller' as const, text },
    ...(said ? [{ role: 'assistant' as const, text: said }] : []),
  ];
  const request = {
    persona: 'You are Tansy.',
    messages,
    answerLength: 'short' as const,
    language: 'en',
    talk: 'test',
    stay: null,
    signal: abort.signal,
  };
  let written = '';
  let usage = null;
  for await (const event of engine.think(request)) {
    if (event.kind === 'piece') written += event.text;
    if (event.kind === 'usage') usage = event;
  }
  return { written: written.trim(), usage };
}

async function hear(engine: SttEngine) {
  const { channels, rateHz } = readWav(walker('miller-asks'));
  const { fromMs, toMs, text } = truth('miller-asks')[1]!;
  const samples = toPcm16(
    channels[0]!.slice(samplesOfMs(fromMs - 200, rateHz), samplesOfMs(toMs + 200, rateHz)),
  );
  const stream = engine.open({ language: 'en', profile: null, talk: 'test', stay: null, signal: never() });
  for (let at = 0; at < samples.length; at += 1_600) stream.push(samples.slice(at, at + 1_600));
  stream.finish();
  const events = [];
  for await (const event of stream.events) events.push(event);
  return { events, said: comparableWords(text) };
}

async function speak(engine: TtsEngine, voice: { name?: string } = {}) {
  const parts = [];
  for await (const part of engine.speak({
    text: 'Supper is at half past six.',
    language: 'en',
    voice,
    stay: null,
    signal: never(),
  }))
    parts.push(part);
  return { ms: parts.reduce((sum, { samples }) => sum + samples.length / 16, 0), words: parts.at(-1)!.words };
}

const panel = (name: string, role: string, kind: string, after = 0) =>
  fetch(`${standins[name]}/faults`, {
    method: 'POST',
    body: JSON.stringify({ role, kind, after, times: 1 }),
  });

describe('the demo’s cards', () => {
  it.each(['alder-mind', 'birch-mind', 'thinker'])(
    '%s writes, counts, and goes on after a beginning',
    async (name) => {
      const engine = open(name) as LlmEngine;
      await engine.warm();
      const { written, usage } = await think(engine);
      expect(written).toBe('Supper at Heron Hut is at 18:30.');
      expect(usage).toMatchObject({ outputTokens: 7 });
      expect((await think(engine, undefined, 'Supper at Heron Hut')).written).toBe('is at 18:30.');
      await engine.close();
    },
  );

  it.each(['alder-ears', 'birch-ears'])(
    '%s hears: provisional words first, then all with their times',
    async (name) => {
      const engine = open(name) as SttEngine;
      await engine.warm();
      const { events, said } = await hear(engine);
      const final = events.at(-1)!;
      expect(final.kind).toBe('final');
      expect(final.words.map(({ word }) => word)).toEqual(said);
      expect(
        final.words.every(
          ({ fromMs, toMs }, i) =>
            fromMs >= (final.words[i - 1]?.fromMs ?? 0) && toMs >= fromMs && toMs < 3_300,
        ),
      ).toBe(true);
      await engine.close();
    },
  );

  it.each(['alder-voice', 'birch-voice', 'espeak'])('%s speaks at the right rate', async (name) => {
    const engine = open(name) as TtsEngine;
    const { ms, words } = await speak(engine);
    expect(ms).toBeGreaterThan(1_300);
    expect(ms).toBeLessThan(2_600);
    if (name === 'birch-voice')
      expect(words!.map(({ word }) => word)).toEqual('Supper is at half past six.'.split(' '));
    await engine.close();
  });

  it('a cancel reaches the engine, on every wire', async () => {
    for (const [name, cloud] of [
      ['alder-mind', 'alder'],
      ['birch-mind', 'birch'],
    ] as const) {
      const engine = open(name) as LlmEngine;
      const abort = new AbortController();
      const seen = async () =>
        (await (await fetch(`${standins[cloud]}/seen`)).json()) as {
          requests: { llm: number };
          cancelled: { llm: number };
        };
      const before = await seen();
      // It is not done by itself before it is cancelled.
      await panel(cloud, 'llm', 'stall');
      const asked = think(engine, 'How many bunks are free at Heron Hut on Saturday?', '', abort);
      await until(async () => (await seen()).requests.llm > before.requests.llm);
      abort.abort();
      await asked;
      await until(async () => (await seen()).cancelled.llm > before.cancelled.llm);
      await engine.close();
    }
  });

  it.each([
    ['alder-mind', 'key', 'engine-key-wrong'],
    ['alder-mind', 'busy', 'engine-busy'],
    ['alder-mind', 'broken', 'engine-down'],
    ['alder-mind', 'garbage', 'engine-garbled'],
    ['birch-mind', 'cut', 'engine-down'],
    ['birch-mind', 'stall', 'engine-late'],
    ['birch-mind', 'busy', 'engine-refused'],
  ])('%s with the fault "%s" is told as %s, without its key', async (name, kind, code) => {
    const soon = kind === 'stall' ? { deadlines: { firstMs: 600, betweenMs: 300 } } : {};
    const engine = open(name, (card) => ({ ...card, ...soon })) as LlmEngine;
    await panel(name.split('-')[0]!, 'llm', kind);
    const fault = await think(engine).then(
      () => null,
      (error: unknown) => error,
    );
    expect(fault).toMatchObject({ code });
    expect(String(fault)).not.toContain(KEY);
    await engine.close();
  });

  it.each(['alder-ears', 'birch-ears'])('%s that stalls is late, and one that cuts is down', async (name) => {
    for (const [kind, code, firstMs] of [
      ['stall', 'engine-late', 400],
      ['cut', 'engine-down', 50_000],
    ] as const) {
      const engine = open(name, (card) => ({ ...card, deadlines: { firstMs } })) as SttEngine;
      await panel(name.split('-')[0]!, 'stt', kind, 1);
      await expect(hear(engine)).rejects.toMatchObject({ code });
      await engine.close();
    }
  });

  it('a key that is not set, or wrong, is told before anybody waits', async () => {
    await expect(open('alder-ears', undefined, '').warm()).rejects.toMatchObject({
      code: 'engine-key-missing',
      detail: expect.stringContaining('ALDER_KEY'),
    });
    await expect(open('alder-ears', undefined, 'wrong').warm()).rejects.toMatchObject({
      code: 'engine-key-wrong',
    });
  });
});

describe('a server that misbehaves', () => {
  let server: Server;
  let address: string;
  const answeredOn = new Set<Socket>();
  let hungUp = 0;
  beforeAll(async () => {
    server = createServer((request, response) => {
      request.resume();
      const big = Buffer.alloc(1_000_000, 'x');
      if (request.url === '/flood') {
        const more = (): void => void (response.closed || response.write(big, () => setImmediate(more)));
        return more();
      }
      if (request.url === '/endless') {
        const more = (): void =>
          void (
            response.closed ||
            response.write('{"say":"again and again and again and again "}\n'.repeat(200), () =>
              setImmediate(more),
            )
          );
        return more();
      }
      if (request.url === '/kept') {
        // It hangs up on a connection that it had kept.
        if (answeredOn.has(request.socket)) return void (hungUp++, request.socket.destroy());
        answeredOn.add(request.socket);
        return void response.end('{"say":"Hello"}\n{"finished":{"read":1,"wrote":1}}\n');
      }
      if (request.url === '/binary') return void response.end(Buffer.from([0, 255, 254, 10, 1, 2, 10]));
      if (request.url === '/other') return void response.end('{"answer":"hello"}\n');
      if (request.url === '/torn')
        return void (
          response.write('{"say":"Hel'),
          setImmediate(() => response.end('lo"}\n{"finished":{"read":1,"wrote":1}}\n'))
        );
      response.socket!.destroy();
    });
    const sockets = new WebSocketServer({ server });
    sockets.on('connection', (socket, request) => {
      socket.on('error', () => undefined);
      if (request.url === '/flood') socket.on('message', () => socket.send(Buffer.alloc(50_000_000)));
      else if (request.url === '/binary') socket.on('message', () => socket.send(Buffer.from([1, 2, 3])));
      else socket.close();
    });
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
    address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  });
  afterAll(() => (server.closeAllConnections(), new Promise((done) => server.close(done))));

  it.each([
    ['http', 'flood', 'engine-garbled', /bytes at once/],
    ['http', 'endless', 'engine-garbled', /does not end/],
    ['http', 'binary', 'engine-garbled', /not JSON/],
    ['http', 'other', 'engine-garbled', /none of 1 messages fits.*"answer"/],
    ['http', 'nothing', 'engine-down', /cut the connection/],
    ['socket', 'flood', 'engine-garbled', /Max payload/],
    ['socket', 'binary', 'engine-garbled', /bytes where its card says text/],
    ['socket', 'nothing', 'engine-down', /cut the connection/],
  ])('%s, %s: %s', async (wire, path, code, words) => {
    const form = wire === 'http' ? 'lines' : 'messages';
    const card = (from: Record<string, unknown>) => ({
      ...from,
      wire,
      address: `${address}/${path}`,
      receive: { ...(from.receive as object), form },
    });
    const engine = open('thinker', card) as LlmEngine;
    const fault = await think(engine).then(
      () => null,
      (error: unknown) => error,
    );
    expect(fault).toMatchObject({ code, detail: expect.stringMatching(words) });
    await engine.close();
  });

  it('lines may be torn anywhere', async () => {
    const engine = open('thinker', (card) => ({ ...card, address: `${address}/torn` })) as LlmEngine;
    expect((await think(engine)).written).toBe('Hello');
    await engine.close();
  });

  it('a connection that was kept and is gone is opened anew', async () => {
    const engine = open('thinker', (card) => ({ ...card, address: `${address}/kept` })) as LlmEngine;
    for (let i = 0; i < 3; i++) expect((await think(engine)).written).toBe('Hello');
    expect([answeredOn.size, hungUp]).toEqual([3, 1]);
    await engine.close();
  });

  it('a program that is not there is named', async () => {
    const engine = open('espeak', (card) => ({ ...card, command: ['no-such-program'] })) as TtsEngine;
    await expect(speak(engine)).rejects.toMatchObject({
      code: 'engine-down',
      detail: expect.stringContaining('no-such-program'),
    });
  });
});
