/**
 * The conductor on a virtual clock: its timers ring, and what is to happen later happens then. Shared by the
 * replay, the benches and the tests.
 */
import { Conductor } from '../conductor/conductor.js';
import type { Happening, Unstamped } from '../conductor/contract/happenings.js';
import type { Order } from '../conductor/contract/orders.js';

export class VirtualTalk {
  nowMs = 0;
  /** Soonest first; of one time, in the order they were set. */
  private readonly queue: { atMs: number; run: () => void }[] = [];
  private readonly timers = new Set<number>();

  /**
   * @param carryOut gets every order, in its turn
   * @param timers that run already, of a conductor that is taken up from a snapshot: they never ring
   */
  constructor(
    private readonly carryOut: (order: Order) => void,
    readonly conductor: Pick<Conductor, 'conduct'> = new Conductor(),
    timers: readonly number[] = [],
  ) {
    for (const timer of timers) this.timers.add(timer);
  }

  at(atMs: number, run: () => void): void {
    let i = this.queue.length;
    while (i > 0 && this.queue[i - 1]!.atMs > atMs) i--;
    this.queue.splice(i, 0, { atMs, run });
  }

  after(ms: number, run: () => void): void {
    this.at(this.nowMs + ms, run);
  }

  /** Until the time is over (and the clock stands there), nothing is left to come, or `isOver`. */
  run(untilMs: number, isOver: () => boolean = () => false): void {
    while (!isOver() && this.queue.length > 0 && this.queue[0]!.atMs <= untilMs) {
      const next = this.queue.shift()!;
      this.nowMs = Math.max(this.nowMs, next.atMs);
      next.run();
    }
  }

  /** @returns the orders, which were carried out */
  happen(what: Unstamped): Order[] {
    const orders = this.conductor.conduct({ ...what, nowMs: this.nowMs } as Happening);
    for (const order of orders) {
      this.keepTime(order);
      this.carryOut(order);
    }
    return orders;
  }

  private keepTime(order: Order): void {
    if (order.kind === 'clearTimer') this.timers.delete(order.timer);
    if (order.kind !== 'setTimer') return;
    this.timers.add(order.timer);
    this.after(order.afterMs, () => {
      if (this.timers.delete(order.timer)) this.happen({ kind: 'rang', timer: order.timer });
    });
  }
}
