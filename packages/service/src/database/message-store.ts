/**
 * Messages and their deliveries, each of which is a job of the queue: a message and its jobs are written
 * together, or not at all.
 */
import { and, desc, eq, inArray, isNull, sql, type SQL } from 'drizzle-orm';
import type { NodePgDatabase } from 'drizzle-orm/node-postgres';
import type { DeliveryState, MessageState } from '@verbalon/protocol';
import type { Connections } from './connection.js';
import { deliveries, messages } from './schema.js';

export type MessageRow = typeof messages.$inferSelect;
export type DeliveryRow = typeof deliveries.$inferSelect;
export type MessageWithDeliveries = MessageRow & { deliveries: DeliveryRow[] };
type NewMessage = Omit<MessageRow, 'service' | 'state' | 'writtenAt' | 'toldAt'>;
type NewDelivery = Pick<DeliveryRow, 'id' | 'contact' | 'name' | 'way'>;

/**
 * A delivery is tried so often. The queue waits longer each time: the last time is some minutes after the
 * first.
 */
export const MOST_ATTEMPTS = 6;
const FINAL: readonly DeliveryState[] = ['sent', 'failed', 'unsure', 'withdrawn'];

/** The queue's name of what is to be done with a delivery: each service does its own. */
export const taskOf = (service: string): string => `deliver:${service}`;

export class MessageStore {
  constructor(
    private readonly connections: Connections,
    private readonly service: string,
  ) {}

  /** Of this service, and as these say. */
  private own(...conditions: (SQL | undefined)[]): SQL | undefined {
    return and(eq(messages.service, this.service), ...conditions);
  }

  /** @returns false for one that is there already */
  write(message: NewMessage, to: readonly NewDelivery[]): Promise<boolean> {
    const { service } = this;
    const now = new Date();
    return this.connections.inTransaction(async (db) => {
      const written = await db
        .insert(messages)
        .values({ ...message, service, state: 'waiting', writtenAt: now, toldAt: null })
        .onConflictDoNothing()
        .returning({ id: messages.id });
      if (written.length === 0) return false;
      const rows = to.map((one) => ({
        ...one,
        message: message.id,
        service,
        state: 'waiting' as const,
        attempts: 0,
        why: '',
        changedAt: now,
      }));
      await db.insert(deliveries).values(rows);
      if (message.dueAt)
        await this.enqueue(
          db,
          to.map(({ id }) => id),
          message.dueAt,
        );
      return true;
    });
  }

  private async enqueue(db: NodePgDatabase, ids: readonly string[], dueAt: Date): Promise<void> {
    for (const id of ids)
      await db.execute(
        sql`select graphile_worker.add_job(${taskOf(this.service)}, payload := ${JSON.stringify({ id })}::json, run_at := ${dueAt.toISOString()}::timestamptz, max_attempts := ${MOST_ATTEMPTS}, job_key := ${id})`,
      );
  }

  async get(id: string): Promise<MessageRow | undefined> {
    const [found] = await this.connections.db
      .select()
      .from(messages)
      .where(this.own(eq(messages.id, id)));
    return found;
  }

  /** The last one of an assistant to these recipients that still waits. */
  async lastWaiting(
    assistant: string,
    owner: { sender: string } | { conversation: string },
    recipients: string,
  ): Promise<MessageRow | undefined> {
    const [found] = await this.connections.db
      .select()
      .from(messages)
      .where(
        this.own(
          eq(messages.assistant, assistant),
          'sender' in owner
            ? eq(messages.sender, owner.sender)
            : eq(messages.conversation, owner.conversation),
          eq(messages.recipients, recipients),
          eq(messages.state, 'waiting'),
        ),
      )
      .orderBy(desc(messages.writtenAt))
      .limit(1);
    return found;
  }

  /** Only one that waits. @returns whether it was */
  withdraw(id: string): Promise<boolean> {
    return this.connections.inTransaction(async (db) => {
      if (!(await this.move(db, id, ['waiting'], { state: 'withdrawn' }))) return false;
      const gone = await db
        .update(deliveries)
        .set({ state: 'withdrawn', changedAt: new Date() })
        .where(and(eq(deliveries.message, id), eq(deliveries.state, 'waiting')))
        .returning({ id: deliveries.id });
      for (const one of gone) await db.execute(sql`select graphile_worker.remove_job(${one.id})`);
      return true;
    });
  }

  /** Only one that waits. @returns whether it was */
  change(id: string, what: { text?: string; dueAt?: Date }): Promise<boolean> {
    return this.connections.inTransaction(async (db) => {
      const occasion = what.dueAt ? { occasion: null } : {};
      if (!(await this.move(db, id, ['waiting'], { state: 'waiting', ...what, ...occasion }))) return false;
      if (what.dueAt) await this.enqueue(db, await this.idsOf(db, id), what.dueAt);
      return true;
    });
  }

  /** Those that wait for this go now. @returns how many */
  happened(occasion: string): Promise<number> {
    return this.connections.inTransaction(async (db) => {
      const now = new Date();
      const due = await db
        .update(messages)
        .set({ dueAt: now, occasion: null })
        .where(this.own(eq(messages.occasion, occasion), eq(messages.state, 'waiting')))
        .returning({ id: messages.id });
      for (const { id } of due) await this.enqueue(db, await this.idsOf(db, id), now);
      return due.length;
    });
  }

  private async idsOf(db: NodePgDatabase, message: string): Promise<string[]> {
    const rows = await db
      .select({ id: deliveries.id })
      .from(deliveries)
      .where(eq(deliveries.message, message));
    return rows.map(({ id }) => id);
  }

  /** Only from these states. @returns whether it was in one of them */
  private async move(
    db: NodePgDatabase,
    id: string,
    from: MessageState[],
    set: Partial<typeof messages.$inferInsert>,
  ): Promise<boolean> {
    const moved = await db
      .update(messages)
      .set(set)
      .where(this.own(eq(messages.id, id), inArray(messages.state, from)))
      .returning({ id: messages.id });
    return moved.length === 1;
  }

  /**
   * It is tried now: from here on the message can neither be changed nor withdrawn. Null where there is
   * nothing to be done.
   */
  begin(id: string): Promise<{ message: MessageRow; delivery: DeliveryRow } | null> {
    return this.connections.inTransaction(async (db) => {
      const [found] = await db
        .select({ message: deliveries.message })
        .from(deliveries)
        .where(eq(deliveries.id, id));
      // The message first: who withdraws it at the same moment waits, and finds it gone.
      if (!found || !(await this.move(db, found.message, ['waiting', 'going'], { state: 'going' })))
        return null;
      const [delivery] = await db
        .update(deliveries)
        .set({ state: 'trying', attempts: sql`${deliveries.attempts} + 1`, changedAt: new Date() })
        .where(and(eq(deliveries.id, id), eq(deliveries.state, 'waiting')))
        .returning();
      const [message] = await db.select().from(messages).where(eq(messages.id, found.message));
      return delivery && message ? { message, delivery } : null;
    });
  }

  /** What came of a try. When all of a message are over, so is it. */
  end(id: string, state: DeliveryState, { way, why }: { way: string; why: string }): Promise<void> {
    return this.connections.inTransaction(async (db) => {
      const [row] = await db
        .update(deliveries)
        .set({ state, way, why, changedAt: new Date() })
        .where(eq(deliveries.id, id))
        .returning({ message: deliveries.message });
      if (!row || !FINAL.includes(state)) return;
      // One after the other, or each would take the other for the last.
      await db.execute(sql`select 1 from messages where id = ${row.message} for update`);
      const open = await db
        .select({ id: deliveries.id })
        .from(deliveries)
        .where(and(eq(deliveries.message, row.message), inArray(deliveries.state, ['waiting', 'trying'])));
      if (open.length === 0) await this.move(db, row.message, ['going'], { state: 'gone' });
    });
  }

  /**
   * What a service left behind when it ended: deliveries that were being tried, and those whose job may be
   * held by nobody.
   */
  async leftBehind(): Promise<{ trying: DeliveryRow[]; waiting: { id: string; dueAt: Date }[] }> {
    const rows = await this.connections.db
      .select({ delivery: deliveries, dueAt: messages.dueAt })
      .from(deliveries)
      .innerJoin(messages, eq(messages.id, deliveries.message))
      .where(and(eq(deliveries.service, this.service), inArray(deliveries.state, ['waiting', 'trying'])));
    return {
      trying: rows.filter(({ delivery }) => delivery.state === 'trying').map(({ delivery }) => delivery),
      waiting: rows.flatMap(({ delivery, dueAt }) =>
        delivery.state === 'waiting' && dueAt ? [{ id: delivery.id, dueAt }] : [],
      ),
    };
  }

  /** To be tried again, as if for the first time. */
  async again(id: string, dueAt = new Date()): Promise<void> {
    await this.connections.inTransaction(async (db) => {
      await db.update(deliveries).set({ state: 'waiting' }).where(eq(deliveries.id, id));
      await this.enqueue(db, [id], dueAt);
    });
  }

  /** The newest first, each with its deliveries. */
  async list(query: { state?: MessageState | undefined; most: number }): Promise<MessageWithDeliveries[]> {
    const rows = await this.connections.db
      .select()
      .from(messages)
      .where(this.own(query.state === undefined ? undefined : eq(messages.state, query.state)))
      .orderBy(desc(messages.writtenAt))
      .limit(query.most);
    return this.withDeliveries(rows);
  }

  private async withDeliveries(rows: readonly MessageRow[]): Promise<MessageWithDeliveries[]> {
    const ids = rows.map(({ id }) => id);
    const all =
      ids.length === 0
        ? []
        : await this.connections.db
            .select()
            .from(deliveries)
            .where(inArray(deliveries.message, ids))
            .orderBy(deliveries.name);
    return rows.map((row) => ({ ...row, deliveries: all.filter(({ message }) => message === row.id) }));
  }

  /** Messages of this sender that are over, and did not reach everybody; nobody told yet. */
  async untold(assistant: string, sender: string): Promise<MessageWithDeliveries[]> {
    const rows = await this.connections.db
      .select()
      .from(messages)
      .where(
        this.own(
          eq(messages.assistant, assistant),
          eq(messages.sender, sender),
          eq(messages.state, 'gone'),
          isNull(messages.toldAt),
        ),
      );
    return (await this.withDeliveries(rows)).filter((one) =>
      one.deliveries.some(({ state }) => state === 'failed' || state === 'unsure'),
    );
  }

  async told(ids: readonly string[]): Promise<void> {
    if (ids.length === 0) return;
    await this.connections.db
      .update(messages)
      .set({ toldAt: new Date() })
      .where(inArray(messages.id, [...ids]));
  }
}
