/** Connections to PostgreSQL that are always given back, and that never keep the service from stopping. */
import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres';
import pg from 'pg';
import type { Logger } from 'pino';

/** A query, or a connection, that takes longer has failed, in ms. */
const QUERY_PATIENCE_MS = 5_000;
/** At the end connections are waited for so long; then they are cut, in ms. */
const CLOSE_PATIENCE_MS = 2_000;
const MOST_CONNECTIONS = 6;

export class Connections {
  private readonly pool: pg.Pool;
  private readonly open = new Set<pg.PoolClient>();

  constructor(url: string, log: Logger) {
    this.pool = new pg.Pool({
      connectionString: url,
      max: MOST_CONNECTIONS,
      connectionTimeoutMillis: QUERY_PATIENCE_MS,
      query_timeout: QUERY_PATIENCE_MS,
      keepAlive: true,
    });
    // A server that goes away ends its connections, idle or within a transaction; the next query opens new
    // ones.
    this.pool.on('connect', (client) => {
      this.open.add(client);
      client.on('error', (error) => log.warn({ why: error.message }, 'a database connection ended'));
    });
    this.pool.on('remove', (client) => this.open.delete(client));
    this.pool.on('error', () => undefined);
  }

  get db(): NodePgDatabase {
    return drizzle(this.pool);
  }

  /**
   * All of `work` or nothing. The connection of one that fails is closed: nobody knows what it is still
   * doing.
   */
  async inTransaction<T>(work: (db: NodePgDatabase) => Promise<T>): Promise<T> {
    const client = await this.pool.connect();
    let failed = true;
    try {
      await client.query('begin');
      const result = await work(drizzle(client));
      await client.query('commit');
      failed = false;
      return result;
    } finally {
      client.release(failed);
    }
  }

  async close(): Promise<void> {
    let timer: NodeJS.Timeout | undefined;
    const late = new Promise<void>((done) => (timer = setTimeout(done, CLOSE_PATIENCE_MS)));
    await Promise.race([this.pool.end(), late]);
    clearTimeout(timer);
    for (const client of this.open) socketOf(client)?.destroy();
  }
}

/** pg does not say so in its types: the socket under a connection. */
function socketOf(client: pg.PoolClient): { destroy(): void } | undefined {
  return (client as unknown as { connection?: { stream?: { destroy(): void } } }).connection?.stream;
}

/**
 * Did the database look at what it was sent and refuse it (SQLSTATE classes 22, 23 and 54), or can it not
 * even be sent?
 */
export function isRefusal(error: unknown): boolean {
  for (let one = error; one instanceof Error; one = one.cause) {
    const { code } = one as { code?: unknown };
    if (typeof code === 'string' && /^(?:22|23|54)[0-9A-Z]{3}$/.test(code)) return true;
    if (one instanceof TypeError || one instanceof RangeError) return true;
  }
  return false;
}

/**
 * Is this an error because the database cannot be reached, or does not answer, and not because of what it was
 * asked?
 */
export function isAway(error: unknown): boolean {
  for (let one = error; one instanceof Error; one = one.cause) {
    const { code } = one as { code?: unknown };
    if (typeof code === 'string' && (/^(?:08|53|57|58|XX)/.test(code) || /^E[A-Z]+$/.test(code))) return true;
    if (/timeout|terminated|not queryable|Connection ended/i.test(one.message)) return true;
  }
  return false;
}

/** The innermost reason, in the words of whoever gave it. */
export function causeOf(error: unknown): string {
  let one = error;
  while (one instanceof Error && one.cause instanceof Error) one = one.cause;
  return one instanceof Error ? one.message || 'the connection was refused' : String(one);
}
