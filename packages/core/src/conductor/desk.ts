/** What the handlers of the conductor work with: the state, the time, and the orders given so far. */
import type { BareOrder, Order, Phase, TimerName, Told } from './orders.js';
import type { Plan } from './plan.js';
import type { State } from './state.js';

export class Desk {
  readonly orders: Order[] = [];

  constructor(
    readonly state: State,
    readonly nowMs: number,
  ) {}

  get plan(): Plan {
    if (!this.state.plan) throw new Error('the conductor needs `joined` before anything else');
    return this.state.plan;
  }

  order(order: BareOrder, reason: string): void {
    this.orders.push({ ...order, reason });
  }

  tell(message: Told, reason: string): void {
    this.order({ kind: 'tell', message }, reason);
  }

  ignore(happening: string, id: number): void {
    this.order({ kind: 'ignore', happening, id }, 'it belongs to something that has ended');
  }

  newId(): number {
    return ++this.state.lastId;
  }

  setTimer(name: TimerName, afterMs: number, reason: string): void {
    this.clearTimer(name, 'it is set anew');
    const timer = this.newId();
    this.state.timers[name] = timer;
    this.order({ kind: 'setTimer', timer, name, afterMs: Math.max(0, Math.round(afterMs)) }, reason);
  }

  clearTimer(name: TimerName, reason: string): void {
    const timer = this.state.timers[name];
    if (timer === undefined) return;
    delete this.state.timers[name];
    this.order({ kind: 'clearTimer', timer, name }, reason);
  }

  clearAllTimers(reason: string): void {
    for (const name of Object.keys(this.state.timers) as TimerName[]) this.clearTimer(name, reason);
  }

  /** Enters a phase; while listening to nobody, the wait for rest begins. */
  enter(phase: Phase, reason: string): void {
    if (this.state.phase !== phase) {
      this.state.phase = phase;
      this.tell({ kind: 'state', state: phase }, reason);
    }
    if (phase === 'listening' && !this.state.turn && !this.state.voiceActive) {
      this.setTimer('rest', this.plan.manners.restAfterMs, 'nobody speaks');
      this.awaitFirstWord();
    } else {
      this.clearTimer('rest', reason);
      this.clearTimer('firstWord', reason);
    }
  }

  /** On an open floor the caller's first word is waited for, once until the caller speaks again. */
  private awaitFirstWord(): void {
    const { purpose, manners } = this.plan;
    const { floor, silenceNoticed } = this.state;
    if (purpose !== 'talk' || floor !== 'open' || silenceNoticed) return;
    if (manners.firstWordMs > 0 && manners.firstWordMs < manners.restAfterMs)
      this.setTimer('firstWord', manners.firstWordMs, 'the first word is waited for');
  }
}
