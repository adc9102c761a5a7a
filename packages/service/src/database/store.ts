/** The database of a service: connected, migrated, with one end to write and one to read. */
import { fileURLToPath } from 'node:url';
import { sql } from 'drizzle-orm';
import { drizzle } from 'drizzle-orm/node-postgres';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import pg from 'pg';
import type { Logger } from 'pino';
import { ProblemError } from '../problems/problems.js';
import { AccessStore } from './access-store.js';
import { TryoutStore } from './tryout-store.js';
import { causeOf, Connections, isAway } from './connection.js';
import { Keeper, type KeeperOptions } from './keeper.js';
import { Reader } from './reader.js';
import { MessageStore } from './message-store.js';
import { RunStore } from './run-store.js';

/** Between two looks whether the database answers, in ms; an answer that takes longer is none. */
const LOOK_EVERY_MS = 1_000;
const LOOK_PATIENCE_MS = 2_000;
const CONNECT_PATIENCE_MS = 10_000;
/** Any number that nobody else takes. */
const MIGRATION_LOCK = 7_464_001;

export interface Store {
  /** Where the database is. */
  url: string;
  keeper: Keeper;
  reader: Reader;
  tryouts: TryoutStore;
  runs: RunStore;
  access: AccessStore;
  /** Messages of the service with this id. */
  messages(service: string): MessageStore;
  /** Why nothing can be stored or read just now; null when it can. */
  trouble(): string | null;
  close(): Promise<void>;
}

/** @throws ProblemError `database-not-starting` for one that cannot be used */
export async function openStore(url: string, log: Logger, behind?: KeeperOptions['behind']): Promise<Store> {
  const connections = new Connections(url, log);
  const { db } = connections;
  try {
    await bringUpToDate(url);
  } catch (error) {
    await connections.close();
    throw new ProblemError('database-not-starting', causeOf(error));
  }
  const keeper = new Keeper({ connections, log, ...(behind ? { behind } : {}) });
  const look = new Look(async () => void (await db.execute(sql`select 1`)));
  return {
    url,
    keeper,
    reader: new Reader(db),
    tryouts: new TryoutStore(connections),
    runs: new RunStore(connections),
    access: new AccessStore(connections),
    messages: (service) => new MessageStore(connections, service),
    trouble: () => look.trouble ?? keeper.trouble(),
    close: async () => {
      look.stop();
      await keeper.close();
      await connections.close();
    },
  };
}

/** @throws ProblemError `database-away` where only the database hinders */
export async function asked<T>(ask: () => Promise<T>): Promise<T> {
  try {
    return await ask();
  } catch (error) {
    throw isAway(error) ? new ProblemError('database-away', causeOf(error)) : error;
  }
}

/** Changes of the tables take as long as they take, and one service makes them at a time. */
export async function bringUpToDate(url: string): Promise<void> {
  const client = new pg.Client({ connectionString: url, connectionTimeoutMillis: CONNECT_PATIENCE_MS });
  client.on('error', () => undefined);
  await client.connect();
  try {
    await client.query('select pg_advisory_lock($1)', [MIGRATION_LOCK]);
    const migrationsFolder = fileURLToPath(new URL('../../migrations', import.meta.url));
    await migrate(drizzle(client), { migrationsFolder });
  } finally {
    // The lock goes with the connection.
    await client.end();
  }
}

/** Asks again and again, so that whoever wants to know need not wait. */
class Look {
  trouble: string | null = null;
  private askedMs: number | null = null;
  private readonly timer: NodeJS.Timeout;

  constructor(private readonly ask: () => Promise<void>) {
    this.timer = setInterval(() => this.again(), LOOK_EVERY_MS);
  }

  stop(): void {
    clearInterval(this.timer);
  }

  private again(): void {
    if (this.askedMs !== null) {
      if (performance.now() - this.askedMs > LOOK_PATIENCE_MS) this.trouble = 'the database does not answer';
      return;
    }
    this.askedMs = performance.now();
    this.ask()
      .then(
        () => (this.trouble = null),
        (error: unknown) => (this.trouble = `the database does not answer: ${causeOf(error)}`),
      )
      .finally(() => (this.askedMs = null));
  }
}
