/**
 * Takes our own voice out of the caller's microphone, as far as it comes back undistorted: a filter learns the way from the
 * loudspeaker through the room (an adaptive filter in the frequency domain, in partitions, by overlap and save). One copy
 * learns always, the other is used: it takes over what the first has learned only when that was plainly better, so that the
 * caller's voice over ours does not spoil it. Where it would make the sound louder, the sound is left alone.
 */
import FFT from 'fft.js';
import { powerToDb } from '../audio/levels.js';
import { FRAME_SAMPLES } from './voice-features.js';

const SIZE = 512;
const BINS = SIZE / 2 + 1;
/** Each partition covers two frames; together they cover an echo up to 480 ms late, at HOUSE_RATE_HZ. */
const PART_SAMPLES = 2 * FRAME_SAMPLES;
const PARTS = 24;
const KEPT = 2 * PARTS;
/** How fast it learns: share of the error that one frame takes away. */
const STEP = 0.8;
/** Own sound below this power a bin teaches nothing; nor does what leaks from the other bins, as a share of their mean. */
const LEAST_POWER = 0.5;
const LEAKAGE = 0.01;
/** This much of the learning is shared out equally among the partitions, the rest by their sizes. */
const EQUALLY = 0.2;
/** Powers are compared over some frames: share of the new one. */
const SMOOTHING = 0.04;
/**
 * The learner is taken over when its rest is below this share of the other's, and below this one of the microphone: what the
 * caller says over us resembles our own sound a little by chance. It starts again from the other when it is so much worse.
 */
const BETTER = 0.85;
const PLAINLY = 0.25;
const WORSE = 2;
/** Above this share of the microphone's power what the filter leaves is not used: with the caller's voice it is more by chance. */
const LOUDER = 1.4;
/** While nothing was learned yet, a microphone as quiet as this has no echo worth looking for: power of a frame, -62 dBFS. */
const QUIET_POWER = FRAME_SAMPLES * 10 ** -6.2;
/** How fast the belief in what is taken away rises and falls, as a share a frame; and how much of it is not counted on. */
const TAKEN_RISE = 0.01;
const TAKEN_FALL = 0.004;
const UNCERTAIN_DB = 5;
const MOST_CERTAIN_DB = 8;

/** Half spectra lie one after the other, real and imaginary parts in turn; of doubles, which are quicker here than floats. */
const WIDTH = 2 * BINS;
const spectra = (count: number) => new Float64Array(count * WIDTH);

export class EchoCanceller {
  private readonly fft = new FFT(SIZE);
  private readonly time = new Array<number>(SIZE).fill(0);
  private readonly complex = this.fft.createComplexArray();
  private readonly turned = this.fft.createComplexArray();
  /** The last SIZE samples of our own sound, and their spectra frame by frame; the newest at `frame % KEPT`. */
  private readonly own = new Float32Array(SIZE);
  private readonly spectra = spectra(KEPT);
  private readonly used = spectra(PARTS);
  private readonly learner = spectra(PARTS);
  private readonly power = new Float64Array(BINS);
  private readonly shares = new Float64Array(PARTS);
  private frame = 0;
  private silentFor = KEPT;
  private trimAt = 0;
  private takenDb = 0;
  /** Something was learned that is of use. */
  private knowsRoom = false;
  /** What was given back last was filtered. */
  private isFiltered = false;
  private micPower = 0;
  private usedPower = 0;
  private learnerPower = 0;

  /**
   * @param mic a frame of the microphone
   * @param own what the line played at the same time; null for nothing
   * @returns the frame without what of our own sound is known to be in it
   */
  take(mic: Float32Array, own: Float32Array | null): Float32Array {
    this.silentFor = own ? 0 : this.silentFor + 1;
    if (this.silentFor > KEPT) return mic;
    this.frame++;
    this.own.copyWithin(0, FRAME_SAMPLES);
    if (own) this.own.set(own, SIZE - FRAME_SAMPLES);
    else this.own.fill(0, SIZE - FRAME_SAMPLES);
    this.transform(this.own, this.spectra, this.spectrumFor(0));
    if (!this.knowsRoom && powerOf(mic) < QUIET_POWER) return mic;
    const left = this.knowsRoom ? subtracted(mic, this.echoBy(this.used)) : mic;
    const error = subtracted(mic, this.echoBy(this.learner));
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

  /** By how much our own voice is certainly quieter in what is given back, in dB: less than it was lately on the average. */
  get certainDb(): number {
    return Math.min(MOST_CERTAIN_DB, Math.max(0, this.takenDb - UNCERTAIN_DB));
  }

  /** Has the learner become the filter in use? */
  private takenOver(): boolean {
    const isBetter = this.learnerPower < Math.min(BETTER * this.usedPower, PLAINLY * this.micPower);
    if (isBetter) {
      this.used.set(this.learner);
      this.knowsRoom = true;
      this.usedPower = this.learnerPower;
    } else if (this.learnerPower > WORSE * this.usedPower) {
      this.learner.set(this.used);
      this.learnerPower = this.usedPower;
    }
    return isBetter;
  }

  /** Where our own sound's spectrum lies as it was for partition `p`. */
  private spectrumFor(p: number): number {
    return ((this.frame - 2 * p + 2 * KEPT) % KEPT) * WIDTH;
  }

  private echoBy(filter: Float64Array): Float32Array {
    const sum = spectra(1);
    for (let p = 0; p < PARTS; p++) addProduct(sum, filter, p * WIDTH, this.spectra, this.spectrumFor(p));
    return this.back(sum, 0).slice(SIZE - FRAME_SAMPLES);
  }

  private learn(error: Float32Array): void {
    const padded = new Float32Array(SIZE);
    padded.set(error, SIZE - FRAME_SAMPLES);
    const wrong = spectra(1);
    this.transform(padded, wrong, 0);
    this.shareOut();
    const least = LEAST_POWER + LEAKAGE * this.weighPower();
    for (let k = 0; k < BINS; k++) {
      const step = STEP / (this.power[k]! + least);
      wrong[2 * k]! *= step;
      wrong[2 * k + 1]! *= step;
    }
    for (let p = 0; p < PARTS; p++)
      addConjugateProduct(this.learner, p * WIDTH, this.spectra, this.spectrumFor(p), wrong, this.shares[p]!);
    this.trim((this.trimAt++ % PARTS) * WIDTH);
  }

  /** Partitions in which something comes back learn faster, and the others stay quiet. */
  private shareOut(): void {
    let sum = 0;
    for (let p = 0; p < PARTS; p++) {
      let size = 0;
      for (let i = p * WIDTH; i < (p + 1) * WIDTH; i++) size += this.learner[i]! ** 2;
      this.shares[p] = Math.sqrt(size);
      sum += this.shares[p]!;
    }
    for (let p = 0; p < PARTS; p++)
      this.shares[p] = EQUALLY + (1 - EQUALLY) * (sum > 0 ? (PARTS * this.shares[p]!) / sum : 1);
  }

  /** The power of each bin over all partitions, each by its share. @returns the mean of the bins */
  private weighPower(): number {
    const { power, spectra: all, shares } = this;
    power.fill(0);
    for (let p = 0; p < PARTS; p++) {
      const at = this.spectrumFor(p);
      const share = shares[p]!;
      for (let k = 0; k < BINS; k++)
        power[k]! +=
          share * (all[at + 2 * k]! * all[at + 2 * k]! + all[at + 2 * k + 1]! * all[at + 2 * k + 1]!);
    }
    let sum = 0;
    for (let k = 0; k < BINS; k++) sum += power[k]!;
    return sum / BINS;
  }

  /** A partition is no longer than its part of the room. */
  private trim(at: number): void {
    const taps = this.back(this.learner, at);
    taps.fill(0, PART_SAMPLES);
    this.transform(taps, this.learner, at);
  }

  private transform(samples: Float32Array, into: Float64Array, at: number): void {
    for (let i = 0; i < SIZE; i++) this.time[i] = samples[i]!;
    this.fft.realTransform(this.complex, this.time);
    for (let i = 0; i < WIDTH; i++) into[at + i] = this.complex[i]!;
  }

  private back(half: Float64Array, at: number): Float32Array {
    for (let i = 0; i < WIDTH; i++) this.complex[i] = half[at + i]!;
    this.fft.completeSpectrum(this.complex);
    this.fft.inverseTransform(this.turned, this.complex);
    const samples = new Float32Array(SIZE);
    for (let i = 0; i < SIZE; i++) samples[i] = this.turned[2 * i]!;
    return samples;
  }
}

/** Adds to `sum` the product of one spectrum of `a` and one of `b`. */
function addProduct(sum: Float64Array, a: Float64Array, aAt: number, b: Float64Array, bAt: number): void {
  for (let i = 0; i < WIDTH; i += 2) {
    const ar = a[aAt + i]!;
    const ai = a[aAt + i + 1]!;
    const br = b[bAt + i]!;
    const bi = b[bAt + i + 1]!;
    sum[i]! += ar * br - ai * bi;
    sum[i + 1]! += ar * bi + ai * br;
  }
}

/** Adds to one spectrum of `sum` this share of the product of `b` and the conjugate of one of `a`. */
function addConjugateProduct(
  sum: Float64Array,
  at: number,
  a: Float64Array,
  aAt: number,
  b: Float64Array,
  share: number,
): void {
  for (let i = 0; i < WIDTH; i += 2) {
    const ar = share * a[aAt + i]!;
    const ai = share * a[aAt + i + 1]!;
    sum[at + i]! += ar * b[i]! + ai * b[i + 1]!;
    sum[at + i + 1]! += ar * b[i + 1]! - ai * b[i]!;
  }
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
