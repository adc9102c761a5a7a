/**
 * The caller's axis of time: the index of the captured sample, in ms. While sound comes, "now" is where the caller's
 * microphone must stand by now; it is learned from the frame that came with the least delay.
 */
export class Axis {
  /** Service time at which the axis stands at zero. */
  private zeroMs: number;
  private learned = false;

  constructor(private readonly clock: () => number) {
    this.zeroMs = clock();
  }

  /** Sound up to `capturedMs` has just arrived. */
  learn(capturedMs: number): void {
    const zero = this.clock() - capturedMs;
    if (!this.learned || zero < this.zeroMs) this.zeroMs = zero;
    this.learned = true;
  }

  nowMs(): number {
    return this.clock() - this.zeroMs;
  }
}
