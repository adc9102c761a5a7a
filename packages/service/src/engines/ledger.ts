/** What was used this month and spent today: summed once by the database, and kept up from then on. */
import { NOTHING_USED, type Use, type Used } from '@verbalon/core';

/** A use, and whose it was. */
interface BookedUse extends Use {
  assistant: string;
  at: Date;
}

/** Sums of the database: of each engine this month, of each assistant and currency today (UTC). */
export interface SpentBefore {
  month: (Used & { engine: string })[];
  today: { assistant: string; currency: string; cost: number }[];
}

const monthOf = (at: Date) => at.toISOString().slice(0, 7);
const dayOf = (at: Date) => at.toISOString().slice(0, 10);

export class Ledger {
  private readonly months = new Map<string, Used>();
  private readonly days = new Map<string, number>();

  constructor(
    before: SpentBefore,
    private readonly now: () => Date = () => new Date(),
  ) {
    const at = now();
    for (const { engine, ...used } of before.month) this.months.set(`${monthOf(at)} ${engine}`, used);
    for (const { assistant, currency, cost } of before.today)
      this.days.set(`${dayOf(at)} ${assistant} ${currency}`, cost);
  }

  book(use: BookedUse): void {
    const month = `${monthOf(use.at)} ${use.engine}`;
    const sum = this.months.get(month) ?? NOTHING_USED;
    this.months.set(month, {
      audioMs: sum.audioMs + use.audioMs,
      characters: sum.characters + use.characters,
      tokensIn: sum.tokensIn + use.tokensIn,
      tokensOut: sum.tokensOut + use.tokensOut,
      requests: sum.requests + use.requests,
    });
    if (use.currency === null) return;
    const day = `${dayOf(use.at)} ${use.assistant} ${use.currency}`;
    this.days.set(day, (this.days.get(day) ?? 0) + (use.cost ?? 0));
  }

  /** Used of an engine this month (UTC). */
  usedThisMonth(engine: string): Used {
    return this.months.get(`${monthOf(this.now())} ${engine}`) ?? NOTHING_USED;
  }

  /** Spent by an assistant today (UTC). */
  spentToday(assistant: string, currency: string): number {
    return this.days.get(`${dayOf(this.now())} ${assistant} ${currency}`) ?? 0;
  }
}
