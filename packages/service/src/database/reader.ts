/** Reads conversations back. */
import { and, asc, count, desc, eq, gte, isNull } from 'drizzle-orm';
import type { NodePgDatabase } from 'drizzle-orm/node-postgres';
import { HOUSE_RATE_HZ, pcm16FromBytes, writeWav } from '@verbalon/core';
import type { Conversation, ConversationSummary, JournalEntry } from '@verbalon/protocol';
import { ProblemError } from '../problems.js';
import * as tables from './schema.js';

/** The longest conversation whose sound is put into one file, in ms: an hour is 230 MB. */
const MOST_SOUND_MS = 3_600_000;

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
      reports: reports.map(({ report }) => ({ ...report, reliefs: report.reliefs ?? [] })),
      gaps,
    };
  }

  async journal(id: string): Promise<JournalEntry[]> {
    await this.one(id);
    const { index, atMs, side, kind, body } = tables.journal;
    return this.db
      .select({ index, atMs, side, kind, body })
      .from(tables.journal)
      .where(eq(tables.journal.conversation, id))
      .orderBy(asc(tables.journal.index));
  }

  /** Both sides on the caller's axis: the caller left, what the caller heard of the assistant right. */
  async sound(id: string): Promise<Uint8Array> {
    await this.one(id);
    const rows = await this.db
      .select()
      .from(tables.audio)
      .where(eq(tables.audio.conversation, id))
      .orderBy(asc(tables.audio.row));
    const ends = rows.map((row) => row.firstSample + row.samples.byteLength / 2);
    const length = Math.min(
      ends.reduce((most, end) => Math.max(most, end), 0),
      (MOST_SOUND_MS * HOUSE_RATE_HZ) / 1000,
    );
    const lanes = { caller: new Int16Array(length), assistant: new Int16Array(length) };
    for (const { side, firstSample, samples } of rows) {
      const room = length - firstSample;
      if (room > 0) lanes[side].set(pcm16FromBytes(samples).subarray(0, room), firstSample);
    }
    return writeWav([lanes.caller, lanes.assistant], HOUSE_RATE_HZ);
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

  /** What all engines were used for since then. */
  async usesSince(from: Date) {
    return this.db.select().from(tables.uses).where(gte(tables.uses.at, from)).orderBy(asc(tables.uses.row));
  }

  /** Conversations that a killed service of this data folder left open are marked as cut off. */
  async markCutOff(service: string): Promise<number> {
    const { conversations } = tables;
    const marked = await this.db
      .update(conversations)
      .set({ endedAt: new Date(), ending: 'cut off: the service was killed; up to 250 ms may be missing' })
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
