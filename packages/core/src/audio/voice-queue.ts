/**
 * Live sound of somebody else, on its way to a loudspeaker or an ear: a little of it is held, so that it
 * comes evenly, and what would be late is left out rather than piled up.
 */
import { joinPcm16 } from './samples.js';

/** So much is held before it goes on, and at most, in ms. */
interface Patience {
  holdMs: number;
  mostMs: number;
}

/** Of people who talk with each other: it comes soon. */
export const AT_ONCE: Patience = { holdMs: 60, mostMs: 400 };
/** Of a turn: it comes whole, if a little later. */
export const WHOLE: Patience = { holdMs: 200, mostMs: 5_000 };

export class VoiceQueue {
  private parts: Int16Array[] = [];
  private length = 0;
  private holding = true;
  private readonly hold: number;
  private readonly most: number;

  /** @param patience what waits longer than its most is left out */
  constructor(rateHz: number, { holdMs, mostMs }: Patience = AT_ONCE) {
    this.hold = Math.round((holdMs * rateHz) / 1_000);
    this.most = Math.round((mostMs * rateHz) / 1_000);
  }

  get isEmpty(): boolean {
    return this.length === 0;
  }

  put(samples: Int16Array): void {
    this.parts.push(samples);
    this.length += samples.length;
    if (this.length > this.most) this.drop(this.length - this.hold);
  }

  /**
   * The next `count` samples, with silence after the last that is there; null while there is nothing. @param
   * rest nothing more comes: what is held goes out
   */
  take(count: number, rest = false): Int16Array | null {
    if (this.length === 0 || (this.holding && this.length < this.hold && !rest)) return null;
    const all = joinPcm16(this.parts);
    const out = new Int16Array(count);
    out.set(all.subarray(0, count));
    this.parts = [all.subarray(count)];
    this.length = Math.max(0, this.length - count);
    this.holding = this.length === 0;
    return out;
  }

  clear(): void {
    this.parts = [];
    this.length = 0;
    this.holding = true;
  }

  private drop(count: number): void {
    this.parts = [joinPcm16(this.parts).subarray(count)];
    this.length -= count;
  }
}

/** Several voices as one sound; what is too loud is cut. @returns null where there is none */
export function mixPcm16(voices: readonly (Int16Array | null)[]): Int16Array | null {
  const there = voices.filter((voice) => voice !== null);
  if (there.length < 2) return there[0] ?? null;
  const out = new Int16Array(Math.max(...there.map(({ length }) => length)));
  for (let i = 0; i < out.length; i++) {
    const sum = there.reduce((all, voice) => all + (voice[i] ?? 0), 0);
    out[i] = Math.max(-32_768, Math.min(32_767, sum));
  }
  return out;
}
