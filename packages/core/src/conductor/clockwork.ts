/**
 * The conductor on a virtual clock, with a recogniser that finds again what it once found. What the engines and the line do
 * is for whoever runs it. Shared by the replay of stored talks and the benches.
 */
import type { Conductor } from './conductor.js';
import type { Happening, HeardWord, Unstamped } from './happenings.js';
import type { Order } from './orders.js';

/** A recogniser's last words come so long after it is closed, in ms: measured. */
export const FINAL_LATE_MS = 60;
/** A word that had hardly begun before belongs to what was listened to before, in ms. */
const BEGUN_BEFORE_MS = 60;

export class Clockwork {
  nowMs = 0;
  /** Soonest first; of one time, in the order they were set. */
  private readonly queue: { atMs: number; run: () => void }[] = [];
  private readonly timers = new Set<number>();
  private readonly open = new Map<number, { fromMs: number; closed: boolean }>();

  /** `finals`: all words the recogniser ends with, on the caller's time. `carryOut` gets every order, in its turn. */
  constructor(
    private readonly conductor: Pick<Conductor, 'conduct'>,
    private readonly finals: readonly HeardWord[],
    private readonly carryOut: (order: Order) => void,
    timers: readonly number[] = [],
  ) {
    for (const timer of timers) this.timers.add(timer);
  }

  at(atMs: number, run: () => void): void {
    let i = this.queue.length;
    while (i > 0 && this.queue[i - 1]!.atMs > atMs) i--;
    this.queue.splice(i, 0, { atMs, run });
  }

  /** Until the time is over, nothing is left to come, or `isOver`. */
  run(untilMs: number, isOver: () => boolean = () => false): void {
    while (!isOver()) {
      const next = this.queue.shift();
      if (!next || next.atMs > untilMs) return;
      this.nowMs = next.atMs;
      next.run();
    }
  }

  happen(what: Unstamped): void {
    for (const order of this.conductor.conduct({ ...what, nowMs: this.nowMs } as Happening)) {
      this.keepTime(order);
      this.carryOut(order);
    }
  }

  /** What the recogniser thinks so far, for every segment that is open. */
  partial(words: readonly HeardWord[]): void {
    for (const [recognition, { fromMs, closed }] of this.open) {
      const its = wordsFrom(words, fromMs);
      if (!closed && its.length > 0) this.happen({ kind: 'partial', recognition, words: its });
    }
  }

  private keepTime(order: Order): void {
    switch (order.kind) {
      case 'setTimer':
        this.timers.add(order.timer);
        return this.at(this.nowMs + order.afterMs, () => {
          if (this.timers.delete(order.timer)) this.happen({ kind: 'rang', timer: order.timer });
        });
      case 'clearTimer':
        this.timers.delete(order.timer);
        return;
      case 'openRecognition':
        this.open.set(order.recognition, { fromMs: order.fromMs, closed: false });
        return;
      case 'closeRecognition':
        return this.close(order.recognition, order.toMs);
      case 'dropRecognition':
        this.open.delete(order.recognition);
        return;
      default:
    }
  }

  private close(recognition: number, toMs: number): void {
    const one = this.open.get(recognition);
    if (!one) return;
    one.closed = true;
    this.at(this.nowMs + FINAL_LATE_MS, () => {
      if (!this.open.delete(recognition)) return;
      const words = wordsFrom(this.finals, one.fromMs).filter((word) => (word.fromMs + word.toMs) / 2 < toMs);
      this.happen({ kind: 'final', recognition, words, alternatives: [] });
    });
  }
}

function wordsFrom(words: readonly HeardWord[], fromMs: number): HeardWord[] {
  return words.filter(({ toMs }) => toMs > fromMs + BEGUN_BEFORE_MS);
}
