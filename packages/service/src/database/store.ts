/** The database of a service: connected, migrated, with one end to write and one to read. */
import { fileURLToPath } from 'node:url';
import { sql } from 'drizzle-orm';
import { drizzle } from 'drizzle-orm/node-postgres';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import pg from 'pg';
import type { Logger } from 'pino';
import { Keeper } from './keeper.js';
import { TryoutStore } from '../tryouts/store.js';
import { Reader } from './reader.js';

const QUERY_PATIENCE_MS = 5_000;

export interface Store {
  keeper: Keeper;
  reader: Reader;
  tryouts: TryoutStore;
  /** Does the database answer? */
  ping(): Promise<boolean>;
  close(): Promise<void>;
}

export async function openStore(url: string, log: Logger): Promise<Store> {
  const pool = new pg.Pool({
    connectionString: url,
    max: 6,
    connectionTimeoutMillis: QUERY_PATIENCE_MS,
    query_timeout: QUERY_PATIENCE_MS,
  });
  // A server that goes away ends its connections, idle or within a transaction; the next query opens new ones.
  pool.on('connect', (client) =>
    client.on('error', (error) => log.warn({ why: error.message }, 'a database connection ended')),
  );
  pool.on('error', () => undefined);
  const db = drizzle(pool);
  await migrate(db, { migrationsFolder: fileURLToPath(new URL('../../migrations', import.meta.url)) });
  const keeper = new Keeper(db, log);
  return {
    keeper,
    reader: new Reader(db),
    tryouts: new TryoutStore(db),
    ping: () =>
      db.execute(sql`select 1`).then(
        () => true,
        () => false,
      ),
    close: async () => {
      await keeper.close();
      await pool.end();
    },
  };
}
