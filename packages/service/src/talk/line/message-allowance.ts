/** How many messages a line may send: it is used up by each, and fills up again with time. */
export const MOST_MESSAGES_A_SECOND = 200;
/** So many come at once when whoever sends them, or reads them, stood still for five seconds. */
export const MOST_AT_ONCE = 5 * MOST_MESSAGES_A_SECOND;
/** So many come at once when a lost line comes back: what it kept for RESUME_MS. */
const MOST_ON_RETURN = 3_000;

export class MessageAllowance {
  private left = MOST_AT_ONCE;

  /** @param countedAt ms, as `performance.now()` */
  constructor(private countedAt: number) {}

  /** One more has come. @returns whether it was allowed */
  take(now: number): boolean {
    const more = ((now - this.countedAt) * MOST_MESSAGES_A_SECOND) / 1000;
    this.left = Math.min(Math.max(this.left, MOST_AT_ONCE), this.left + more) - 1;
    this.countedAt = now;
    return this.left >= 0;
  }

  /** A lost line has come back. */
  returned(): void {
    this.left = MOST_ON_RETURN;
  }
}
