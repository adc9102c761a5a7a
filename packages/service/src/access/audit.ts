/**
 * What is written down of what was done and refused. Refusals of somebody who showed nothing are counted, an
 * entry a minute for each kind: whoever sends a thousand of them buries nothing.
 */
import type { AuditRow } from '../database/access-store.js';

/** It is kept for a year, and no more than so many entries of it. */
export const AUDIT_KEPT_MS = 366 * 86_400_000;
export const MOST_AUDITED = 200_000;
const EVERY_MS = 60_000;
/** So many kinds of refusals are told apart; others are counted as one. */
const MOST_KINDS = 50;

type Entry = Omit<AuditRow, 'at'>;

export class Audit {
  private readonly refused = new Map<string, { entry: Entry; count: number; addresses: Set<string> }>();
  private readonly timer: NodeJS.Timeout;

  /** @param write never throws */
  constructor(private readonly write: (row: AuditRow) => void) {
    this.timer = setInterval(() => this.flush(), EVERY_MS);
    this.timer.unref();
  }

  note(entry: Entry): void {
    const isNobodys = entry.who === 'nobody' && entry.status >= 400;
    if (!isNobodys) return this.write({ at: new Date(), ...entry });
    const kind = `${entry.what} ${entry.status}${entry.what === 'enter' ? entry.about : ''}`;
    const key = this.refused.has(kind) || this.refused.size < MOST_KINDS ? kind : 'others';
    const known = this.refused.get(key) ?? { entry, count: 0, addresses: new Set<string>() };
    known.count++;
    if (known.addresses.size < 5) known.addresses.add(entry.address);
    this.refused.set(key, known);
    // The first one is told at once; how many there were, at the end of the minute.
    if (known.count === 1) this.write({ at: new Date(), ...entry });
  }

  stop(): void {
    clearInterval(this.timer);
    this.flush();
  }

  private flush(): void {
    for (const { entry, count, addresses } of this.refused.values())
      if (count > 1)
        this.write({
          at: new Date(),
          ...entry,
          address: [...addresses].join(', '),
          about: `${entry.about} (${count} times within a minute)`.trim(),
        });
    this.refused.clear();
  }
}
