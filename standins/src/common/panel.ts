/**
 * What all stand-ins have: keys, seeded delays, limits and quotas, a list of what they have seen, and a panel
 * of faults that a test orders over HTTP (docs/stand-in-clouds.md).
 */
import { setTimeout as sleep } from 'node:timers/promises';

export const FAULTS = [
  'refuse',
  'key',
  'busy',
  'broken',
  'stall',
  'cut',
  'garbage',
  'slow',
  'late-partials',
  'double-partials',
  'wrong-rate',
] as const;
export type FaultKind = (typeof FAULTS)[number];
export type Role = 'stt' | 'llm' | 'tts';

export interface Fault {
  role: Role;
  kind: FaultKind;
  /** It shows after so many pieces of an answer. */
  after: number;
  /** So many requests have it; without it all have. */
  times?: number;
}

export interface Limits {
  /** Requests a minute and role. */
  aMinute: number;
  /** Requests a role until the quota is used up. */
  quota: number;
}

/** A refusal in the terms of HTTP. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly why: string,
    readonly retryAfter?: number,
  ) {
    super(why);
  }
}

/** A connection that is to be cut without a word. */
export class Cut extends Error {}

export class Panel {
  readonly seen = {
    requests: { stt: 0, llm: 0, tts: 0 },
    finished: { stt: 0, llm: 0, tts: 0 },
    cancelled: { stt: 0, llm: 0, tts: 0 },
    bytes: 0,
    connections: 0,
    texts: [] as string[],
  };
  private faults: Fault[] = [];
  private random: number;
  private readonly times: Record<Role, number[]> = { stt: [], llm: [], tts: [] };

  constructor(
    seed: number,
    private readonly limits: Limits,
  ) {
    this.random = seed >>> 0;
  }

  /** A linear congruential generator (Numerical Recipes), so that a seed gives the same delays again. */
  next(): number {
    this.random = (Math.imul(this.random, 1664525) + 1013904223) >>> 0;
    return this.random / 4294967296;
  }

  /** Between three quarters and one and a half of the mean: most are near it, some are late. */
  around(meanMs: number): number {
    return meanMs * (0.75 + 0.75 * this.next() ** 2);
  }

  order(fault: Fault): void {
    this.faults.push(fault);
  }

  mend(): void {
    this.faults = [];
  }

  /** A request begins. @throws Refusal, Cut */
  async begin(role: Role, keyIsRight: boolean): Promise<Request> {
    this.seen.requests[role]++;
    const fault = this.takeFault(role);
    if (!keyIsRight || fault?.kind === 'key') throw new Refusal(401, 'this key is not known');
    this.count(role);
    if (fault?.kind === 'refuse') throw new Cut();
    if (fault?.kind === 'busy') throw new Refusal(429, 'too many requests', 2);
    if (fault?.kind === 'broken') throw new Refusal(500, 'something went wrong here');
    return new Request(this, role, fault);
  }

  private takeFault(role: Role): Fault | null {
    const at = this.faults.findIndex((one) => one.role === role && (one.times ?? 1) > 0);
    if (at < 0) return null;
    const fault = this.faults[at]!;
    if (fault.times !== undefined && --fault.times <= 0) this.faults.splice(at, 1);
    return { ...fault };
  }

  private count(role: Role): void {
    const now = performance.now();
    const last = this.times[role].filter((at) => now - at < 60_000);
    if (last.length >= this.limits.aMinute)
      throw new Refusal(
        429,
        `more than ${this.limits.aMinute} requests a minute`,
        Math.ceil((60_000 - (now - last[0]!)) / 1000),
      );
    if (this.seen.requests[role] > this.limits.quota)
      throw new Refusal(429, 'the quota of this key is used up', 3_600);
    this.times[role] = [...last, now];
  }
}

export class Request {
  private pieces = 0;
  private isOver = false;

  constructor(
    private readonly panel: Panel,
    readonly role: Role,
    private readonly fault: Fault | null,
  ) {}

  has(kind: FaultKind): boolean {
    return this.fault?.kind === kind;
  }

  /** Before a piece of the answer is sent. @returns false where garbage is to be sent instead. @throws Cut */
  async piece(signal: AbortSignal): Promise<boolean> {
    const { fault } = this;
    const shows = fault !== null && this.pieces++ >= fault.after;
    if (!shows) return true;
    if (fault.kind === 'stall') await forever(signal);
    if (fault.kind === 'slow') await sleep(400, undefined, { signal }).catch(() => undefined);
    if (fault.kind === 'cut') throw new Cut();
    return fault.kind !== 'garbage';
  }

  over(how: 'finished' | 'cancelled'): void {
    if (this.isOver) return;
    this.isOver = true;
    this.panel.seen[how][this.role]++;
  }
}

function forever(signal: AbortSignal): Promise<void> {
  if (signal.aborted) return Promise.resolve();
  return new Promise((resolve) => signal.addEventListener('abort', () => resolve(), { once: true }));
}

/** Waits until the time has come or the request is gone. */
export function until(dueMs: number, signal: AbortSignal): Promise<void> {
  return sleep(Math.max(0, dueMs - performance.now()), undefined, { signal }).catch(() => undefined);
}
