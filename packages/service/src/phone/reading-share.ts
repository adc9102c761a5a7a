/**
 * How much of the event loop's time the reading of datagrams may take: a message of SIP costs 3 ms and more.
 * Whoever may ring has half of it together, all strangers a twentieth; what is beyond is dropped unread, and
 * sent again by whoever means it (RFC 3261, 17.1).
 */
import { ComputingBudget, computingMs } from '../talk/line/computing-budget.js';

export class ReadingShare {
  private readonly known = {
    budget: new ComputingBudget({ share: 0.5, atOnceMs: 100, atFirstMs: 100 }),
    untilMs: 0,
  };
  private readonly strangers = {
    budget: new ComputingBudget({ share: 0.05, atOnceMs: 40, atFirstMs: 40 }),
    untilMs: 0,
  };

  /** Reads what has come, where there is time for it. @param isKnown it comes from somebody who may ring */
  read(isKnown: boolean, work: () => void): void {
    const of = isKnown ? this.known : this.strangers;
    const fromMs = performance.now();
    if (fromMs < of.untilMs) return;
    of.untilMs = fromMs + of.budget.spend(computingMs(work), fromMs);
  }
}
