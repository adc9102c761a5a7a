/** A simulated recogniser that finds again what a real one once found. */
import type { Order } from '../conductor/contract/orders.js';
import type { HeardWord } from '../vocabulary/words.js';
import type { VirtualTalk } from './virtual-talk.js';

/** A recogniser's last words come so long after it is closed, in ms: measured. */
export const FINAL_LATE_MS = 60;
/** A word that had hardly begun before belongs to what was listened to before, in ms. */
const BEGUN_BEFORE_MS = 60;

export class SimulatedRecogniser {
  private readonly open = new Map<number, { fromMs: number; closed: boolean }>();

  /** `finals`: all words it ends with, on the caller's time. */
  constructor(
    private readonly talk: VirtualTalk,
    private readonly finals: readonly HeardWord[],
  ) {}

  carryOut(order: Order): void {
    if (order.kind === 'openRecognition')
      this.open.set(order.recognition, { fromMs: order.fromMs, closed: false });
    if (order.kind === 'closeRecognition') this.close(order.recognition, order.toMs);
    if (order.kind === 'dropRecognition') this.open.delete(order.recognition);
  }

  /** What it thinks so far, for every segment that is open. */
  partial(words: readonly HeardWord[]): void {
    for (const [recognition, { fromMs, closed }] of this.open) {
      const its = wordsFrom(words, fromMs);
      if (!closed && its.length > 0) this.talk.happen({ kind: 'partial', recognition, words: its });
    }
  }

  private close(recognition: number, toMs: number): void {
    const one = this.open.get(recognition);
    if (!one) return;
    one.closed = true;
    this.talk.after(FINAL_LATE_MS, () => {
      if (!this.open.delete(recognition)) return;
      const words = wordsFrom(this.finals, one.fromMs).filter((word) => (word.fromMs + word.toMs) / 2 < toMs);
      this.talk.happen({ kind: 'final', recognition, words, alternatives: [] });
    });
  }
}

function wordsFrom(words: readonly HeardWord[], fromMs: number): HeardWord[] {
  return words.filter(({ toMs }) => toMs > fromMs + BEGUN_BEFORE_MS);
}
