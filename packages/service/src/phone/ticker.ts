/**
 * One timer for the sound of all calls: every 20 ms each of them takes and gives a frame. What is late is
 * caught up with.
 */
export const FRAME_MS = 20;
/** So many frames are caught up with after a stall; what is more is left out. */
const MOST_AT_ONCE = 10;

export class Ticker {
  private readonly calls = new Map<(nowMs: number) => void, (error: unknown) => void>();
  private timer: NodeJS.Timeout | null = null;
  private nextMs = 0;

  /**
   * @param failed told of what `call` threw: it is not called again, and the others go on @returns how to
   * leave
   */
  join(call: (nowMs: number) => void, failed: (error: unknown) => void): () => void {
    this.calls.set(call, failed);
    if (!this.timer) {
      this.nextMs = performance.now() + FRAME_MS;
      this.wait();
    }
    return () => {
      this.calls.delete(call);
      if (this.calls.size > 0 || !this.timer) return;
      clearTimeout(this.timer);
      this.timer = null;
    };
  }

  private wait(): void {
    this.timer = setTimeout(() => this.ring(), Math.max(0, this.nextMs - performance.now()));
  }

  private ring(): void {
    const nowMs = performance.now();
    const late = Math.floor((nowMs - this.nextMs) / FRAME_MS);
    if (late >= MOST_AT_ONCE) this.nextMs += (late - MOST_AT_ONCE + 1) * FRAME_MS;
    for (; this.nextMs <= nowMs; this.nextMs += FRAME_MS) this.callAll(this.nextMs);
    if (this.calls.size > 0) this.wait();
    else this.timer = null;
  }

  private callAll(nowMs: number): void {
    for (const [call, failed] of this.calls)
      try {
        call(nowMs);
      } catch (error) {
        this.calls.delete(call);
        // What is done about it must not end the others either.
        try {
          failed(error);
        } catch {
          // It was told as far as it could be.
        }
      }
  }
}
