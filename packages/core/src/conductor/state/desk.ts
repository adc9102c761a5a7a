/**
 * What the handlers of the conductor work with: the state, the time, the orders given so far, and the signals
 * by which a machine says what another one, or a flow, has to do. Signals are worked off first in, first out,
 * within the same `conduct`.
 */
import type { Cause } from '../contract/causes.js';
import {
  TIMER_OWNERS,
  type BareOrder,
  type Order,
  type Phase,
  type TimerName,
  type Told,
} from '../contract/orders.js';
import type { Plan } from '../contract/plan.js';
import type { Relief } from '../contract/report.js';
import type { Answer } from './answer.js';
import type { State } from './state.js';
import type { Pause, Turn } from './turn.js';

/** What a machine asks the flows to do. */
export type Signal =
  // Listening: the caller speaks, and nothing listens yet; is silent; goes on; and what was said is known
  // better.
  | { kind: 'voiceOn'; atMs: number }
  | { kind: 'wentOn'; atMs: number }
  | { kind: 'fellSilent'; pause: Pause; voicedMs: number; pitchedMs: number }
  | { kind: 'stretchOver'; atMs: number }
  | { kind: 'wordsKnown'; how: 'partial' | 'final' | 'lost'; ofLastSegment: boolean }
  // The end of a turn.
  | { kind: 'turnEnded'; cause: Cause }
  // The key.
  | { kind: 'floorOpened' }
  | { kind: 'keyDown'; atMs: number }
  | { kind: 'keyUp'; atMs: number; cause: Cause }
  | { kind: 'graceOver' }
  // The keys of a telephone: one went down; what they come to.
  | { kind: 'keyTouched' }
  | { kind: 'keysOver'; text: string }
  // What a voice over the assistant was.
  | { kind: 'bargedIn'; cause: Cause; sure: boolean }
  | { kind: 'wasNothing'; cause: Cause }
  // Generation.
  | { kind: 'textGrew'; answer: Answer; phrases: readonly string[] }
  | { kind: 'written'; answer: Answer; phrases: readonly string[] }
  /** The model wants errands done. */
  | { kind: 'errandsCalled'; answer: Answer }
  | { kind: 'thinkingFailed'; answer: Answer; code: string; detail: string }
  // Speech.
  | { kind: 'firstSound'; answer: Answer }
  | { kind: 'spoken'; answer: Answer }
  | { kind: 'flushed'; answer: Answer }
  | { kind: 'speakingFailed'; answer: Answer; detail: string };

export type SignalOf<K extends Signal['kind']> = Extract<Signal, { kind: K }>;

export class Desk {
  readonly orders: Order[] = [];
  private readonly signals: Signal[] = [];

  constructor(
    readonly state: State,
    readonly nowMs: number,
  ) {}

  get plan(): Plan {
    if (!this.state.plan) throw new Error('the conductor needs `joined` before anything else');
    return this.state.plan;
  }

  order(order: BareOrder, cause: Cause): void {
    this.orders.push({ ...order, cause });
  }

  tell(message: Told, cause: Cause): void {
    this.order({ kind: 'tell', message }, cause);
  }

  ignore(happening: string, id: number): void {
    this.order({ kind: 'ignore', happening, id }, { kind: 'ofThePast' });
  }

  raise(signal: Signal): void {
    this.signals.push(signal);
  }

  nextSignal(): Signal | undefined {
    return this.signals.shift();
  }

  newId(): number {
    return ++this.state.lastId;
  }

  setTimer(name: TimerName, afterMs: number, cause: Cause): void {
    this.clearTimer(name, { kind: 'timerSetAnew' });
    const timer = this.newId();
    this.state.timers[name] = timer;
    this.order({ kind: 'setTimer', timer, name, afterMs: Math.max(0, Math.round(afterMs)) }, cause);
  }

  clearTimer(name: TimerName, cause: Cause): void {
    const timer = this.state.timers[name];
    if (timer === undefined) return;
    delete this.state.timers[name];
    this.order({ kind: 'clearTimer', timer, name }, cause);
  }

  /** The turn, the answer or the talk is over: so are its timers. */
  clearTimersOf(owner: (typeof TIMER_OWNERS)[TimerName]): void {
    for (const name of Object.keys(this.state.timers) as TimerName[])
      if (TIMER_OWNERS[name] === owner) this.clearTimer(name, { kind: 'itsOwnerIsOver' });
  }

  clearAllTimers(cause: Cause): void {
    for (const name of Object.keys(this.state.timers) as TimerName[]) this.clearTimer(name, cause);
  }

  /** An engine took over from another one: said, and kept for the report. */
  relieved(turn: Turn, relief: Relief): void {
    turn.reliefs.push(relief);
    this.tell({ kind: 'relieved', turn: turn.turn, ...relief }, relief.cause);
  }

  /** Enters a phase; while listening to nobody, the wait for rest begins. */
  enter(wanted: Phase, cause: Cause): void {
    const { state, plan } = this;
    const isClosed =
      wanted === 'listening' && state.floor.is === 'once' && !state.floor.opened && !state.turn;
    const phase = isClosed ? 'resting' : wanted;
    if (state.phase !== phase) {
      state.phase = phase;
      this.tell({ kind: 'state', state: phase }, cause);
    }
    if (phase === 'listening' && !state.turn && !state.floor.voiceActive) {
      this.setTimer('rest', plan.manners.restAfterMs, { kind: 'nobodySpeaks' });
      this.awaitFirstWord();
    } else {
      this.clearTimer('rest', cause);
      this.clearTimer('firstWord', cause);
    }
  }

  /** On an open floor the caller's first word is waited for, once until the caller speaks again. */
  private awaitFirstWord(): void {
    const { purpose, manners } = this.plan;
    const { is, silenceNoticed } = this.state.floor;
    if (purpose !== 'talk' || is !== 'open' || silenceNoticed) return;
    if (manners.firstWordMs > 0 && manners.firstWordMs < manners.restAfterMs)
      this.setTimer('firstWord', manners.firstWordMs, { kind: 'firstWordAwaited' });
  }
}
