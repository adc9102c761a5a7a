/**
 * Brings packets of sound that came by a network (late, out of order, twice or never) back to an even stream.
 * It holds as much as the network's jitter asks for: where packets come evenly the delay is one packet's
 * length, and it grows before they come too late. Times are given in; it has no clock.
 */

/** Lateness of so many packets is looked at, and this share of them is waited for. */
const LOOKED_AT = 150;
const WAITED_FOR = 0.98;
const LEAST_HOLD_MS = 20;
const MOST_HOLD_MS = 240;
/** The packet with the least delay of the last two windows tells when others should have come, in ms. */
const WINDOW_MS = 4_000;
/**
 * So much more than is needed may be held before a part of it is left out, and after so long with more, in
 * ms.
 */
const SPARE_MS = 20;
const SPARE_FOR_MS = 1_000;
/** A packet so far from the last one, in ms, begins a new stream: the sender has started again. */
const JUMP_MS = 3_000;
/**
 * … as it does where so many packets in a row come after their time: its timestamps stood still while it was
 * silent.
 */
const MOST_LATE_IN_A_ROW = 8;
/** What is to be held is found anew every so many packets. */
const LEARN_EVERY = 8;

export interface SoundPacket {
  /** RTP timestamp (RFC 3550): 32 bits that wrap, in ticks of its clock. */
  timestamp: number;
  samples: Int16Array;
}

export interface Pulled {
  samples: Int16Array;
  /** Which of them are there; the others are zero, and are to be concealed. */
  there: boolean;
}

export interface JitterCounts {
  received: number;
  /** They came after their time, and were not used. */
  late: number;
  /** Pulls that found nothing while the sender was talking. */
  missing: number;
  holdMs: number;
}

export class JitterBuffer {
  /** By their first sample, on an axis that does not wrap. */
  private readonly held = new Map<number, Int16Array>();
  /** The last timestamp, on an axis that does not wrap. */
  private lastTick: number | null = null;
  /** First sample of the next pull. */
  private next: number | null = null;
  private readonly lateness: number[] = [];
  private before = Infinity;
  private least = Infinity;
  private windowEndsMs = -Infinity;
  private spareSinceMs: number | null = null;
  private holdMs = LEAST_HOLD_MS;
  private received = 0;
  private late = 0;
  private lateInARow = 0;
  private missing = 0;

  /** @param clockHz of the timestamps, where it is not that of the samples (RFC 3551, section 4.5.2) */
  constructor(
    private readonly rateHz: number,
    private readonly clockHz = rateHz,
  ) {}

  get counts(): JitterCounts {
    const { received, late, missing, holdMs } = this;
    return { received, late, missing, holdMs };
  }

  put({ timestamp, samples }: SoundPacket, nowMs: number): void {
    if (samples.length === 0) return;
    this.received++;
    const at = this.unwrapped(timestamp);
    this.learn(at, nowMs);
    if (this.next === null || at + samples.length > this.next) {
      this.lateInARow = 0;
      this.held.set(at, samples);
      return;
    }
    this.late++;
    if (++this.lateInARow >= MOST_LATE_IN_A_ROW) this.startAgain();
  }

  /** The next `count` samples; call it evenly. */
  pull(count: number, nowMs: number): Pulled {
    if (this.lastTick === null) return { samples: new Int16Array(count), there: false };
    const wanted = this.wantedAt(nowMs);
    // On the edge of a packet: one that is lost is then one pull, and not a part of two.
    this.next ??= Math.min(...this.held.keys());
    // Too early: what is to be played has not come yet, and the stream waits for as long as a pull is.
    if (this.next > wanted + count / 2) return { samples: new Int16Array(count), there: false };
    this.leaveOut(wanted, count, nowMs);
    const pulled = this.take(this.next, count);
    this.next += count;
    this.forget(this.next);
    return pulled;
  }

  /** The axis goes on from the last packet's: the nearest number that is this timestamp. */
  private unwrapped(timestamp: number): number {
    const last = this.lastTick ?? timestamp;
    const step = (timestamp - last) | 0;
    if (Math.abs(step) > (JUMP_MS * this.clockHz) / 1_000) this.startAgain();
    this.lastTick = Math.max(this.lastTick ?? last + step, last + step);
    return this.sampleAt(last + step);
  }

  private sampleAt(tick: number): number {
    return Math.round((tick * this.rateHz) / this.clockHz);
  }

  private startAgain(): void {
    this.held.clear();
    this.lateness.length = 0;
    this.before = this.least = Infinity;
    this.windowEndsMs = -Infinity;
    this.lateInARow = 0;
    this.lastTick = this.next = null;
  }

  private learn(at: number, nowMs: number): void {
    const zeroMs = nowMs - (at * 1_000) / this.rateHz;
    if (nowMs > this.windowEndsMs) {
      this.before = this.least;
      this.least = Infinity;
      this.windowEndsMs = nowMs + WINDOW_MS;
    }
    this.least = Math.min(this.least, zeroMs);
    this.lateness.push(zeroMs - this.zeroMs);
    if (this.lateness.length > LOOKED_AT) this.lateness.shift();
    if (this.received % LEARN_EVERY !== 1) return;
    const sorted = [...this.lateness].sort((a, b) => a - b);
    const needed = sorted[Math.floor((sorted.length - 1) * WAITED_FOR)]!;
    this.holdMs = Math.min(MOST_HOLD_MS, LEAST_HOLD_MS + needed);
  }

  /** When sample 0 would have come with the least delay. */
  private get zeroMs(): number {
    return Math.min(this.before, this.least);
  }

  /** Where the stream should stand now. */
  private wantedAt(nowMs: number): number {
    return Math.round(((nowMs - this.zeroMs - this.holdMs) * this.rateHz) / 1_000);
  }

  /**
   * Where more is held than is needed, a part is left out as soon as one is quiet, and after some time any.
   */
  private leaveOut(wanted: number, count: number, nowMs: number): void {
    const spare = ((wanted - this.next!) * 1_000) / this.rateHz;
    if (spare > JUMP_MS) this.next = wanted;
    if (spare <= SPARE_MS) return void (this.spareSinceMs = null);
    this.spareSinceMs ??= nowMs;
    const isQuiet = level(this.take(this.next!, count).samples) < QUIET;
    if (!isQuiet && nowMs - this.spareSinceMs < SPARE_FOR_MS) return;
    this.next! += count;
    this.spareSinceMs = nowMs;
  }

  private take(from: number, count: number): Pulled {
    const samples = new Int16Array(count);
    let there = 0;
    for (const [at, part] of this.held) {
      const a = Math.max(from, at);
      const b = Math.min(from + count, at + part.length);
      if (a >= b) continue;
      samples.set(part.subarray(a - at, b - at), a - from);
      there += b - a;
    }
    return { samples, there: there >= count };
  }

  private forget(upTo: number): void {
    if (upTo < this.sampleAt(this.lastTick!)) this.missing += this.isThere(upTo - 1) ? 0 : 1;
    for (const [at, part] of this.held) if (at + part.length <= upTo) this.held.delete(at);
  }

  private isThere(sample: number): boolean {
    for (const [at, part] of this.held) if (at <= sample && sample < at + part.length) return true;
    return false;
  }
}

/** Below this mean magnitude nobody hears that something is left out. */
const QUIET = 60;

function level(samples: Int16Array): number {
  let sum = 0;
  for (const sample of samples) sum += Math.abs(sample);
  return samples.length === 0 ? 0 : sum / samples.length;
}
