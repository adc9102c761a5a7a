/** Code of a project between the stages: whatever it does, the talk goes on without it. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { mkdirSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { pino } from 'pino';
import { OwnStages, StageWorkers } from '@verbalon/service';
import { freshFolder } from '../../../../testing/service.js';

const folder = freshFolder();
const log = pino({ level: 'silent' });
const workers = new StageWorkers(log);

/** What modules do that are called with a text; what they give back where that is not the text as it was. */
const MODULES: [string, string, string?][] = [
  ['rewrites', 'export const spoken = ({ text }) => ({ text: text.toUpperCase() });', 'HELLO'],
  ['throws null', 'export const spoken = () => { throw null; };'],
  [
    'throws late',
    'export const spoken = () => { setTimeout(() => { throw new Error("late"); }, 1); return new Promise(() => {}); };',
  ],
  [
    'forgets a rejection',
    'export const spoken = () => { Promise.reject(new Error("forgotten")); return new Promise(() => {}); };',
  ],
  ['never ends', 'export const spoken = () => { for (;;); };'],
  ['never answers', 'export const spoken = () => new Promise(() => {});'],
  ['ends the process', 'export const spoken = () => process.exit(3);'],
  [
    'takes all memory',
    'export const spoken = () => { const all = []; for (;;) all.push(new Array(1e6).fill({})); };',
  ],
  ['gives back what is no text', 'export const spoken = () => ({ text: 7 });'],
  ['gives back a function', 'export const spoken = () => ({ text: () => 1 });'],
  ['gives back nothing', 'export const spoken = () => undefined;'],
  ['is no JavaScript', 'export const = ;'],
  ['lacks the function', 'export const heard = () => ({});'],
  ['fails when it is loaded', 'throw undefined;'],
  [
    'looks for keys',
    'export const spoken = () => ({ text: process.env.VERBALON_TEST_KEY ?? "none" });',
    'none',
  ],
];

beforeAll(() => {
  process.env.VERBALON_TEST_KEY = 'a-key-for-nobody';
  mkdirSync(join(folder, 'stages'));
  for (const [name, source] of MODULES)
    writeFileSync(join(folder, 'stages', `${name.replaceAll(' ', '-')}.mjs`), source);
});
afterAll(() => workers.close());

const staged = (at: string, deadlineMs: number) =>
  new OwnStages({
    talk: 't',
    stages: { spoken: { at, deadlineMs } },
    stay: null,
    folder,
    workers,
    page: null,
    log,
  });

describe('a module that', () => {
  it.each(MODULES)('%s stays where it is', async (name, _source, given = 'hello') => {
    const at = `stages/${name.replaceAll(' ', '-')}.mjs`;
    // One that answers has time enough on a busy machine; one that does not is not waited for.
    const stages = staged(at, given === 'hello' ? 500 : 20_000);
    expect(await stages.spoken('hello')).toBe(given);
    expect(await staged('stages/rewrites.mjs', 20_000).spoken('still here')).toBe('STILL HERE');
  });

  it('ended once is started again with the next call', async () => {
    const path = join(folder, 'stages/sometimes.mjs');
    writeFileSync(
      path,
      'let n = 0; export const spoken = ({ text }) => text === "die" ? process.exit(1) : { text: `${text} ${++n}` };',
    );
    const stages = staged('stages/sometimes.mjs', 20_000);
    expect([await stages.spoken('a'), await stages.spoken('die'), await stages.spoken('b')]).toEqual([
      'a 1',
      'die',
      'b 1',
    ]);
  });

  it('is changed is loaded anew', async () => {
    const path = join(folder, 'stages/changing.mjs');
    writeFileSync(path, 'export const spoken = () => ({ text: "one" });');
    expect(await staged('stages/changing.mjs', 20_000).spoken('x')).toBe('one');
    writeFileSync(path, 'export const spoken = () => ({ text: "two, longer" });');
    expect(await staged('stages/changing.mjs', 20_000).spoken('x')).toBe('two, longer');
  });
});

describe('an endpoint that', () => {
  let server: Server;
  let answer = '';
  beforeAll(async () => {
    server = createServer((_request, response) => response.end(answer)).listen(0, '127.0.0.1');
    await new Promise((done) => server.once('listening', done));
  });
  afterAll(() => void server.close());

  it.each([
    ['answers no JSON', 'hello'],
    ['answers null', 'null'],
    ['answers words that are none', '{"words":[null]}'],
    ['answers far too much', `{"text":"${'x'.repeat(1_100_000)}"}`],
  ])('%s is done without', async (_what, text) => {
    answer = text;
    const at = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
    const words = [{ word: 'hello', fromMs: 0, toMs: 100 }];
    const stages = new OwnStages({
      talk: 't',
      stages: { heard: { at, deadlineMs: 5_000 }, spoken: { at, deadlineMs: 5_000 } },
      stay: null,
      folder,
      workers,
      page: null,
      log,
    });
    expect(await stages.heard(words)).toEqual(words);
    expect(await stages.spoken('hello')).toBe('hello');
  });
});
