/**
 * The echo canceller's arithmetic: by a kernel (packages/core/kernel), of which each canceller has a copy
 * with a memory of its own of 256 kB, or in JavaScript.
 */
import { kernel, runs, type KernelMemory } from '../audio/kernel.js';
import { ECHO_KERNEL_CODE } from './echo-kernel-code.js';

type Place = { readonly value: number };

/** What packages/core/kernel/echo-kernel.ts exports. */
interface Exports {
  memory: KernelMemory;
  PARTS: Place;
  KEPT: Place;
  HALF: Place;
  OWN: Place;
  USED: Place;
  LEARNER: Place;
  USED_ECHO: Place;
  LEARNER_ECHO: Place;
  WRONG: Place;
  measure(newest: number): void;
  predict(filter: number, echo: number, newest: number): void;
  learn(newest: number, step: number, leastPower: number, leakage: number, equally: number): void;
}

/** Of a real sound. */
export interface HalfSpectrum {
  re: Float32Array | Float64Array;
  im: Float32Array | Float64Array;
}

/** How the learner learns (echo-canceller.ts). */
export interface Learning {
  step: number;
  leastPower: number;
  leakage: number;
  equally: number;
}

export interface EchoArithmetic {
  /** Of each filter. */
  readonly parts: number;
  /** Our own sound's spectra, in a ring: a frame's is at its number modulo their count. */
  readonly own: readonly HalfSpectrum[];
  /** The filter in use, and the one that learns, in partitions. */
  readonly used: readonly HalfSpectrum[];
  readonly learner: readonly HalfSpectrum[];
  /** What comes back by either in a frame, and by how much the learner was wrong. */
  readonly usedEcho: HalfSpectrum;
  readonly learnerEcho: HalfSpectrum;
  readonly wrong: HalfSpectrum;
  /** To be called when a frame of our own sound is in its place. */
  measure(frame: number): void;
  /** Puts into `usedEcho` or `learnerEcho` what comes back of our own sound by that filter. */
  predict(by: 'used' | 'learner', frame: number): void;
  /** Lets the learner learn from `wrong`, which is changed. */
  learn(frame: number, how: Learning): void;
  /** One filter becomes as the other is. */
  copy(from: 'used' | 'learner'): void;
}

export function echoArithmetic(): EchoArithmetic {
  return runs(ECHO_KERNEL_CODE) ? new KernelEcho() : new PlainEcho();
}

/** A spectrum is as many real parts as `HALF` says bytes, then as many imaginary ones. */
export class KernelEcho implements EchoArithmetic {
  private readonly code = kernel<Exports>(ECHO_KERNEL_CODE);
  readonly parts = this.code.PARTS.value;
  readonly own = this.spectraAt(this.code.OWN.value, this.code.KEPT.value);
  readonly used = this.spectraAt(this.code.USED.value, this.parts);
  readonly learner = this.spectraAt(this.code.LEARNER.value, this.parts);
  readonly usedEcho = this.spectraAt(this.code.USED_ECHO.value, 1)[0]!;
  readonly learnerEcho = this.spectraAt(this.code.LEARNER_ECHO.value, 1)[0]!;
  readonly wrong = this.spectraAt(this.code.WRONG.value, 1)[0]!;

  measure(frame: number): void {
    this.code.measure(frame % this.own.length);
  }

  predict(by: 'used' | 'learner', frame: number): void {
    const { USED, USED_ECHO, LEARNER, LEARNER_ECHO } = this.code;
    const [filter, echo] = by === 'used' ? [USED, USED_ECHO] : [LEARNER, LEARNER_ECHO];
    this.code.predict(filter.value, echo.value, frame % this.own.length);
  }

  learn(frame: number, how: Learning): void {
    this.code.learn(frame % this.own.length, how.step, how.leastPower, how.leakage, how.equally);
  }

  copy(from: 'used' | 'learner'): void {
    const { memory, USED, LEARNER, HALF } = this.code;
    const [source, target] = from === 'used' ? [USED, LEARNER] : [LEARNER, USED];
    new Uint8Array(memory.buffer).copyWithin(
      target.value,
      source.value,
      source.value + this.parts * 2 * HALF.value,
    );
  }

  private spectraAt(at: number, count: number): HalfSpectrum[] {
    const { memory, HALF } = this.code;
    const half = (part: number) => new Float32Array(memory.buffer, at + part * HALF.value, HALF.value / 4);
    return Array.from({ length: count }, (_, i) => ({ re: half(2 * i), im: half(2 * i + 1) }));
  }
}

const PARTS = 24;
const KEPT = 2 * PARTS;
const BINS = 257;
/** Doubles are quicker here than floats. */
const numbers = (count: number) => new Float64Array(count);
const spectra = (count: number) =>
  Array.from({ length: count }, () => ({ re: numbers(BINS), im: numbers(BINS) }));

/** The same in JavaScript. */
export class PlainEcho implements EchoArithmetic {
  readonly parts = PARTS;
  readonly own = spectra(KEPT);
  readonly used = spectra(PARTS);
  readonly learner = spectra(PARTS);
  readonly usedEcho = spectra(1)[0]!;
  readonly learnerEcho = spectra(1)[0]!;
  readonly wrong = spectra(1)[0]!;
  private readonly powers = Array.from({ length: KEPT }, () => numbers(BINS));
  private readonly power = numbers(BINS);
  private readonly sizes = numbers(PARTS);
  private readonly shares = numbers(PARTS);

  measure(frame: number): void {
    const { re, im } = this.own[frame % KEPT]!;
    const power = this.powers[frame % KEPT]!;
    for (let k = 0; k < BINS; k++) power[k] = re[k]! * re[k]! + im[k]! * im[k]!;
  }

  predict(by: 'used' | 'learner', frame: number): void {
    const { re, im } = by === 'used' ? this.usedEcho : this.learnerEcho;
    re.fill(0);
    im.fill(0);
    for (let p = 0; p < PARTS; p++) {
      const { re: ar, im: ai } = this[by][p]!;
      const { re: br, im: bi } = this.own[slotOf(frame, p)]!;
      for (let k = 0; k < BINS; k++) {
        re[k]! += ar[k]! * br[k]! - ai[k]! * bi[k]!;
        im[k]! += ar[k]! * bi[k]! + ai[k]! * br[k]!;
      }
    }
  }

  learn(frame: number, { step, leastPower, leakage, equally }: Learning): void {
    const { wrong, power, shares, sizes } = this;
    const sum = sizes.reduce((all, size) => all + Math.sqrt(size), 0);
    for (let p = 0; p < PARTS; p++)
      shares[p] = equally + (1 - equally) * (sum > 0 ? (PARTS * Math.sqrt(sizes[p]!)) / sum : 1);
    const least = leastPower + leakage * this.weigh(frame);
    const { re: wr, im: wi } = wrong;
    for (let k = 0; k < BINS; k++) {
      const scale = step / (power[k]! + least);
      wr[k]! *= scale;
      wi[k]! *= scale;
    }
    for (let p = 0; p < PARTS; p++) {
      const { re, im } = this.learner[p]!;
      const { re: br, im: bi } = this.own[slotOf(frame, p)]!;
      const share = shares[p]!;
      let size = 0;
      for (let k = 0; k < BINS; k++) {
        const r = re[k]! + share * (br[k]! * wr[k]! + bi[k]! * wi[k]!);
        const i = im[k]! + share * (br[k]! * wi[k]! - bi[k]! * wr[k]!);
        re[k] = r;
        im[k] = i;
        size += r * r + i * i;
      }
      sizes[p] = size;
    }
  }

  /** The power of each bin over all partitions, each by its share. @returns the mean of the bins */
  private weigh(frame: number): number {
    const { power, powers, shares } = this;
    power.fill(0);
    for (let p = 0; p < PARTS; p++) {
      const own = powers[slotOf(frame, p)]!;
      const share = shares[p]!;
      for (let k = 0; k < BINS; k++) power[k]! += share * own[k]!;
    }
    return power.reduce((sum, one) => sum + one, 0) / BINS;
  }

  copy(from: 'used' | 'learner'): void {
    const [source, target] = from === 'used' ? [this.used, this.learner] : [this.learner, this.used];
    for (let p = 0; p < PARTS; p++) {
      target[p]!.re.set(source[p]!.re);
      target[p]!.im.set(source[p]!.im);
    }
  }
}

/** Where our own sound lies as it was for partition `p`. */
function slotOf(frame: number, p: number): number {
  return (frame - 2 * p + KEPT) % KEPT;
}
