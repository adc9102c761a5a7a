/** Tryouts and corrected transcripts, in the database. */
import { and, desc, eq, sql } from 'drizzle-orm';
import type { NodePgDatabase } from 'drizzle-orm/node-postgres';
import { HOUSE_RATE_HZ, samplesOfMs } from '@verbalon/core';
import type { Tryout, TryoutSummary } from '@verbalon/protocol';
import type { Connections } from './connection.js';
import * as tables from './schema.js';
import { TalkSound } from './talk-sound.js';
import { ProblemError } from '../problems/problems.js';
import type { Saying } from '../sound/recordings.js';

/** Of a turn's sound so much before its voice and after it, in ms. */
const BEFORE_MS = 300;
const AFTER_MS = 300;

export class TryoutStore {
  private readonly db: NodePgDatabase;

  constructor(private readonly connections: Connections) {
    this.db = connections.db;
  }

  async add(tryout: Tryout): Promise<void> {
    const { id, at, role } = tryout;
    await this.db.insert(tables.tryouts).values({ id, at: new Date(at), role, result: tryout });
  }

  /** Newest first. */
  async list(): Promise<TryoutSummary[]> {
    const rows = await this.db.select().from(tables.tryouts).orderBy(desc(tables.tryouts.at)).limit(100);
    return rows.map(({ id, at, role, result }) => ({
      id,
      at: at.toISOString(),
      role,
      engines: result.engines.map(({ engine }) => engine),
      items: result.engines[0]?.items.length ?? 0,
    }));
  }

  /** @throws ProblemError `tryout-unknown` */
  async one(id: string): Promise<Tryout> {
    const [row] = await this.db.select().from(tables.tryouts).where(eq(tables.tryouts.id, id));
    if (!row) throw new ProblemError('tryout-unknown', `there is none with the id ${id}`);
    return row.result;
  }

  /**
   * A person's rating of an answer or a voice; two at the same time are both kept. @throws ProblemError
   * `tryout-unknown`
   */
  rate(id: string, engine: string, item: string, rating: number): Promise<Tryout> {
    return this.connections.inTransaction(async (db) => {
      const { tryouts } = tables;
      const [row] = await db.select().from(tryouts).where(eq(tryouts.id, id)).for('update');
      if (!row) throw new ProblemError('tryout-unknown', `there is none with the id ${id}`);
      const tried = row.result.engines.find((one) => one.engine === engine);
      const found = tried?.items.find((one) => one.item === item);
      if (!found) throw new ProblemError('tryout-unknown', `it has no "${item}" of "${engine}"`);
      found.rating = rating;
      await db.update(tryouts).set({ result: row.result }).where(eq(tryouts.id, id));
      return row.result;
    });
  }

  /**
   * What was really said in a turn; an empty text takes the correction back. Of two at the same time the
   * later one counts.
   */
  correct(conversation: string, turn: number, text: string): Promise<void> {
    return this.connections.inTransaction(async (db) => {
      const { corrections } = tables;
      await db.execute(sql`select pg_advisory_xact_lock(hashtext(${`${conversation} ${turn}`}))`);
      await db
        .delete(corrections)
        .where(and(eq(corrections.conversation, conversation), eq(corrections.turn, turn)));
      if (text.trim() !== '') await db.insert(corrections).values({ conversation, turn, text: text.trim() });
    });
  }

  async corrections(conversation: string): Promise<{ turn: number; text: string }[]> {
    const { turn, text } = tables.corrections;
    return this.db
      .select({ turn, text })
      .from(tables.corrections)
      .where(eq(tables.corrections.conversation, conversation));
  }

  /** The corrected turns of a stored talk, as sound and text. */
  async sayings(conversation: string): Promise<Saying[]> {
    const corrected = await this.corrections(conversation);
    const reports = await this.db
      .select()
      .from(tables.turns)
      .where(eq(tables.turns.conversation, conversation));
    const sound = new TalkSound(this.db, conversation);
    const sayings: Saying[] = [];
    for (const { turn, text } of corrected) {
      const times = reports.find(({ report }) => report.turn === turn)?.report.times;
      if (times?.voiceBeganMs === undefined || times.voiceEndedMs === undefined) continue;
      const from = samplesOfMs(Math.max(0, times.voiceBeganMs - BEFORE_MS), HOUSE_RATE_HZ);
      const to = samplesOfMs(times.voiceEndedMs + AFTER_MS, HOUSE_RATE_HZ);
      const samples = await sound.lane('caller', from, Math.max(from, to));
      sayings.push({ name: `${conversation} ${turn}`, group: conversation, text, samples });
    }
    return sayings;
  }
}
