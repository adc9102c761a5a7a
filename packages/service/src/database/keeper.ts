/**
 * Keeps what happens in talks, at most a quarter of a second behind: batches of rows, each written once and
 * whole. A batch has an id that is written with it: one whose COMMIT was not answered is found out by it and
 * not written twice. A row that the database refuses is set aside and told; the others go on. While the
 * database is away rows wait in bounded memory.
 */
import { randomUUID } from 'node:crypto';
import { eq, lt, sql } from 'drizzle-orm';
import type { NodePgDatabase } from 'drizzle-orm/node-postgres';
import type { Logger } from 'pino';
import { JOURNAL_VERSION } from '@verbalon/core';
import { causeOf, isRefusal, type Connections } from './connection.js';
import { insertRows } from './insert-rows.js';
import * as tables from './schema.js';
import { countOf, Json, KEPT_TABLES, noRows, stretchOf, Waiting, type Rows } from './waiting.js';

const BATCH_MS = 200;
/**
 * Ids of batches are of use as long as their COMMIT may still be unanswered; every so often the older ones
 * go.
 */
const BATCH_IDS_KEPT = sql`now() - interval '1 hour'`;
const CLEAN_EVERY_BATCHES = 2_000;
/** At the end rows are waited for so long, in ms. */
const CLOSE_PATIENCE_MS = 5_000;
/** Storing that is so far behind is worth telling, in ms. */
const BEHIND_MS = 2_000;

interface Batch {
  id: string;
  rows: Rows;
}

export interface KeeperOptions {
  connections: Connections;
  log: Logger;
  /**
   * Rows wait since then because the database is away; null when it is back. Told for what comes after a
   * kill.
   */
  behind?: (since: Date | null) => void;
}

export class Keeper {
  private readonly waiting = new Waiting();
  /** Batches on their way, the first one being written. */
  private batches: Batch[] = [];
  private writing: Promise<void> | null = null;
  private readonly timer: NodeJS.Timeout;
  private away: { sinceMs: number; why: string } | null = null;
  private written = 0;

  constructor(private readonly options: KeeperOptions) {
    this.timer = setInterval(() => void this.write(), BATCH_MS);
  }

  conversation(row: Rows['conversations'][number]): void {
    this.waiting.add('conversations', { journalVersion: JOURNAL_VERSION, ...row });
  }

  turn({ report, ...row }: { conversation: string; report: unknown }): void {
    this.waiting.add('turns', { ...row, report: plain(report) });
  }

  journal({ body, ...row }: Omit<Rows['journal'][number], 'body'> & { body: unknown }): void {
    this.waiting.add('journal', { ...row, body: plain(body) });
  }

  audio(conversation: string, side: 'caller' | 'assistant', firstSample: number, samples: Buffer): void {
    this.waiting.sound({ conversation, side, firstSample }, samples);
  }

  use(row: Rows['uses'][number]): void {
    this.waiting.add('uses', row);
  }

  ending(id: string, ending: string): void {
    this.waiting.add('endings', { id, endedAt: new Date(), ending });
  }

  /** Why what happens is not being stored just now; null when it is. */
  trouble(): string | null {
    if (!this.away) return null;
    const behindMs = performance.now() - this.away.sinceMs;
    return behindMs < BEHIND_MS
      ? null
      : `nothing has been stored for ${Math.round(behindMs / 1000)} s: ${this.away.why}`;
  }

  /** Writes what is waiting; resolves when it is written, or cannot be just now. */
  async flush(): Promise<void> {
    await this.write();
    await this.write();
  }

  /** What cannot be written by then is told to be lost. */
  async close(): Promise<void> {
    clearInterval(this.timer);
    const untilMs = performance.now() + CLOSE_PATIENCE_MS;
    while (this.unwritten > 0 && performance.now() < untilMs) {
      let late: NodeJS.Timeout | undefined;
      const patience = new Promise<void>((done) => (late = setTimeout(done, untilMs - performance.now())));
      await Promise.race([this.write(), patience]);
      clearTimeout(late);
      if (this.unwritten > 0) await new Promise((done) => setTimeout(done, BATCH_MS));
    }
    if (this.unwritten > 0)
      this.options.log.error(
        { rows: this.unwritten, why: this.away?.why },
        'the database did not come back: what waited to be stored is lost',
      );
  }

  private get unwritten(): number {
    return this.waiting.count + this.batches.reduce((sum, { rows }) => sum + countOf(rows), 0);
  }

  private write(): Promise<void> {
    this.writing ??= this.writeAll().finally(() => (this.writing = null));
    return this.writing;
  }

  private async writeAll(): Promise<void> {
    for (;;) {
      if (this.batches.length === 0 && this.waiting.count > 0)
        this.batches = [{ id: randomUUID(), rows: this.waiting.take() }];
      const batch = this.batches[0];
      if (!batch) return;
      try {
        await this.options.connections.inTransaction((db) => this.insert(db, batch));
        this.batches.shift();
        this.isBack();
      } catch (error) {
        if (!isRefusal(error)) return this.isAway(causeOf(error));
        this.batches.splice(0, 1, ...this.parted(batch, causeOf(error)));
      }
    }
  }

  private async insert(db: NodePgDatabase, { id, rows }: Batch): Promise<void> {
    const { batches, conversations } = tables;
    const fresh = await db.insert(batches).values({ id }).onConflictDoNothing().returning({ id: batches.id });
    // It was written before, and only the answer was lost.
    if (fresh.length === 0) return;
    for (const name of KEPT_TABLES) await insertRows(db, name, rows[name]);
    for (const ending of rows.endings)
      await db
        .update(conversations)
        .set({ endedAt: ending.endedAt, ending: ending.ending })
        .where(eq(conversations.id, ending.id));
    if (++this.written % CLEAN_EVERY_BATCHES === 0)
      await db.delete(batches).where(lt(batches.at, BATCH_IDS_KEPT));
  }

  /** A batch that was refused, in two halves; a single row is set aside. */
  private parted({ rows }: Batch, why: string): Batch[] {
    const all = (Object.keys(rows) as (keyof Rows)[]).flatMap((name) =>
      rows[name].map((row) => ({ name, row })),
    );
    if (all.length === 1) {
      const { name, row } = all[0]!;
      this.options.log.error({ table: name, why }, 'the database refuses a row; it is left out');
      const stretch = stretchOf(name, row);
      if (stretch)
        this.waiting.gap(
          stretch.conversation,
          `${stretch.what} (refused by the database)`,
          stretch.fromMs,
          stretch.toMs,
        );
      return [];
    }
    const middle = Math.ceil(all.length / 2);
    return [all.slice(0, middle), all.slice(middle)].map((half) => {
      const part = noRows();
      for (const { name, row } of half) (part[name] as unknown[]).push(row);
      return { id: randomUUID(), rows: part };
    });
  }

  private isAway(why: string): void {
    if (this.away) return;
    this.away = { sinceMs: performance.now(), why };
    this.options.log.error({ why }, 'the database is away; talks go on, rows wait');
    this.options.behind?.(new Date());
  }

  private isBack(): void {
    if (!this.away) return;
    this.away = null;
    this.options.log.info('the database is back; what waited is being written');
    this.options.behind?.(null);
  }
}

/** What PostgreSQL can keep as JSON: no NUL, no half of a surrogate pair. */
function plain(value: unknown): Json {
  return new Json(JSON.stringify(value).toWellFormed().replaceAll('\\u0000', '\\ufffd'));
}
