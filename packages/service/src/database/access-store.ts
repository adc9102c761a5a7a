/** Keys, passes, counts of talks, and audit. */
import { and, desc, eq, gt, isNull, lt, sql } from 'drizzle-orm';
import type { Connections } from './connection.js';
import { audit, keys, passes, talkDays } from './schema.js';
import { UnderWay } from './under-way.js';

export type KeyRow = typeof keys.$inferSelect;
export type PassRow = typeof passes.$inferSelect;
export type AuditRow = Omit<typeof audit.$inferSelect, 'row'>;

/** So many talks a day, for whoever it is. */
export interface DayLimit {
  whose: string;
  most: number;
}

export class AccessStore {
  private readonly notes = new UnderWay();

  constructor(private readonly connections: Connections) {}

  private get db() {
    return this.connections.db;
  }

  keys(): Promise<KeyRow[]> {
    return this.db.select().from(keys).orderBy(desc(keys.madeAt));
  }

  /** @returns false when a key of that name is in use */
  async addKey(row: KeyRow): Promise<boolean> {
    const added = await this.db.insert(keys).values(row).onConflictDoNothing().returning({ id: keys.id });
    return added.length === 1;
  }

  /** @returns false when there is none of that name in use */
  async revokeKey(name: string, letFinish: boolean): Promise<boolean> {
    const gone = await this.db
      .update(keys)
      .set({ revokedAt: new Date(), letFinish })
      .where(and(eq(keys.name, name), isNull(keys.revokedAt)))
      .returning({ id: keys.id });
    return gone.length === 1;
  }

  async keyWasUsed(id: string): Promise<void> {
    await this.db.update(keys).set({ usedAt: new Date() }).where(eq(keys.id, id));
  }

  async addPass(row: PassRow): Promise<void> {
    await this.db.delete(passes).where(lt(passes.until, new Date()));
    await this.db.insert(passes).values(row);
  }

  async pass(id: string): Promise<PassRow | undefined> {
    const [found] = await this.db.select().from(passes).where(eq(passes.id, id));
    return found;
  }

  /** One of its talks begins. @returns false when it has none left */
  async spendPass(id: string): Promise<boolean> {
    const spent = await this.db
      .update(passes)
      .set({ talks: sql`${passes.talks} - 1` })
      .where(and(eq(passes.id, id), gt(passes.talks, 0), gt(passes.until, new Date())))
      .returning({ id: passes.id });
    return spent.length === 1;
  }

  async removePass(id: string): Promise<void> {
    await this.db.delete(passes).where(eq(passes.id, id));
  }

  /** Was a token given out, and does it still hold, for pages of this origin? */
  async hasPassFor(origin: string): Promise<boolean> {
    const found = await this.db
      .select({ id: passes.id })
      .from(passes)
      .where(and(gt(passes.until, new Date()), sql`${origin} = any(${passes.origins})`))
      .limit(1);
    return found.length > 0;
  }

  /** Counts of days before this one tell nobody anything. */
  async forgetDaysBefore(day: string): Promise<void> {
    await this.db.delete(talkDays).where(lt(talkDays.id, day));
  }

  /** One more talk for each of them, or for none: @returns the first that has had all of its day */
  async countTalk(day: string, limits: readonly DayLimit[]): Promise<DayLimit | null> {
    let full: DayLimit | null = null;
    await this.connections
      .inTransaction(async (db) => {
        for (const limit of limits) {
          const counted = await db
            .insert(talkDays)
            .values({ id: `${day} ${limit.whose}`, talks: 1 })
            .onConflictDoUpdate({
              target: talkDays.id,
              set: { talks: sql`${talkDays.talks} + 1` },
              setWhere: lt(talkDays.talks, limit.most),
            })
            .returning({ talks: talkDays.talks });
          if (counted.length === 1) continue;
          full = limit;
          throw new Error('one is full: none is counted');
        }
      })
      .catch((error: unknown) => {
        if (full === null) throw error;
      });
    return full;
  }

  async note(entry: AuditRow): Promise<void> {
    await this.notes.follow(this.db.insert(audit).values(entry).execute());
  }

  /** Entries older than this, and all but so many of the newest, are forgotten. */
  async forgetAuditBefore(day: Date, most: number): Promise<void> {
    await this.db.delete(audit).where(lt(audit.at, day));
    const newest = this.db.select({ row: sql<number>`max(${audit.row}) - ${most}` }).from(audit);
    await this.db.delete(audit).where(sql`${audit.row} <= (${newest})`);
  }

  /**
   * The newest first, with what was being noted. @param before rows older than this one; the newest where it
   * is left out
   */
  async audit(most: number, before?: number): Promise<(AuditRow & { row: number })[]> {
    await this.notes.over();
    const older = before === undefined ? undefined : lt(audit.row, before);
    return this.db.select().from(audit).where(older).orderBy(desc(audit.row)).limit(most);
  }
}
