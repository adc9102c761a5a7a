/** A pause before something is tried again: twice as long every time, up to the most. */
export class GrowingPause {
  private nextMs: number;

  constructor(
    private readonly firstMs: number,
    private readonly mostMs: number,
  ) {
    this.nextMs = firstMs;
  }

  /** How long the pause is this time, in ms. */
  take(): number {
    const ms = this.nextMs;
    this.nextMs = Math.min(this.mostMs, ms * 2);
    return ms;
  }

  /** It went well: the next pause is the shortest again. */
  reset(): void {
    this.nextMs = this.firstMs;
  }
}
