/**
 * Strangers, by a seed, against a started service with a telephone and a key: what they send must end, slow
 * and open nothing.
 */
import { createSocket, type Socket } from 'node:dgram';
import { once } from 'node:events';
import { readFileSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { HttpClient, lineAddress } from '@verbalon/client';
import { callWithRecording, TypedTalk } from '@verbalon/client/node';
import { percentile, seeded } from '@verbalon/core';
import { WebSocket } from 'ws';
import { setTimeout as pause } from 'node:timers/promises';
import { below, pick } from '../common/mutated.js';
import { ServiceUnderFire, type UnderFireOptions } from '../common/service-under-fire.js';
import { Flood } from './flood.js';
import { hostilePacket, hostileSip } from './hostile-telephone.js';
import { strangerRequest, type StrangerRequest } from './stranger-request.js';

export interface StrangersSize {
  seed: number;
  /** Of SIP, descriptions and sound. */
  telephone: number;
  requests: number;
  /** Values of slots that would lead elsewhere in an address. */
  values: number;
  /** Of the flooder. */
  floods: number;
  /** Of good people beside it, two at a time; as many again while the flood is thrown away. */
  good: number;
}

export interface StrangersResult {
  crashes: number;
  telephone: { sent: number; answered: number };
  /** `opened` are the paths that gave something to somebody without a key. */
  requests: { sent: number; refused: number; opened: string[] };
  values: { said: number; done: number; elsewhere: number };
  /**
   * Gaps of good people, the median in ms, and how many turns there were: beside the flood, and while it was
   * thrown away.
   */
  flood: { talks: number; sent: number; beside: number[]; thrownAway: number[] };
  /** How long health was waited for, by part, in ms. */
  health: Record<string, { n: number; p99: number; worst: number }>;
}

const SOUND = { from: 24_000, to: 24_039 };
const PACKETS_A_TICK = 8;
const TICK_MS = 20;
/** Where who may ring is, and who may not. */
const SENDERS = ['127.0.0.1', '127.0.0.9'];
const REQUESTS_AT_ONCE = 8;
/** An address may ask 100 times a second: more would only be told to come again. */
const REQUEST_EVERY_MS = 95;
const VALUES = [
  '..',
  '.',
  '%2e%2e',
  '..%2f..',
  '/..',
  '../../admin',
  '?q=1',
  '#',
  'a/b',
  '%',
  '%00',
  '\\..\\',
  '．．',
  '..;/x',
  '\u2025',
  'a@b:1/',
  '//evil.example',
  ' .. ',
] as const;

/** @param done is told of each part that is over */
export async function strangersCampaign(
  size: StrangersSize,
  options: UnderFireOptions,
  done: (what: string) => void = () => undefined,
): Promise<StrangersResult> {
  const office = await Office.open();
  const change = (folder: string) => makeProject(folder, office.address);
  const service = await ServiceUnderFire.start({ ...options, change });
  const open = new HttpClient(service.address);
  const { key: ownerKey } = await open.makeKey({ name: 'owner', scopes: ['talk', 'read', 'manage'] });
  const owner = new HttpClient(service.address, ownerKey);
  const { key: flooder } = await owner.makeKey({ name: 'flooder', scopes: ['talk'] });
  const health: StrangersResult['health'] = {};
  const part = async <T>(what: string, run: () => Promise<T>): Promise<T> => {
    service.healthMs.length = 0;
    const found = await run();
    health[what] = spreadOf(service.healthMs);
    done(what);
    return found;
  };
  const telephone = await part('telephone', () => telephoneOf(owner, size));
  const requests = await part('requests', () => requestsOf(service, size));
  const values = await part('values', () => valuesOf(service, ownerKey, office, size));
  const keys = { owner: ownerKey, flooder };
  const { waited, ...flood } = await part('flood', () => floodOf(service, options.root, keys, size));
  health.flood = spreadOf(waited.beside);
  health['flood, thrown away'] = spreadOf(waited.thrownAway);
  const { crashes } = service;
  await service.stop();
  await office.close();
  return { crashes, telephone, requests, values, flood, health };
}

const spreadOf = (all: readonly number[]) => ({
  n: all.length,
  p99: percentile(all, 0.99),
  worst: Math.max(0, ...all),
});

function makeProject(folder: string, office: string): void {
  const path = join(folder, 'project.yaml');
  const text = readFileSync(path, 'utf8').replace(
    /^phone:\n(?: .*\n)*/m,
    `phone:\n  port: 0\n  sound: { from: ${SOUND.from}, to: ${SOUND.to} }\n  numbers: { '*': books }\n  peers: ['${SENDERS[0]}']\n  callsAtOnce: 4\n  silentS: 2\n`,
  );
  writeFileSync(path, text);
  const about =
    'language: en\npersona: You answer.\nlineup: { stt: ears, llm: echo, tts: voice }\nmanners: { speaksFirst: caller }\n';
  writeFileSync(join(folder, 'assistants/books.yaml'), `title: Books\n${about}errands: [book-bunks]\n`);
  writeFileSync(join(folder, 'assistants/notes.yaml'), `title: Notes\n${about}errands: [note]\n`);
  writeFileSync(join(folder, 'assistants/good.yaml'), `title: Good\n${about}`);
  writeFileSync(
    join(folder, 'errands/note.yaml'),
    `title: take a note\nabout: Takes a note.\nbegins: [take a note]\nslots:\n  text: { kind: text, ask: What shall I note? }\nreadBack: false\ndoes:\n  http: { to: '${office}/notes/{text}', mayRepeat: true }\nsays: { done: It is noted. }\n`,
  );
}

/** Where notes are to be taken: it counts what came, and what came elsewhere. */
class Office {
  done = 0;
  elsewhere = 0;

  private constructor(private readonly server: ReturnType<typeof createServer>) {
    server.on('request', (request, response) => {
      if (/^\/notes\/[^/?#]+$/.test(request.url ?? '') && !/\/\.{1,2}$/.test(request.url!)) this.done++;
      else this.elsewhere++;
      response.setHeader('content-type', 'application/json').end('{}');
    });
  }

  static async open(): Promise<Office> {
    const server = createServer().listen(0, '127.0.0.1');
    await once(server, 'listening');
    return new Office(server);
  }

  get address(): string {
    return `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }

  close(): Promise<unknown> {
    return new Promise((done) => this.server.close(done));
  }
}

async function telephoneOf(owner: HttpClient, { telephone, seed }: StrangersSize) {
  const to = (await owner.telephone.view()).address!.replace('sip:', '');
  const [host, port] = to.split(':') as [string, string];
  const sockets: Socket[] = [];
  let answered = 0;
  for (const address of SENDERS) {
    const socket = createSocket('udp4');
    socket.on('message', () => answered++);
    socket.on('error', () => undefined);
    socket.bind(0, address);
    await once(socket, 'listening');
    sockets.push(socket);
  }
  const random = seeded(seed);
  for (let sent = 0; sent < telephone;) {
    for (let i = 0; i < PACKETS_A_TICK && sent < telephone; i++, sent++) {
      const socket = pick(random, sockets);
      const { address, port: own } = socket.address();
      const one = seed * 1_000_003 + sent;
      if (random() < 0.6) socket.send(hostileSip(one, to, `${address}:${own}`), Number(port), host);
      else socket.send(hostilePacket(one), SOUND.from + below(random, SOUND.to - SOUND.from + 1), host);
    }
    await pause(TICK_MS);
  }
  for (const socket of sockets) socket.close();
  return { sent: telephone, answered };
}

async function requestsOf(service: ServiceUnderFire, { requests, seed }: StrangersSize) {
  let next = 0;
  const found = { sent: requests, refused: 0, opened: [] as string[] };
  const row = async () => {
    while (next < requests) {
      const one = next++;
      const asked = strangerRequest(seed * 104_729 + one);
      const status = one % 10 === 0 ? await knock(service.address) : await ask(service.address, asked);
      await pause(REQUEST_EVERY_MS);
      if (status === 0 || status >= 400) found.refused++;
      else if (!found.opened.includes(asked.path)) found.opened.push(asked.path);
    }
  };
  await Promise.all(Array.from({ length: REQUESTS_AT_ONCE }, row));
  return found;
}

async function ask(address: string, { path, init }: StrangerRequest): Promise<number> {
  try {
    const answer = await fetch(address + path, { ...init, signal: AbortSignal.timeout(30_000) });
    await answer.text();
    return answer.status;
  } catch {
    // A body that is not taken ends the connection.
    return 0;
  }
}

/** Whoever comes to the socket without a key is let in to nothing. */
function knock(address: string): Promise<number> {
  const socket = new WebSocket(lineAddress(address));
  socket.on('error', () => undefined);
  return new Promise((done) => {
    const give = (status: number) => (socket.terminate(), done(status));
    socket.on('unexpected-response', (_, { statusCode = 0 }) => give(statusCode));
    socket.on('open', () =>
      socket.send('{"kind":"arrive","line":"web","audio":{"encoding":"s16le","rateHz":16000}}'),
    );
    socket.on('message', (data: Buffer) => give(data.toString().includes('"admitted"') ? 200 : 401));
    socket.on('close', () => done(0));
  });
}

async function valuesOf(
  service: ServiceUnderFire,
  key: string,
  office: Office,
  { values, seed }: StrangersSize,
) {
  const random = seeded(seed + 1);
  for (let i = 0; i < values; i++) {
    const talk = await TypedTalk.begin(service.address, 'notes', { key });
    await talk.says('take a note');
    await talk.says(pick(random, VALUES));
    talk.leave();
  }
  return { said: values, done: office.done, elsewhere: office.elsewhere };
}

async function floodOf(
  service: ServiceUnderFire,
  root: string,
  keys: { owner: string; flooder: string },
  { floods, good, seed }: StrangersSize,
) {
  const sink = new Worker(new URL('./sink.js', import.meta.url));
  const [thrownTo] = (await once(sink, 'message')) as [string];
  const recording = readFileSync(join(root, 'demo/recordings/miller-asks.wav'));
  const gaps = { beside: [] as number[], thrownAway: [] as number[] };
  const waited = { beside: [] as number[], thrownAway: [] as number[] };
  const onService = new Flood({ address: service.address, key: keys.flooder }, seed);
  const goodTalk = async (to: number[]) => {
    const { reports } = await callWithRecording({
      address: service.address,
      key: keys.owner,
      assistant: 'good',
      recording,
    });
    for (const { gap } of reports) if (gap) to.push(gap.ms);
  };
  const pair = (to: number[]) => (good === 0 ? [] : [goodTalk(to), goodTalk(to)]);
  const rounds = Math.max(1, Math.ceil(good / 2));
  const share = Math.ceil(floods / rounds);
  const together = async (how: 'beside' | 'thrownAway', flood: Flood) => {
    service.healthMs.length = 0;
    await Promise.all([flood.talksOf(share), ...pair(gaps[how])]);
    waited[how].push(...service.healthMs);
  };
  for (let i = 0; i < rounds; i++) {
    await together('thrownAway', new Flood({ address: thrownTo }, seed));
    await together('beside', onService);
  }
  await sink.terminate();
  return { talks: onService.talks, sent: onService.sent, ...gaps, waited };
}
