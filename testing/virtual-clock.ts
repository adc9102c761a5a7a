/** The clock of a session, turned by hand. */
import type { SessionClock } from '../packages/service/src/talk/session/clock.js';

interface Timer {
  atMs: number;
  everyMs: number | null;
  run: () => void;
}

export class VirtualClock implements SessionClock {
  private ms = 0;
  private readonly timers = new Set<Timer>();

  nowMs(): number {
    return this.ms;
  }

  unixMs(): number {
    return this.ms;
  }

  after(ms: number, run: () => void): () => void {
    return this.set({ atMs: this.ms + ms, everyMs: null, run });
  }

  every(ms: number, run: () => void): () => void {
    return this.set({ atMs: this.ms + ms, everyMs: ms, run });
  }

  /** How many would still ring. */
  get pending(): number {
    return this.timers.size;
  }

  /** Time goes on; what is due rings, in order. */
  pass(ms: number): void {
    const untilMs = this.ms + ms;
    for (;;) {
      const next = [...this.timers].sort((a, b) => a.atMs - b.atMs)[0];
      if (!next || next.atMs > untilMs) break;
      this.ms = Math.max(this.ms, next.atMs);
      if (next.everyMs === null) this.timers.delete(next);
      else next.atMs += next.everyMs;
      next.run();
    }
    this.ms = untilMs;
  }

  private set(timer: Timer): () => void {
    this.timers.add(timer);
    return () => this.timers.delete(timer);
  }
}
