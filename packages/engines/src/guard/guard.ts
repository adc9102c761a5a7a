/**
 * The guard of an engine: holds to the promise of where what is given to it may go, knows its deadlines,
 * keeps how it has been of late, and holds it to its limit of requests at once.
 */
import {
  EngineHealth,
  forbidden,
  USUAL_DEADLINES,
  type Deadlines,
  type Reached,
  type Stay,
} from '@verbalon/core';
import { EngineFault } from '../common/contract.js';

export interface GuardOptions {
  deadlines?: { firstMs?: number | undefined; betweenMs?: number | undefined } | undefined;
  atOnce?: number | undefined;
  /** A second engine may be asked beside it when it is late. */
  hedged?: boolean | undefined;
  /** Where requests go; without it, where the engine says that it is. */
  reached?: Reached | undefined;
  /** Each caller brings one of their own: how one of them is tells nothing of the others. */
  ofCaller?: boolean | undefined;
}

/** A rest that a wrong key needs: nobody changes keys within a talk, in ms. */
const WRONG_KEY_REST_MS = 60_000;

/** Faults that tell nothing of how well the engine is. */
const NOT_ITS_FAULT = new Set(['voice-unknown', 'engine-forbidden']);

export class Guard {
  readonly health: EngineHealth;
  private readonly bounds: Deadlines;
  private running = 0;

  constructor(
    readonly name: string,
    private readonly options: GuardOptions & { reached: Reached },
    private readonly clock: () => number = () => performance.now(),
  ) {
    const { firstMs, betweenMs } = options.deadlines ?? {};
    this.bounds = {
      firstMs: firstMs ?? USUAL_DEADLINES.firstMs,
      betweenMs: betweenMs ?? USUAL_DEADLINES.betweenMs,
    };
    this.health = new EngineHealth(this.bounds);
  }

  /** Each caller brings one of their own. */
  get isOfCaller(): boolean {
    return this.options.ofCaller ?? false;
  }

  get now(): number {
    return this.clock();
  }

  /** @param alone nobody could take over */
  deadlines(alone = false): Deadlines {
    return this.isOfCaller ? this.bounds : this.health.deadlines(alone);
  }

  /** After so long it is late and may be hedged; null where it may not. */
  get secondAfterMs(): number | null {
    return this.options.hedged ? this.health.secondAfterMs() : null;
  }

  /** Requests go on. */
  get busy(): boolean {
    return this.running > 0;
  }

  /** Null when it is to be used. */
  resting(): string | null {
    return this.health.resting(this.clock());
  }

  /**
   * A request begins. @param stay where what is given may go
   * @throws EngineFault `engine-forbidden`, `engine-busy` @returns what ends it
   */
  enter(stay: Stay | null): () => void {
    const { atOnce, reached } = this.options;
    const why = forbidden(reached, stay);
    if (why !== null) throw new EngineFault('engine-forbidden', why);
    if (atOnce !== undefined && this.running >= atOnce)
      throw new EngineFault('engine-busy', `${this.name} takes at most ${atOnce} at once, as its card says`);
    this.running++;
    let left = false;
    return () => {
      if (!left) this.running--;
      left = true;
    };
  }

  failed(error: unknown): EngineFault {
    const fault =
      error instanceof EngineFault ? error : new EngineFault('engine-down', `${this.name}: ${String(error)}`);
    if (this.isOfCaller || fault.isOfRequest || NOT_ITS_FAULT.has(fault.code)) return fault;
    const restMs =
      fault.code === 'engine-key-wrong' || fault.code === 'engine-key-missing'
        ? WRONG_KEY_REST_MS
        : fault.retryMs;
    this.health.failed(this.clock(), fault.detail, restMs);
    return fault;
  }

  late(what: string, ms: number): EngineFault {
    return new EngineFault('engine-late', `${this.name} gave no ${what} within ${Math.round(ms)} ms`);
  }
}
