/** The database, where it goes away at the worst moment. */
import { expect, it } from '@jest/globals';
import { randomUUID } from 'node:crypto';
import { rmSync } from 'node:fs';
import pg from 'pg';
import { pino } from 'pino';
import { startCluster } from '../../src/database/cluster.js';
import { openStore } from '../../src/database/store.js';
import { freshFolder, until } from '../../../../testing/service.js';

it('a server that is stopped during a transaction takes no service with it, and no row is lost', async () => {
  const folder = freshFolder();
  const cluster = await startCluster(folder);
  const store = await openStore(cluster.url, pino({ level: 'silent' }));
  const holder = new pg.Client(cluster.url);
  holder.on('error', () => undefined);
  await holder.connect();
  await holder.query('begin; lock table turns');
  const id = randomUUID();
  const row = { service: 'test', assistant: null, line: 'web', recorded: true, startedAt: new Date() };
  store.keeper.conversation({ ...row, id });
  store.keeper.turn({ conversation: id, report: {} as never });
  await until(async () => {
    const waiting = await holder.query('select from pg_locks where not granted');
    return waiting.rowCount === 1;
  });
  process.kill(cluster.pid()!, 'SIGINT');
  await until(async () => (await store.reader.list(10, 0)).length > 0);
  expect(await store.reader.list(10, 0)).toMatchObject([{ id, turns: 1 }]);
  await store.close();
  await cluster.stop();
  rmSync(folder, { recursive: true });
});

it('corrections and ratings that come at the same time are all kept, each once', async () => {
  const folder = freshFolder();
  const cluster = await startCluster(folder);
  const store = await openStore(cluster.url, pino({ level: 'silent' }));
  const conversation = randomUUID();
  const texts = Array.from({ length: 20 }, (_, i) => `what was said ${i}`);
  await Promise.all(texts.map((text) => store.tryouts.correct(conversation, 1, text)));
  const kept = await store.tryouts.corrections(conversation);
  expect(kept).toHaveLength(1);
  expect(texts).toContain(kept[0]!.text);

  const id = randomUUID();
  const items = texts.map((item) => ({ item, rating: null }));
  await store.tryouts.add({
    id,
    at: new Date().toISOString(),
    role: 'tts',
    engines: [{ engine: 'voice', items }],
  } as never);
  await Promise.all(texts.map((item, i) => store.tryouts.rate(id, 'voice', item, 1 + (i % 5))));
  const rated = (await store.tryouts.one(id)).engines[0]!.items.map(({ rating }) => rating);
  expect(rated).toEqual(texts.map((_, i) => 1 + (i % 5)));
  await store.close();
  await cluster.stop();
  rmSync(folder, { recursive: true });
});

it('what was being written when somebody reads stands in what is read', async () => {
  const folder = freshFolder();
  const cluster = await startCluster(folder);
  const store = await openStore(cluster.url, pino({ level: 'silent' }));
  const holder = new pg.Client(cluster.url);
  await holder.connect();
  const id = randomUUID();
  const run = {
    id,
    conversation: id,
    run: 1,
    errand: 'tell',
    assistant: 'tansy',
    slots: {},
    service: 'test',
  };
  const entry = {
    at: new Date(),
    who: 'owner',
    address: '192.0.2.7',
    what: 'signIn',
    about: '',
    status: 200,
  };
  await store.runs.begin(run);
  // Whoever writes waits, whoever reads does not.
  await holder.query('begin; lock table audit, runs in exclusive mode');
  void store.access.note(entry);
  void store.runs.end(id, { ending: 'done', given: {} });
  void store.runs.note({ ...run, id: `${id}-2`, run: 2, state: 'cancelled' });
  await until(async () => (await holder.query('select from pg_locks where not granted')).rowCount === 3);
  const read = Promise.all([store.access.audit(10), store.runs.list({ most: 10 })]);
  await store.reader.list(10, 0);
  await holder.query('commit');
  const [noted, runs] = await read;
  expect(noted).toMatchObject([entry]);
  expect(runs.map(({ state }) => state).sort()).toEqual(['cancelled', 'done']);
  await holder.end();
  await store.close();
  await cluster.stop();
  rmSync(folder, { recursive: true });
});
