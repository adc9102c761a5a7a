/**
 * How an engine has been of late: whether it is to be used, and how long to wait for it. Pure: the time comes
 * with each call, ms.
 */
import { percentile } from '../measure/percentiles.js';

/** So many faults one after the other make it unusable. */
const FAULTS_TO_OPEN = 2;
/** Then it is left alone for this long; after each failed trial twice as long, up to the most. */
const FIRST_REST_MS = 3_000;
const MOST_REST_MS = 60_000;
/** Times that are remembered, and how many are needed before anything is learned from them. */
const REMEMBERED = 50;
const LEAST_TIMES = 8;
/**
 * It is late when it takes so much longer than nineteen of twenty times before; and never sooner than this,
 * in ms.
 */
const LATE_FACTOR = 2.5;
const LEAST_DEADLINE_MS = 600;
/** What nobody could do instead is waited for at least this long, in ms. */
const ALONE_MS = 8_000;
/**
 * A second engine is asked when it takes longer than this share of its times, and never sooner than this, in
 * ms.
 */
const SECOND_SHARE = 0.9;
const LEAST_SECOND_MS = 120;

export interface Deadlines {
  /** To the first answer, and between its pieces, in ms. */
  firstMs: number;
  betweenMs: number;
}

/** What a card that says nothing is taken to say. */
export const USUAL_DEADLINES: Deadlines = { firstMs: 4_000, betweenMs: 3_000 };

export class EngineHealth {
  private readonly first: number[] = [];
  private readonly between: number[] = [];
  private faults = 0;
  private restMs = FIRST_REST_MS;
  private restsUntilMs = 0;
  private lastFault = '';

  constructor(private readonly bounds: Deadlines) {}

  answeredFirst(tookMs: number): void {
    remember(this.first, tookMs);
  }

  answeredNext(tookMs: number): void {
    remember(this.between, tookMs);
  }

  /** A whole answer has come. */
  succeeded(): void {
    this.faults = 0;
    this.restMs = FIRST_REST_MS;
    this.restsUntilMs = 0;
  }

  /** @param retryMs so long the engine itself wants to be left alone */
  failed(nowMs: number, why: string, retryMs: number | null = null): void {
    this.lastFault = why;
    this.faults++;
    if (retryMs !== null) this.restsUntilMs = nowMs + retryMs;
    else if (this.faults >= FAULTS_TO_OPEN) {
      this.restsUntilMs = nowMs + this.restMs;
      this.restMs = Math.min(MOST_REST_MS, this.restMs * 2);
    }
  }

  /** Null when it is to be used; else why not. When its rest is over the next request is a trial. */
  resting(nowMs: number): string | null {
    return nowMs < this.restsUntilMs ? this.lastFault : null;
  }

  get restsUntil(): number {
    return this.restsUntilMs;
  }

  /**
   * How long to wait: learned from its own times, within what the card allows. @param alone nobody could take
   * over
   */
  deadlines(alone = false): Deadlines {
    const { firstMs, betweenMs } = this.bounds;
    if (alone) return { firstMs: Math.max(ALONE_MS, firstMs), betweenMs: Math.max(ALONE_MS, betweenMs) };
    return {
      firstMs: learned(this.first, firstMs),
      betweenMs: learned(this.between, betweenMs),
    };
  }

  /** After so long without a first answer a second engine may be asked, in ms. */
  secondAfterMs(): number {
    if (this.first.length < LEAST_TIMES) return this.bounds.firstMs / 2;
    return Math.max(LEAST_SECOND_MS, percentile(this.first, SECOND_SHARE));
  }

  /** The middle of its last times to the first answer, in ms; null before it was used. */
  get usualFirstMs(): number | null {
    return this.first.length === 0 ? null : percentile(this.first, 0.5);
  }
}

function remember(times: number[], tookMs: number): void {
  times.push(tookMs);
  if (times.length > REMEMBERED) times.shift();
}

function learned(times: readonly number[], boundMs: number): number {
  if (times.length < LEAST_TIMES) return boundMs;
  return Math.min(boundMs, Math.max(LEAST_DEADLINE_MS, LATE_FACTOR * percentile(times, 0.95)));
}
