/**
 * Keeps what happens in talks, at most a quarter of a second behind: one insert of many rows a table and batch.
 * While the database is away rows wait in bounded memory; sound gives way before the journal, and gaps are marked.
 */
import type { NodePgDatabase } from 'drizzle-orm/node-postgres';
import { eq } from 'drizzle-orm';
import type { Logger } from 'pino';
import { HOUSE_RATE_HZ, msOfSamples } from '@verbalon/core';
import * as tables from './schema.js';

const BATCH_MS = 200;
const MOST_WAITING_SOUND_BYTES = 64 * 1024 * 1024;
const MOST_WAITING_ROWS = 200_000;
/** PostgreSQL takes 65,535 parameters a statement. */
const MOST_ROWS_A_STATEMENT = 5_000;

type Insert<T extends { $inferInsert: unknown }> = T['$inferInsert'];
interface Waiting {
  conversations: Insert<typeof tables.conversations>[];
  turns: Insert<typeof tables.turns>[];
  journal: Insert<typeof tables.journal>[];
  audio: Insert<typeof tables.audio>[];
  uses: Insert<typeof tables.uses>[];
  gaps: Insert<typeof tables.gaps>[];
  endings: { id: string; endedAt: Date; ending: string }[];
}

const nothing = (): Waiting => ({
  conversations: [],
  turns: [],
  journal: [],
  audio: [],
  uses: [],
  gaps: [],
  endings: [],
});

export class Keeper {
  private waiting = nothing();
  private soundBytes = 0;
  private writing: Promise<void> | null = null;
  private readonly timer: NodeJS.Timeout;
  private away = false;

  constructor(
    private readonly db: NodePgDatabase,
    private readonly log: Logger,
  ) {
    this.timer = setInterval(() => void this.write(), BATCH_MS);
  }

  conversation(row: Insert<typeof tables.conversations>): void {
    this.waiting.conversations.push(row);
  }

  turn(row: Insert<typeof tables.turns>): void {
    this.waiting.turns.push({ ...row, report: plain(row.report) });
  }

  journal(row: Insert<typeof tables.journal>): void {
    if (this.waiting.journal.length >= MOST_WAITING_ROWS) {
      const lost = this.waiting.journal.shift()!;
      this.gap(lost.conversation, 'journal', lost.atMs, lost.atMs);
    }
    this.waiting.journal.push({ ...row, body: plain(row.body) });
  }

  audio(row: Insert<typeof tables.audio>): void {
    this.soundBytes += row.samples.byteLength;
    this.waiting.audio.push(row);
    while (this.soundBytes > MOST_WAITING_SOUND_BYTES) {
      const lost = this.waiting.audio.shift()!;
      this.soundBytes -= lost.samples.byteLength;
      const fromMs = msOfSamples(lost.firstSample, HOUSE_RATE_HZ);
      this.gap(
        lost.conversation,
        `${lost.side} sound`,
        fromMs,
        fromMs + msOfSamples(lost.samples.byteLength / 2, HOUSE_RATE_HZ),
      );
    }
  }

  use(row: Insert<typeof tables.uses>): void {
    this.waiting.uses.push(row);
  }

  ending(id: string, ending: string): void {
    this.waiting.endings.push({ id, endedAt: new Date(), ending });
  }

  /** Writes what is waiting; waits for a batch that is being written. */
  async flush(): Promise<void> {
    await this.writing;
    await this.write();
  }

  async close(): Promise<void> {
    clearInterval(this.timer);
    await this.flush();
  }

  private gap(conversation: string, what: string, fromMs: number, toMs: number): void {
    const last = this.waiting.gaps.at(-1);
    if (last?.conversation === conversation && last.what === what && fromMs - last.toMs < 1_000)
      last.toMs = toMs;
    else this.waiting.gaps.push({ conversation, what, fromMs, toMs });
  }

  private async write(): Promise<void> {
    if (this.writing) return;
    const batch = this.waiting;
    if (Object.values(batch).every((rows: unknown[]) => rows.length === 0)) return;
    this.waiting = nothing();
    this.soundBytes = 0;
    this.writing = this.insert(batch)
      .then(() => {
        if (this.away) this.log.info('the database is back; what waited is written');
        this.away = false;
      })
      .catch((error: unknown) => {
        if (!this.away)
          this.log.error({ why: (error as Error).message }, 'the database is away; talks go on, rows wait');
        this.away = true;
        this.putBack(batch);
      })
      .finally(() => (this.writing = null));
    await this.writing;
  }

  private insert(batch: Waiting): Promise<void> {
    return this.db.transaction(async (tx) => {
      for (const name of ['conversations', 'turns', 'journal', 'audio', 'uses', 'gaps'] as const) {
        for (let at = 0; at < batch[name].length; at += MOST_ROWS_A_STATEMENT) {
          await tx.insert(tables[name]).values(batch[name].slice(at, at + MOST_ROWS_A_STATEMENT) as never);
        }
      }
      for (const { id, endedAt, ending } of batch.endings) {
        await tx.update(tables.conversations).set({ endedAt, ending }).where(eq(tables.conversations.id, id));
      }
    });
  }

  private putBack(batch: Waiting): void {
    const newer = this.waiting;
    this.waiting = nothing();
    for (const name of Object.keys(batch) as (keyof Waiting)[]) {
      this.waiting[name] = [...batch[name], ...newer[name]] as never;
    }
    this.soundBytes = this.waiting.audio.reduce((sum, row) => sum + row.samples.byteLength, 0);
  }
}

/** What PostgreSQL can keep as JSON: no NUL, no half of a surrogate pair. */
function plain<T>(value: T): T {
  return JSON.parse(JSON.stringify(value).toWellFormed().replaceAll('\\u0000', '\\ufffd')) as T;
}
