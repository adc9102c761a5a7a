/** Reads conversations back. */
import { and, asc, count, desc, eq, isNull } from 'drizzle-orm';
import type { NodePgDatabase } from 'drizzle-orm/node-postgres';
import { JournalUnpacker } from '@verbalon/core';
import type { Conversation, ConversationSummary, JournalEntry } from '@verbalon/protocol';
import { ProblemError } from '../problems/problems.js';
import * as tables from './schema.js';
import { dayCosts, spentBefore } from './sums.js';
import { TalkSound } from './talk-sound.js';

export class Reader {
  constructor(private readonly db: NodePgDatabase) {}

  /** Newest first. */
  async list(limit: number, offset: number): Promise<ConversationSummary[]> {
    const rows = await this.db
      .select({ conversation: tables.conversations, turns: count(tables.turns.row) })
      .from(tables.conversations)
      .leftJoin(tables.turns, eq(tables.turns.conversation, tables.conversations.id))
      .groupBy(tables.conversations.id)
      .orderBy(desc(tables.conversations.startedAt))
      .limit(limit)
      .offset(offset);
    return rows.map(({ conversation, turns }) => summaryOf(conversation, turns));
  }

  /** @throws ProblemError `conversation-unknown` */
  async one(id: string): Promise<Conversation> {
    const [row] = await this.db.select().from(tables.conversations).where(eq(tables.conversations.id, id));
    if (!row) throw new ProblemError('conversation-unknown', `there is none with the id ${id}`);
    const reports = await this.db
      .select({ report: tables.turns.report })
      .from(tables.turns)
      .where(eq(tables.turns.conversation, id))
      .orderBy(asc(tables.turns.row));
    const gaps = await this.db
      .select({ what: tables.gaps.what, fromMs: tables.gaps.fromMs, toMs: tables.gaps.toMs })
      .from(tables.gaps)
      .where(eq(tables.gaps.conversation, id));
    return {
      ...summaryOf(row, reports.length),
      stay: row.stay,
      admittedBy: row.admittedBy,
      caller: row.caller,
      callerSure: row.callerSure ?? false,
      reports: reports.map(({ report }) => ({ ...report, reliefs: report.reliefs ?? [] })),
      gaps,
    };
  }

  /** Entries are as this version writes them; one of an earlier version cannot be replayed. */
  async journal(id: string): Promise<{ entries: JournalEntry[]; version: number }> {
    const version = await this.versionOf(id);
    const { index, atMs, side, kind, body } = tables.journal;
    const rows = await this.db
      .select({ index, atMs, side, kind, body })
      .from(tables.journal)
      .where(eq(tables.journal.conversation, id))
      .orderBy(asc(tables.journal.index));
    const unpacker = new JournalUnpacker();
    return { version, entries: rows.map((row) => ({ ...row, body: unpacker.unpack(row.side, row.body) })) };
  }

  private async versionOf(id: string): Promise<number> {
    const { conversations } = tables;
    const [row] = await this.db
      .select({ version: conversations.journalVersion })
      .from(conversations)
      .where(eq(conversations.id, id));
    if (!row) throw new ProblemError('conversation-unknown', `there is none with the id ${id}`);
    return row.version;
  }

  /** Both sides on the caller's axis. @throws ProblemError `conversation-unknown` */
  async sound(id: string): Promise<TalkSound> {
    await this.one(id);
    return new TalkSound(this.db, id);
  }

  /** What the engines were used for on each day (UTC) since then. */
  dayCosts(from: Date) {
    return dayCosts(this.db, from);
  }

  /** What was used of each engine this month, and spent by each assistant today (UTC). */
  spentBefore(now: Date) {
    return spentBefore(this.db, now);
  }

  /** What the engines of a talk were used for. */
  async uses(id: string) {
    await this.one(id);
    return this.db
      .select()
      .from(tables.uses)
      .where(eq(tables.uses.conversation, id))
      .orderBy(asc(tables.uses.row));
  }

  /**
   * Conversations that a killed service of this data folder left open are marked as cut off.
   * @param behind since when it could not store what happened, when it was killed; null where it could
   */
  async markCutOff(service: string, behind: Date | null): Promise<number> {
    const { conversations } = tables;
    const missing =
      behind === null
        ? 'up to 250 ms may be missing'
        : `the database was away: what came after ${behind.toISOString()} is missing`;
    const marked = await this.db
      .update(conversations)
      .set({ endedAt: new Date(), ending: `cut off: the service was killed; ${missing}` })
      .where(and(eq(conversations.service, service), isNull(conversations.endedAt)))
      .returning({ id: conversations.id });
    return marked.length;
  }
}

function summaryOf(row: typeof tables.conversations.$inferSelect, turns: number): ConversationSummary {
  const { id, assistant, line, startedAt, endedAt, ending, recorded } = row;
  return {
    id,
    assistant,
    line,
    startedAt: startedAt.toISOString(),
    endedAt: endedAt?.toISOString() ?? null,
    ending,
    turns,
    recorded,
  };
}
