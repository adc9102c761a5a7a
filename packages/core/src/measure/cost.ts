/** What engines cost, from what was really used of them. */
import type { EngineRole } from '../vocabulary/engines.js';

/** As an engine's card says it. */
export interface Prices {
  /** ISO 4217. */
  currency: string;
  audioMinute?: number | undefined;
  millionCharacters?: number | undefined;
  millionTokensIn?: number | undefined;
  millionTokensOut?: number | undefined;
  request?: number | undefined;
  /** Rent for an hour in which it runs. */
  hour?: number | undefined;
  /** A plan: its price, and what is in it; only what is above costs as said above. */
  month?: ({ price: number } & Included) | undefined;
}

export interface Included {
  audioMinutes?: number | undefined;
  characters?: number | undefined;
  tokens?: number | undefined;
  requests?: number | undefined;
}

/** What one request used, or several together. */
export interface Used {
  audioMs: number;
  characters: number;
  tokensIn: number;
  tokensOut: number;
  requests: number;
}

/** Why something was used for nothing; `kept` is sound that did not have to be made again. */
export type Waste = 'head start' | 'second engine' | 'cancelled' | 'failed';

/** One request to an engine, as it is stored. */
export interface Use extends Used {
  role: EngineRole;
  engine: string;
  /** What it cost, in `currency`; null where the card has no prices. */
  cost: number | null;
  currency: string | null;
  waste: Waste | null;
  /** What was saved by sound that was kept, in `currency`. */
  saved: number;
}

export const NOTHING_USED: Used = { audioMs: 0, characters: 0, tokensIn: 0, tokensOut: 0, requests: 0 };

/**
 * The price of a use by its parts; a plan's included amount is free as far as it goes. @param before used
 * this month
 */
export function priceOf(prices: Prices, used: Used, before: Used = NOTHING_USED): number {
  const { month } = prices;
  const minutes = above(month?.audioMinutes, before.audioMs / 60_000, used.audioMs / 60_000);
  const characters = above(month?.characters, before.characters, used.characters);
  const requests = above(month?.requests, before.requests, used.requests);
  const tokens = used.tokensIn + used.tokensOut;
  const tokensAbove = above(month?.tokens, before.tokensIn + before.tokensOut, tokens);
  const share = tokens === 0 ? 0 : tokensAbove / tokens;
  return (
    minutes * (prices.audioMinute ?? 0) +
    (characters * (prices.millionCharacters ?? 0)) / 1e6 +
    (share *
      (used.tokensIn * (prices.millionTokensIn ?? 0) + used.tokensOut * (prices.millionTokensOut ?? 0))) /
      1e6 +
    requests * (prices.request ?? 0)
  );
}

const HOUR_MS = 3_600_000;
const DAY_MS = 24 * HOUR_MS;

/**
 * What an engine costs on a day (UTC) whether it is used or not: rent for the hours that are over, and the
 * day's share of its plan.
 */
export function standingPrice({ hour, month }: Prices, day: string, now: Date): number {
  const begins = new Date(`${day}T00:00:00Z`);
  const hours = Math.min(DAY_MS, Math.max(0, now.getTime() - begins.getTime())) / HOUR_MS;
  const days = new Date(Date.UTC(begins.getUTCFullYear(), begins.getUTCMonth() + 1, 0)).getUTCDate();
  return hours * (hour ?? 0) + (month?.price ?? 0) / days;
}

/** How much of `used` lies above what is included, when `before` is used already. */
function above(included: number | undefined, before: number, used: number): number {
  return included === undefined ? used : Math.min(used, Math.max(0, before + used - included));
}

export interface CostSum {
  currency: string;
  cost: number;
  /** Of it, what was for nothing. */
  wasted: number;
  saved: number;
}

/** Sums by currency: amounts of different ones are never added. */
export function sumOf(uses: readonly Use[]): CostSum[] {
  const sums = new Map<string, CostSum>();
  for (const { currency, cost, waste, saved } of uses) {
    if (currency === null) continue;
    const sum = sums.get(currency) ?? { currency, cost: 0, wasted: 0, saved: 0 };
    sum.cost += cost ?? 0;
    if (waste !== null) sum.wasted += cost ?? 0;
    sum.saved += saved;
    sums.set(currency, sum);
  }
  return [...sums.values()];
}

/**
 * What the same uses would have cost with other engines, by role; null for a role whose engine has no prices.
 */
export function withOther(uses: readonly Use[], prices: Partial<Record<EngineRole, Prices | null>>): Use[] {
  return uses.map((use) => {
    if (!Object.hasOwn(prices, use.role)) return use;
    const other = prices[use.role] ?? null;
    return { ...use, cost: other && priceOf(other, use), currency: other?.currency ?? null, saved: 0 };
  });
}
