/** Sums of use and money, made by the database: no row of a month is held in memory for them. */
import { and, gte, isNotNull, sql } from 'drizzle-orm';
import type { NodePgDatabase } from 'drizzle-orm/node-postgres';
import type { EngineCost } from '@verbalon/protocol';
import type { SpentBefore } from '../engines/ledger.js';
import { uses } from './schema.js';

const summed = (column: (typeof uses)['requests' | 'audioMs' | 'characters' | 'tokensIn' | 'tokensOut']) =>
  sql<number>`sum(${column})::float8`;

const USED_SUMS = {
  requests: summed(uses.requests),
  audioMs: summed(uses.audioMs),
  characters: summed(uses.characters),
  tokensIn: summed(uses.tokensIn),
  tokensOut: summed(uses.tokensOut),
};

/** What the engines were used for on each day (UTC) since then, summed by day and engine. */
export async function dayCosts(db: NodePgDatabase, from: Date): Promise<(EngineCost & { day: string })[]> {
  const day = sql<string>`to_char(${uses.at} at time zone 'UTC', 'YYYY-MM-DD')`;
  const money = {
    cost: sql<number>`coalesce(sum(${uses.cost}), 0)::float8`,
    wasted: sql<number>`coalesce(sum(${uses.cost}) filter (where ${uses.waste} is not null), 0)::float8`,
    saved: sql<number>`sum(${uses.saved})::float8`,
  };
  const rows = await db
    .select({ day, role: uses.role, engine: uses.engine, currency: uses.currency, ...money, ...USED_SUMS })
    .from(uses)
    .where(gte(uses.at, from))
    .groupBy(sql`1`, uses.role, uses.engine, uses.currency)
    .orderBy(sql`1`, sql`min(${uses.row})`);
  return engineCosts(rows);
}

/** What was used of each engine this month, and spent by each assistant today (UTC). */
export async function spentBefore(db: NodePgDatabase, now: Date): Promise<SpentBefore> {
  const monthFrom = new Date(Date.UTC(now.getUTCFullYear(), now.getUTCMonth()));
  const dayFrom = new Date(Date.UTC(now.getUTCFullYear(), now.getUTCMonth(), now.getUTCDate()));
  const month = await db
    .select({ engine: uses.engine, ...USED_SUMS })
    .from(uses)
    .where(gte(uses.at, monthFrom))
    .groupBy(uses.engine);
  const today = await db
    .select({
      assistant: uses.assistant,
      currency: sql<string>`${uses.currency}`,
      cost: sql<number>`coalesce(sum(${uses.cost}), 0)::float8`,
    })
    .from(uses)
    .where(and(gte(uses.at, dayFrom), isNotNull(uses.currency)))
    .groupBy(uses.assistant, uses.currency);
  return { month, today };
}

type DayRow = Omit<EngineCost, 'sums'> & {
  day: string;
  currency: string | null;
  cost: number;
  wasted: number;
  saved: number;
};

/** One entry for each day and engine: amounts of different currencies are never added. */
function engineCosts(rows: readonly DayRow[]): (EngineCost & { day: string })[] {
  const found = new Map<string, EngineCost & { day: string }>();
  for (const { currency, cost, wasted, saved, ...row } of rows) {
    const key = `${row.day} ${row.role} ${row.engine}`;
    const known = found.get(key);
    const all = known ?? { ...row, sums: [] };
    if (known)
      for (const used of ['requests', 'audioMs', 'characters', 'tokensIn', 'tokensOut'] as const)
        known[used] += row[used];
    if (currency !== null) all.sums.push({ currency, cost, wasted, saved });
    found.set(key, all);
  }
  return [...found.values()];
}
