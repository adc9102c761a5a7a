/** Runs of errands: written before they are tried, and again when it is known what came of them. */
import { and, desc, eq } from 'drizzle-orm';
import type { RunEnding, RunOutcome, SlotValue } from '@verbalon/core';
import type { Connections } from './connection.js';
import { runs } from './schema.js';
import { UnderWay } from './under-way.js';

export type RunRow = typeof runs.$inferSelect;
type Begun = Pick<RunRow, 'id' | 'conversation' | 'run' | 'errand' | 'assistant' | 'slots' | 'service'>;

export interface RunQuery {
  errand?: string | undefined;
  conversation?: string | undefined;
  most: number;
}

export class RunStore {
  private readonly endings = new UnderWay();

  constructor(private readonly connections: Connections) {}

  /** @returns false for a run that is there already: it was tried before */
  async begin(row: Begun): Promise<boolean> {
    const written = await this.connections.db
      .insert(runs)
      .values({ ...row, state: 'doing', begunAt: new Date() })
      .onConflictDoNothing()
      .returning({ id: runs.id });
    return written.length === 1;
  }

  async end(id: string, { ending, code, given }: RunOutcome): Promise<void> {
    const row = { state: ending, code: code ?? null, given, endedAt: new Date() };
    await this.endings.follow(this.connections.db.update(runs).set(row).where(eq(runs.id, id)).execute());
  }

  async note(row: Begun & { state: RunEnding | 'doing' }): Promise<void> {
    const now = new Date();
    const rows = { ...row, begunAt: now, endedAt: now };
    await this.endings.follow(this.connections.db.insert(runs).values(rows).onConflictDoNothing().execute());
  }

  leftDoing(
    service: string,
  ): Promise<{ id: string; errand: string; assistant: string; slots: Record<string, SlotValue> }[]> {
    return this.connections.db
      .select({ id: runs.id, errand: runs.errand, assistant: runs.assistant, slots: runs.slots })
      .from(runs)
      .where(and(eq(runs.state, 'doing'), eq(runs.service, service)));
  }

  /** The newest first, with the endings that were being written. */
  async list({ errand, conversation, most }: RunQuery): Promise<RunRow[]> {
    const wanted = [
      errand === undefined ? undefined : eq(runs.errand, errand),
      conversation === undefined ? undefined : eq(runs.conversation, conversation),
    ];
    await this.endings.over();
    return this.connections.db
      .select()
      .from(runs)
      .where(and(...wanted))
      .orderBy(desc(runs.begunAt))
      .limit(most);
  }
}
