/**
 * The caller's axis of time: the index of the captured sample, in ms. While sound comes, "now" is where the
 * caller's microphone must stand by now; it is learned from the frame that came with the least delay in the
 * last seconds, so that a microphone that stalls, or whose clock drifts, does not leave the axis behind.
 */

const WINDOW_MS = 1_000;
/** A line may be so far ahead of real time (a burst after a stall), in ms. */
export const MOST_AHEAD_MS = 5_000;
/**
 * What a line says of its own axis lies no further ahead than this, in ms: it may know of sound that is still
 * on its way.
 */
export const MOST_FUTURE_MS = 10_000;

export class Axis {
  /**
   * Service time at which the axis stands at zero: the least seen in this window of time and in the one
   * before.
   */
  private zeroMs: number;
  private before = Infinity;
  private least = Infinity;
  private windowEndsMs: number;

  constructor(private readonly clock: () => number) {
    this.zeroMs = clock();
    this.windowEndsMs = this.zeroMs + WINDOW_MS;
  }

  /** Sound up to `capturedMs` has just arrived. */
  learn(capturedMs: number): void {
    const now = this.clock();
    if (now > this.windowEndsMs) {
      this.before = this.least;
      this.least = Infinity;
      this.windowEndsMs = now + WINDOW_MS;
    }
    this.least = Math.min(this.least, now - capturedMs);
    this.zeroMs = Math.min(this.before, this.least);
  }

  nowMs(): number {
    return this.clock() - this.zeroMs;
  }
}
