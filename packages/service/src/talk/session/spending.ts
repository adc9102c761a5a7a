/** What a talk costs, from what its engines were really used for; and its budget. */
import {
  NOTHING_USED,
  priceOf,
  sumOf,
  type CostSum,
  type EngineRole,
  type Prices,
  type Use,
  type Used,
  type Waste,
} from '@verbalon/core';
import type { AssistantFile } from '@verbalon/protocol';

const USUAL_WARNING = 0.8;

export interface SpendingOptions {
  prices: (engine: string) => Prices | null;
  /** Used of an engine this month before now. */
  usedBefore: (engine: string) => Used;
  /** Spent today by this assistant, in the budget's currency: all that is kept by now. */
  spentToday: () => number;
  budget: AssistantFile['budget'];
  /** Uses of a turn that is over; of none after the last one. */
  keep: (uses: readonly Use[], turn: number | null) => void;
  warn: (detail: string) => void;
  usedUp: (detail: string) => void;
}

export class Spending {
  readonly uses: Use[] = [];
  private waiting: Use[] = [];
  private warned = false;
  private stopped = false;
  private closed = false;

  constructor(private readonly options: SpendingOptions) {}

  /** @param kept its sound was there already: nothing was used, and its price is saved */
  add(role: EngineRole, engine: string, used: Partial<Used>, waste: Waste | null, kept = false): void {
    const { prices: pricesOf, usedBefore } = this.options;
    const prices = pricesOf(engine);
    const all = { ...NOTHING_USED, ...used };
    const price = prices && priceOf(prices, all, usedBefore(engine));
    const use: Use = {
      ...(kept ? NOTHING_USED : all),
      role,
      engine,
      cost: price === null ? null : kept ? 0 : price,
      currency: prices?.currency ?? null,
      waste: kept ? null : waste,
      saved: kept ? (price ?? 0) : 0,
    };
    this.uses.push(use);
    this.waiting.push(use);
    // What was running when the caller left says only now what it has used.
    if (this.closed) this.closeTurn(null);
    else this.checkBudget();
  }

  /** What was used since the last turn was for this one. */
  closeTurn(turn: number | null): void {
    if (this.waiting.length > 0) this.options.keep(this.waiting, turn);
    this.waiting = [];
  }

  /** The talk is over: what comes from now on belongs to no turn. */
  close(): void {
    this.closed = true;
    this.closeTurn(null);
  }

  sums(): CostSum[] {
    return sumOf(this.uses);
  }

  private checkBudget(): void {
    const { budget, spentToday, warn, usedUp } = this.options;
    if (!budget || this.stopped) return;
    const spentOn = (uses: readonly Use[]) =>
      sumOf(uses).find(({ currency }) => currency === budget.currency)?.cost ?? 0;
    const shares = [
      { name: 'talk', spent: spentOn(this.uses), most: budget.talk },
      { name: 'day', spent: spentToday() + spentOn(this.waiting), most: budget.day },
    ].flatMap(({ name, spent, most }) =>
      most === undefined ? [] : [{ name, spent, most, share: spent / most }],
    );
    const worst = shares.sort((a, b) => b.share - a.share)[0];
    if (!worst || worst.share < (budget.warnAt ?? USUAL_WARNING)) return;
    const { name, spent, most } = worst;
    const detail = `${spent.toFixed(4)} of ${most} ${budget.currency} for a ${name} are spent`;
    if (!this.warned) warn(detail);
    this.warned = true;
    if (worst.share < 1) return;
    this.stopped = true;
    usedUp(detail);
  }
}
