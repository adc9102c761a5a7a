/**
 * The echo canceller's arithmetic (packages/core/kernel): each canceller has a copy with a memory of its own, of 256 kB. A
 * spectrum in it is as many real parts as `HALF` says bytes, then as many imaginary ones.
 */
import { kernel, type KernelMemory } from '../audio/kernel.js';
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

/** One spectrum, as the kernel has it: views of its memory. */
export interface HalfSpectrum {
  re: Float32Array;
  im: Float32Array;
}

export class EchoKernel {
  private readonly code = kernel<Exports>(ECHO_KERNEL_CODE);
  readonly parts = this.code.PARTS.value;
  /** Our own sound's spectra, in a ring: a frame's is at its number modulo their count. */
  readonly own = this.spectraAt(this.code.OWN.value, this.code.KEPT.value);
  /** The filter in use, and the one that learns, in partitions. */
  readonly used = this.spectraAt(this.code.USED.value, this.parts);
  readonly learner = this.spectraAt(this.code.LEARNER.value, this.parts);
  readonly usedEcho = this.spectraAt(this.code.USED_ECHO.value, 1)[0]!;
  readonly learnerEcho = this.spectraAt(this.code.LEARNER_ECHO.value, 1)[0]!;
  readonly wrong = this.spectraAt(this.code.WRONG.value, 1)[0]!;

  /** To be called when a frame of our own sound is in its place. */
  measure(frame: number): void {
    this.code.measure(frame % this.own.length);
  }

  /** Puts into `usedEcho` or `learnerEcho` what comes back of our own sound by that filter. */
  predict(by: 'used' | 'learner', frame: number): void {
    const { USED, USED_ECHO, LEARNER, LEARNER_ECHO } = this.code;
    const [filter, echo] = by === 'used' ? [USED, USED_ECHO] : [LEARNER, LEARNER_ECHO];
    this.code.predict(filter.value, echo.value, frame % this.own.length);
  }

  /** Lets the learner learn from `wrong`. @see packages/core/kernel/echo-kernel.ts */
  learn(frame: number, how: { step: number; leastPower: number; leakage: number; equally: number }): void {
    this.code.learn(frame % this.own.length, how.step, how.leastPower, how.leakage, how.equally);
  }

  /** One filter becomes as the other is. */
  copy(from: 'used' | 'learner'): void {
    const { memory, USED, LEARNER, HALF } = this.code;
    const [source, target] = from === 'used' ? [USED, LEARNER] : [LEARNER, USED];
    new Uint8Array(memory.buffer).copyWithin(target.value, source.value, source.value + this.parts * 2 * HALF.value); // prettier-ignore
  }

  private spectraAt(at: number, count: number): HalfSpectrum[] {
    const { memory, HALF } = this.code;
    const half = (part: number) => new Float32Array(memory.buffer, at + part * HALF.value, HALF.value / 4);
    return Array.from({ length: count }, (_, i) => ({ re: half(2 * i), im: half(2 * i + 1) }));
  }
}
