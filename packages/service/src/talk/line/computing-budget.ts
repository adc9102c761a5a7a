/**
 * How much of the event loop's time what somebody sends may take: a share of it, so that nobody slows
 * another.
 */

export interface Share {
  /** Of each second, 0 to 1. */
  share: number;
  /** So much at once, when nothing came for a while, in ms. */
  atOnceMs: number;
  /** Whoever has just come has so much: who comes again and again has no more than who stays, in ms. */
  atFirstMs: number;
}

/**
 * Does the work. @returns how long it computed, in ms: time in which a busy machine kept it waiting is not
 * its own
 */
export function computingMs(work: () => void): number {
  const fromMs = performance.now();
  const before = process.cpuUsage();
  work();
  const { user, system } = process.cpuUsage(before);
  // All threads compute in this process: no more than the time that passed is this one's.
  return Math.min(performance.now() - fromMs, (user + system) / 1000);
}

/** Of what a line says. */
const OF_A_LINE: Share = { share: 0.2, atOnceMs: 80, atFirstMs: 40 };
/** Nothing shorter is worth a wait, in ms. */
const LEAST_WAIT_MS = 5;

export class ComputingBudget {
  private leftMs: number;
  private countedMs: number | null = null;

  constructor(private readonly of: Share = OF_A_LINE) {
    this.leftMs = of.atFirstMs;
  }

  /**
   * @param tookMs of computing @param nowMs when it began @returns how long nothing more is to be taken, in
   * ms; 0 for not at all
   */
  spend(tookMs: number, nowMs: number): number {
    const { share, atOnceMs } = this.of;
    const sinceMs = this.countedMs === null ? 0 : Math.max(0, nowMs - this.countedMs);
    this.countedMs = nowMs;
    this.leftMs = Math.min(atOnceMs, this.leftMs + sinceMs * share) - tookMs;
    const waitMs = -this.leftMs / share;
    return waitMs < LEAST_WAIT_MS ? 0 : waitMs;
  }
}
