/**
 * Takes our own voice out of the caller's microphone, as far as it comes back undistorted: a filter learns
 * the way from the loudspeaker through the room (an adaptive filter in the frequency domain, in partitions,
 * by overlap and save). One copy learns always, the other is used: it takes over what the first has learned
 * only when that was plainly better, so that the caller's voice over ours does not spoil it. Where it would
 * make the sound louder, the sound is left alone.
 */
import FFT from 'fft.js';
import { powerToDb } from '../audio/levels.js';
import { echoArithmetic, type EchoArithmetic, type HalfSpectrum } from './echo-arithmetic.js';
import { FRAME_SAMPLES } from './voice-features.js';

const SIZE = 512;
const BINS = SIZE / 2 + 1;
/** Each partition covers two frames; together they cover an echo up to 480 ms late, at HOUSE_RATE_HZ. */
const PART_SAMPLES = 2 * FRAME_SAMPLES;
/**
 * How it learns: the share of the error that one frame takes away; own sound below `leastPower` a bin teaches
 * nothing, nor does what leaks from the other bins, as a share of their mean; so much is shared out equally
 * among the partitions, the rest by their sizes.
 */
const LEARNING = { step: 0.8, leastPower: 0.5, leakage: 0.01, equally: 0.2 };
/** Two partitions are cut to their length every so many frames, in turn. */
const TRIMMED_EVERY = 4;
/** Powers are compared over some frames: share of the new one. */
const SMOOTHING = 0.04;
/**
 * The learner is taken over when its rest is below this share of the other's, and below this one of the
 * microphone: what the caller says over us resembles our own sound a little by chance. It starts again from
 * the other when it is so much worse.
 */
const BETTER = 0.85;
const PLAINLY = 0.25;
const WORSE = 2;
/**
 * Above this share of the microphone's power what the filter leaves is not used: with the caller's voice it
 * is more by chance.
 */
const LOUDER = 1.4;
/**
 * While nothing was learned yet, a microphone as quiet as this has no echo worth looking for: power of a
 * frame, -62 dBFS.
 */
const QUIET_POWER = FRAME_SAMPLES * 10 ** -6.2;
/**
 * How fast the belief in what is taken away rises and falls, as a share a frame; and how much of it is not
 * counted on.
 */
const TAKEN_RISE = 0.01;
const TAKEN_FALL = 0.004;
const UNCERTAIN_DB = 5;
const MOST_CERTAIN_DB = 8;

/**
 * What one frame is worked out with, for all callers in turn: a machine that hears many of them has it at
 * hand.
 */
const fft = new FFT(SIZE);
const time = new Array<number>(SIZE).fill(0);
const complex = fft.createComplexArray();
const turned = fft.createComplexArray();
/** Zeros but for an error at the end, and but for a partition at the beginning. */
const padded = new Float32Array(SIZE);
const trimmed = new Float32Array(SIZE);

export class EchoCanceller {
  /** Our own sound of the frames that are kept, and what the first spectrum of them needs before. */
  private readonly own: Float32Array;
  /** So many of the newest frames have no spectrum yet: while the microphone is quiet none is needed. */
  private unmeasured = 0;
  private frame = 0;
  private silentFor: number;
  private takenDb = 0;
  /** Something was learned that is of use. */
  private knowsRoom = false;
  /** What was given back last was filtered. */
  private isFiltered = false;
  private micPower = 0;
  private usedPower = 0;
  private learnerPower = 0;

  constructor(private readonly arithmetic: EchoArithmetic = echoArithmetic()) {
    const kept = arithmetic.own.length;
    this.own = new Float32Array(SIZE + (kept - 1) * FRAME_SAMPLES);
    this.silentFor = kept;
  }

  /**
   * @param mic a frame of the microphone
   * @param own what the line played at the same time; null for nothing
   * @returns the frame without what of our own sound is known to be in it
   */
  take(mic: Float32Array, own: Float32Array | null): Float32Array {
    this.silentFor = own ? 0 : this.silentFor + 1;
    if (this.silentFor > this.arithmetic.own.length) return mic;
    this.frame++;
    this.remember(own);
    if (!this.knowsRoom && powerOf(mic) < QUIET_POWER) return mic;
    this.measure();
    const [used, learned] = this.echoes();
    const left = this.knowsRoom ? subtracted(mic, used) : mic;
    const error = subtracted(mic, learned);
    const smooth = (before: number, now: Float32Array) => before + SMOOTHING * (powerOf(now) - before);
    this.micPower = smooth(this.micPower, mic);
    this.usedPower = smooth(this.usedPower, left);
    this.learnerPower = smooth(this.learnerPower, error);
    const now = this.takenOver() ? error : left;
    this.learn(error);
    const isFiltered = this.usedPower < LOUDER * this.micPower;
    if (own) {
      const db = Math.max(0, powerToDb(this.micPower) - powerToDb(this.usedPower));
      this.takenDb += (db > this.takenDb ? TAKEN_RISE : TAKEN_FALL) * (db - this.takenDb);
    }
    // Every change is faded over: a step would be a click.
    const clean = faded(this.isFiltered ? left : mic, isFiltered ? now : mic);
    this.isFiltered = isFiltered;
    return clean;
  }

  /**
   * By how much our own voice is certainly quieter in what is given back, in dB: less than it was lately on
   * the average.
   */
  get certainDb(): number {
    return Math.min(MOST_CERTAIN_DB, Math.max(0, this.takenDb - UNCERTAIN_DB));
  }

  private remember(own: Float32Array | null): void {
    const newest = this.own.length - FRAME_SAMPLES;
    this.own.copyWithin(0, FRAME_SAMPLES);
    if (own) this.own.set(own, newest);
    else this.own.fill(0, newest);
    this.unmeasured = Math.min(this.unmeasured + 1, this.arithmetic.own.length);
  }

  private measure(): void {
    for (; this.unmeasured > 0; this.unmeasured--) {
      const back = this.unmeasured - 1;
      const to = this.own.length - back * FRAME_SAMPLES;
      transform(
        this.own.subarray(to - SIZE, to),
        this.arithmetic.own[(this.frame - back) % this.arithmetic.own.length]!,
      );
      this.arithmetic.measure(this.frame - back);
    }
  }

  /** Has the learner become the filter in use? */
  private takenOver(): boolean {
    const isBetter = this.learnerPower < Math.min(BETTER * this.usedPower, PLAINLY * this.micPower);
    if (isBetter) {
      this.arithmetic.copy('learner');
      this.knowsRoom = true;
      this.usedPower = this.learnerPower;
    } else if (this.learnerPower > WORSE * this.usedPower) {
      this.arithmetic.copy('used');
      this.learnerPower = this.usedPower;
    }
    return isBetter;
  }

  /** What comes back of our own sound in this frame, by the filter in use and by the one that learns. */
  private echoes(): [Float32Array, Float32Array] {
    const { arithmetic, frame } = this;
    if (this.knowsRoom) arithmetic.predict('used', frame);
    arithmetic.predict('learner', frame);
    return back(arithmetic.usedEcho, arithmetic.learnerEcho, SIZE - FRAME_SAMPLES, SIZE);
  }

  private learn(error: Float32Array): void {
    padded.set(error, SIZE - FRAME_SAMPLES);
    transform(padded, this.arithmetic.wrong);
    this.arithmetic.learn(this.frame, LEARNING);
    if (this.frame % TRIMMED_EVERY === 0)
      this.trim(((2 * this.frame) / TRIMMED_EVERY) % this.arithmetic.parts);
  }

  /** A partition is no longer than its part of the room: this one and the next. */
  private trim(p: number): void {
    const { learner } = this.arithmetic;
    const [first, second] = back(learner[p]!, learner[p + 1]!, 0, PART_SAMPLES);
    for (const [taps, part] of [
      [first, learner[p]!],
      [second, learner[p + 1]!],
    ] as const) {
      trimmed.set(taps);
      transform(trimmed, part);
    }
  }
}

function transform(samples: Float32Array, { re, im }: HalfSpectrum): void {
  for (let i = 0; i < SIZE; i++) time[i] = samples[i]!;
  fft.realTransform(complex, time);
  for (let k = 0; k < BINS; k++) {
    re[k] = complex[2 * k]!;
    im[k] = complex[2 * k + 1]!;
  }
}

/**
 * The samples of two spectra, from one to before another: as the real and the imaginary part of one sound
 * they go back together.
 */
function back(a: HalfSpectrum, b: HalfSpectrum, from: number, to: number): [Float32Array, Float32Array] {
  for (let k = 0; k < BINS; k++) {
    complex[2 * k] = a.re[k]! - b.im[k]!;
    complex[2 * k + 1] = a.im[k]! + b.re[k]!;
  }
  for (let k = 1; k < BINS - 1; k++) {
    complex[2 * (SIZE - k)] = a.re[k]! + b.im[k]!;
    complex[2 * (SIZE - k) + 1] = b.re[k]! - a.im[k]!;
  }
  fft.inverseTransform(turned, complex);
  const [first, second] = [new Float32Array(to - from), new Float32Array(to - from)];
  for (let i = 0; i < to - from; i++) {
    first[i] = turned[2 * (from + i)]!;
    second[i] = turned[2 * (from + i) + 1]!;
  }
  return [first, second];
}

function powerOf(samples: Float32Array): number {
  let sum = 0;
  for (let i = 0; i < samples.length; i++) sum += samples[i]! ** 2;
  return sum;
}

/** From one to the other within the frame. */
function faded(from: Float32Array, to: Float32Array): Float32Array {
  if (from === to) return to;
  const out = new Float32Array(to.length);
  for (let i = 0; i < out.length; i++) out[i] = from[i]! + ((to[i]! - from[i]!) * i) / out.length;
  return out;
}

function subtracted(from: Float32Array, what: Float32Array): Float32Array {
  const out = new Float32Array(from.length);
  for (let i = 0; i < out.length; i++) out[i] = from[i]! - what[i]!;
  return out;
}
