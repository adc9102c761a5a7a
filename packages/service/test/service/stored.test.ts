/** Storing: what the database refuses, answers late or not at all, and what is lost then is told truly. */
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import { randomBytes, randomUUID } from 'node:crypto';
import { closeSync, openSync, rmSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { Writable } from 'node:stream';
import pg from 'pg';
import { pino } from 'pino';
import { DatabaseProxy, smallDisk } from '@verbalon/hostile';
import { startCluster, type Cluster } from '../../src/database/cluster.js';
import { openStore, type Store } from '../../src/database/store.js';
import { Waiting } from '../../src/database/waiting.js';
import { freshFolder, until } from '../../../../testing/service.js';

const folder = freshFolder();
let cluster: Cluster;
let proxy: DatabaseProxy;
let store: Store;
let behind: (Date | null)[] = [];
let logged = '';

const log = pino(
  { level: 'info' },
  new Writable({
    write(chunk: Buffer, _encoding, done) {
      logged += chunk.toString();
      done();
    },
  }),
);

beforeAll(async () => {
  cluster = await startCluster(folder);
});
afterAll(async () => {
  await cluster.stop();
  rmSync(folder, { recursive: true, force: true });
});
beforeEach(async () => {
  logged = '';
  behind = [];
  proxy = await DatabaseProxy.open(cluster.url);
  store = await openStore(proxy.url, log, (since) => behind.push(since));
});
afterEach(async () => {
  proxy.goOn();
  await store.close();
  await proxy.close();
});

const talk = () => ({
  id: randomUUID(),
  service: 'test',
  assistant: null,
  line: 'web',
  recorded: true,
  startedAt: new Date(),
});
const turn = (conversation: string) => ({ conversation, report: {} as never });
const USE = {
  assistant: 'a',
  turn: 1,
  role: 'llm' as const,
  engine: 'e',
  audioMs: 0,
  characters: 0,
  tokensIn: 0,
  tokensOut: 0,
  requests: 1,
  cost: null,
  currency: null,
  waste: null,
  saved: 0,
};
const use = (conversation: string, changes = {}) => ({ ...USE, conversation, at: new Date(), ...changes });

async function count(table: string, conversation: string): Promise<number> {
  const client = new pg.Client(cluster.url);
  await client.connect();
  const { rows } = await client.query<{ n: number }>(
    `select count(*)::int as n from ${table} where conversation = $1`,
    [conversation],
  );
  await client.end();
  return rows[0]!.n;
}

describe('a row that the database refuses', () => {
  it.each([
    ['half a token', { tokensIn: 1.5 }],
    ['more tokens than an integer holds', { tokensOut: 2 ** 40 }],
    ['a time that is none', { at: new Date(Number.NaN) }],
    ['a NUL in a name', { engine: 'a\0b' }],
  ])('(%s) is set aside and told; all others are stored', async (_what, wrong) => {
    const one = talk();
    store.keeper.conversation(one);
    for (let i = 0; i < 5; i++) store.keeper.use(use(one.id, i === 2 ? wrong : {}));
    store.keeper.turn(turn(one.id));
    await store.keeper.flush();
    expect([await count('uses', one.id), await count('turns', one.id)]).toEqual([4, 1]);
    expect(logged).toContain('the database refuses a row');
    expect(store.trouble()).toBeNull();
    expect((await store.reader.one(one.id)).gaps).toMatchObject([
      { what: expect.stringContaining('refused') },
    ]);
  });
});

describe('a database that is slow or away', () => {
  it('stalls that are longer than a query is waited for, one after the other, leak no connection; everything is stored after them', async () => {
    const one = talk();
    store.keeper.conversation(one);
    for (let i = 0; i < 2; i++) {
      const before = behind.length;
      proxy.stall();
      store.keeper.turn(turn(one.id));
      // Until a query was waited for in vain.
      await until(() => behind.length > before);
      proxy.goOn();
      await until(() => behind.at(-1) === null);
    }
    await store.keeper.flush();
    expect(await count('turns', one.id)).toBe(2);
    expect(proxy.connections).toBeLessThanOrEqual(6);
    expect(store.trouble()).toBeNull();
  });

  it('a COMMIT whose answer is lost is found out, and nothing is written twice', async () => {
    const one = talk();
    store.keeper.conversation(one);
    await store.keeper.flush();
    for (let i = 0; i < 3; i++) {
      const lost = proxy.loseCommit();
      store.keeper.turn(turn(one.id));
      await lost;
    }
    await until(async () => (await count('turns', one.id)) >= 3);
    await store.keeper.flush();
    expect(await count('turns', one.id)).toBe(3);
  });

  it('more than 4,369 uses that waited are written', async () => {
    const one = talk();
    store.keeper.conversation(one);
    proxy.stall();
    for (let i = 0; i < 10_000; i++) store.keeper.use(use(one.id));
    proxy.goOn();
    await until(async () => (await count('uses', one.id)) === 10_000);
  });

  it('stopping is bounded in time, and what is lost then is told', async () => {
    proxy.stall();
    for (let i = 0; i < 7; i++) store.keeper.turn(turn(randomUUID()));
    await store.close();
    expect(logged).toMatch(/"rows":7.*what waited to be stored is lost/);
    expect(behind.filter((since) => since !== null)).toHaveLength(1);
    proxy.goOn();
    store = await openStore(proxy.url, log);
  });

  it('says on a conversation what is missing: up to 250 ms, or all since the database was away', async () => {
    for (const since of [null, new Date('2026-11-25T14:03:12Z')]) {
      const one = talk();
      store.keeper.conversation(one);
      await store.keeper.flush();
      await store.reader.markCutOff('test', since);
      const { ending } = await store.reader.one(one.id);
      expect(ending).toContain(
        since === null ? 'up to 250 ms may be missing' : 'what came after 2026-11-25T14:03:12',
      );
    }
  });
});

describe('the sound of a talk', () => {
  it('is read as far as it is asked for, whatever the range', async () => {
    const one = talk();
    store.keeper.conversation(one);
    const samples = Int16Array.from({ length: 16_000 }, (_, i) => i % 1_000);
    for (let second = 0; second < 45; second++) {
      const side = second % 2 === 0 ? 'caller' : 'assistant';
      store.keeper.audio(one.id, side, second * 16_000, Buffer.from(samples.buffer));
    }
    await store.keeper.flush();
    const sound = await store.reader.sound(one.id);
    const length = await sound.length();
    expect(length).toBe(45 * 16_000);
    const read = async (from: number, to: number) => {
      const parts: Buffer[] = [];
      for await (const part of sound.wav(length, from, to)) parts.push(part);
      return Buffer.concat(parts);
    };
    const whole = await read(0, 44 + length * 4);
    expect(whole.length).toBe(44 + length * 4);
    expect(whole.toString('latin1', 0, 4)).toBe('RIFF');
    // One second each in turn: left, right.
    expect([whole.readInt16LE(44 + 500 * 4), whole.readInt16LE(44 + 500 * 4 + 2)]).toEqual([500, 0]);
    expect([whole.readInt16LE(44 + 16_500 * 4), whole.readInt16LE(44 + 16_500 * 4 + 2)]).toEqual([0, 500]);
    for (const [from, to] of [
      [0, 10],
      [40, 50],
      [45, 47],
      [1_280_041, 1_280_047],
      [whole.length - 3, whole.length],
    ] as const)
      expect((await read(from, to)).equals(whole.subarray(from, to))).toBe(true);
  });
});

describe('what waits', () => {
  it('is bounded: the oldest sound gives way, and is marked as a gap', () => {
    const waiting = new Waiting();
    const samples = Buffer.alloc(1024 * 1024);
    for (let i = 0; i < 80; i++)
      waiting.sound({ conversation: 'c', side: 'caller', firstSample: i * 524_288 }, samples);
    const first = waiting.take();
    expect(first.audio[0]!.firstSample).toBe(16 * 524_288);
    expect(first.audio).toHaveLength(8);
    let gaps: unknown[] = [];
    for (let rows = first; gaps.length === 0; rows = waiting.take()) gaps = rows.gaps;
    expect(gaps).toEqual([{ conversation: 'c', what: 'caller sound', fromMs: 0, toMs: 16 * 32_768 }]);
  });
});

describe('a disk that is full', () => {
  const disk = freshFolder();
  // Only root can make one; elsewhere there is nothing to be tried.
  const remove = smallDisk(disk, 150);
  afterAll(() => remove?.());

  (remove ? it : it.skip)('keeps rows waiting until there is room again; none is lost', async () => {
    const own = await startCluster(disk);
    const kept = await openStore(own.url, log);
    const one = talk();
    kept.keeper.conversation(one);
    await kept.keeper.flush();
    const filler = join(disk, 'filler');
    fill(filler);
    const samples = randomBytes(100_000);
    let rows = 0;
    const write = () => kept.keeper.audio(one.id, 'caller', 50_000 * rows++, samples);
    await until(() => {
      write();
      return kept.trouble() !== null;
    });
    rmSync(filler);
    await until(() => kept.trouble() === null);
    await kept.keeper.flush();
    expect(await (await kept.reader.sound(one.id)).length()).toBe(50_000 * rows);
    await kept.close();
    await own.stop();
  });

  /** Until nothing more goes onto the disk. */
  function fill(file: string): void {
    const block = Buffer.alloc(256 * 1024);
    const handle = openSync(file, 'w');
    try {
      for (;;) writeSync(handle, block);
    } catch {
      closeSync(handle);
    }
  }
});
