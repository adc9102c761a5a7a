/**
 * What a line sends is taken as long as it has not had its share of the computing time; then it waits, in
 * order, and nothing is lost.
 */
import type { WebSocket } from 'ws';
import { ComputingBudget, computingMs } from './computing-budget.js';

export interface Came {
  data: Buffer;
  isBinary: boolean;
}

export class FairShare {
  private readonly budget = new ComputingBudget();
  /** What came while the line waits; null where it does not wait. */
  private waiting: Came[] | null = null;

  constructor(
    private readonly socket: Pick<WebSocket, 'pause' | 'resume'>,
    private readonly work: (came: Came) => void,
    private readonly isOver: () => boolean,
  ) {}

  take(came: Came): void {
    if (this.waiting) return void this.waiting.push(came);
    const fromMs = performance.now();
    // Sound has a pace of its own.
    if (came.isBinary) return this.work(came);
    const waitMs = this.budget.spend(
      computingMs(() => this.work(came)),
      fromMs,
    );
    if (waitMs > 0 && !this.isOver()) this.wait(waitMs);
  }

  private wait(waitMs: number): void {
    this.socket.pause();
    // What was read with it comes all the same.
    this.waiting = [];
    setTimeout(() => {
      const all = this.waiting ?? [];
      this.waiting = null;
      if (this.isOver()) return;
      for (const came of all) this.take(came);
      if (this.waiting === null) this.socket.resume();
    }, waitMs);
  }
}
