/**
 * What tells a voice from other sounds, every 10 ms: how far each band stands over a floor that follows the
 * surroundings, how flat the spectrum is, how periodic the sound and how steady its pitch. Everything is
 * taken below 4 kHz, so that a telephone is heard like a microphone; above that only the power counts.
 */
import FFT from 'fft.js';
import { powerToDb } from '../audio/levels.js';
import { HOUSE_RATE_HZ } from '../audio/samples.js';

export const FRAME_MS = 10;
export const FRAME_SAMPLES = (FRAME_MS * HOUSE_RATE_HZ) / 1000;

/** Half the house rate: what the features are taken from. */
const LOW_RATE_HZ = HOUSE_RATE_HZ / 2;
/** The newest 20 ms for the bands, the newest 40 ms for the pitch, in samples at the low rate. */
const SHORT = 160;
const LONG = 320;
const SHORT_FFT = 256;
const LONG_FFT = 512;
/** Edges of the bands, in Hz; one more band holds all power above 4 kHz. */
const EDGES_HZ = [80, 200, 350, 550, 850, 1300, 2000, 2800, 3800] as const;
export const BANDS = EDGES_HZ.length;
/** Pitch is looked for in this range, in Hz. */
const LEAST_PITCH_HZ = 70;
const MOST_PITCH_HZ = 420;
/** Of the spectrum of the newest 20 ms: the bins of all bands below 4 kHz. */
const FIRST_BIN = Math.ceil((EDGES_HZ[0] * SHORT_FFT) / LOW_RATE_HZ);
const LAST_BIN = Math.ceil((EDGES_HZ[BANDS - 1]! * SHORT_FFT) / LOW_RATE_HZ);
/** Half-band low pass: every second tap beside the middle is zero. */
const HALF_BAND = [-0.0109, 0.0328, -0.0861, 0.3117] as const;

/** The floor is never believed to be lower or, at the start, higher than this, in dBFS a band. */
const LEAST_FLOOR_DB = -90;
const GREATEST_FIRST_FLOOR_DB = -48;
/** … but for the lowest band, where mains hum is. */
const GREATEST_FIRST_HUM_DB = -30;
/**
 * The first frames set the floor; it rises at least to the quietest moment of this long a window (speech has
 * dips within it).
 */
const CALIBRATION_FRAMES = 16;
const MINIMUM_BLOCKS = 6;
const BLOCK_FRAMES = 20;
const SMOOTHING = 0.25;
/**
 * How fast the floor follows quieter frames (share a frame) and louder ones: while nobody speaks, and at
 * least (dB a frame).
 */
const FALL_SHARE = 0.15;
const RISE_DB = 0.08;
const LEAST_RISE_DB = 0.015;

export interface Features {
  levelDb: number;
  /** Each band over its floor, in dB, 0 and above. */
  rises: Float32Array;
  /** 0 for a pure tone, 1 for white noise. */
  flatness: number;
  /** 0 to 1: how well the sound repeats itself at its pitch. */
  periodicity: number;
  /** Null where the sound is not periodic. */
  pitchHz: number | null;
}

/** The filter that halves the rate reaches back so many samples. */
const HISTORY = 15;

/**
 * What one frame is worked out with, by all meters in turn: a machine that hears many callers has it at hand.
 */
const short = new FFT(SHORT_FFT);
const shortWindow = hann(SHORT);
const shortIn = new Array<number>(SHORT_FFT).fill(0);
const shortOut = short.createComplexArray();

/** The levels of the bands, frame by frame; keeps the newest 40 ms, halved in rate. */
export class BandMeter {
  /** The last samples of the frame before, and the frame. */
  private readonly joined = new Float32Array(HISTORY + FRAME_SAMPLES);
  readonly low = new Float32Array(LONG);
  /** Of the last frame, in dBFS. */
  readonly bandsDb = new Float32Array(BANDS).fill(LEAST_FLOOR_DB);
  levelDb = LEAST_FLOOR_DB;
  /** Of the last frame, if it was asked for: 0 for a pure tone, 1 for white noise. */
  flatness = 1;

  /** Takes the next frame. */
  take(samples: Float32Array, withFlatness = false): void {
    const [power, lowPower] = this.shift(samples);
    this.levelDb = powerToDb(power);
    this.measureBands();
    if (withFlatness) this.flatness = flatness();
    this.bandsDb[BANDS - 1] = powerToDb(Math.max(0, power - lowPower));
    for (let b = 0; b < BANDS; b++) this.bandsDb[b] = Math.max(LEAST_FLOOR_DB, this.bandsDb[b]!);
  }

  /** Moves the frame, halved in rate, into the window. @returns mean power in all, and below 4 kHz */
  private shift(samples: Float32Array): [number, number] {
    const { low, joined } = this;
    const half = FRAME_SAMPLES / 2;
    low.copyWithin(0, half);
    joined.set(samples, HISTORY);
    let power = 0;
    let lowPower = 0;
    for (let i = 0; i < half; i++) {
      const mid = 2 * i + 7;
      let sum = 0.5 * joined[mid]!;
      for (let k = 0; k < 4; k++) {
        const off = 7 - 2 * k;
        sum += HALF_BAND[k]! * (joined[mid - off]! + joined[mid + off]!);
      }
      low[LONG - half + i] = sum;
      lowPower += sum * sum;
    }
    for (let i = 0; i < FRAME_SAMPLES; i++) power += samples[i]! * samples[i]!;
    joined.copyWithin(0, FRAME_SAMPLES);
    return [power / FRAME_SAMPLES, lowPower / half];
  }

  private measureBands(): void {
    const { low, bandsDb } = this;
    for (let i = 0; i < SHORT; i++) shortIn[i] = low[LONG - SHORT + i]! * shortWindow[i]!;
    short.realTransform(shortOut, shortIn);
    const binHz = LOW_RATE_HZ / SHORT_FFT;
    // The power of a Hann window is 3/8 of its length.
    const scale = 2 / (SHORT_FFT * SHORT * 0.375);
    for (let band = 0; band + 1 < EDGES_HZ.length; band++) {
      let sum = 0;
      const last = Math.ceil(EDGES_HZ[band + 1]! / binHz);
      for (let bin = Math.ceil(EDGES_HZ[band]! / binHz); bin < last; bin++) sum += powerOf(shortOut, bin);
      bandsDb[band] = powerToDb(sum * scale);
    }
  }
}

/** Of what was transformed last. */
function flatness(): number {
  let sum = 0;
  let logSum = 0;
  // One logarithm for several bins: more of them and the product might be too small for a number.
  for (let from = FIRST_BIN; from < LAST_BIN; from += 16) {
    let product = 1;
    for (let bin = from; bin < Math.min(LAST_BIN, from + 16); bin++) {
      const power = powerOf(shortOut, bin);
      sum += power;
      product *= power + 1e-12;
    }
    logSum += Math.log(product);
  }
  const bins = LAST_BIN - FIRST_BIN;
  return Math.min(1, Math.exp(logSum / bins) / (sum / bins + 1e-12));
}

const powerOf = (spectrum: readonly number[], bin: number) =>
  spectrum[2 * bin]! ** 2 + spectrum[2 * bin + 1]! ** 2;

/** Bins in which a pitch shows. */
const LEAST_BIN = Math.ceil((60 * LONG_FFT) / LOW_RATE_HZ);
const MOST_BIN = Math.floor((1_800 * LONG_FFT) / LOW_RATE_HZ);

/** For the pitch, by all callers in turn: the window, and how like itself it is at each lag. */
const long = new FFT(LONG_FFT);
const longWindow = hann(LONG);
const windowLikeness = Float32Array.from({ length: LONG }, (_, lag) => {
  let sum = 0;
  for (let i = 0; i + lag < LONG; i++) sum += longWindow[i]! * longWindow[i + lag]!;
  return sum;
});
const longIn = new Array<number>(LONG_FFT).fill(0);
const longOut = long.createComplexArray();
/** Only the bins in which a pitch shows are ever set. */
const spectrum = new Array<number>(LONG_FFT).fill(0);
const likeness = long.createComplexArray();

/** One for each caller; feed it frames of FRAME_SAMPLES in order. */
export class VoiceFeatures {
  private readonly meter = new BandMeter();
  /** The bands' levels over the last 50 ms or so: single frames of noise are too uneven for a floor. */
  private readonly smoothDb = new Float32Array(BANDS);
  private readonly floors = new Float32Array(BANDS).fill(GREATEST_FIRST_FLOOR_DB);
  private readonly blocks: Float32Array[] = [];
  private block = new Float32Array(BANDS).fill(Infinity);
  private frames = 0;
  readonly features: Features = {
    levelDb: -120,
    rises: new Float32Array(BANDS),
    flatness: 1,
    periodicity: 0,
    pitchHz: null,
  };

  /** Takes the next frame. @returns the same object each time */
  take(samples: Float32Array): Features {
    const { features, meter } = this;
    const { bandsDb } = meter;
    meter.take(samples, true);
    features.levelDb = meter.levelDb;
    features.flatness = meter.flatness;
    for (let b = 0; b < BANDS; b++) {
      const share = this.frames === 0 ? 1 : SMOOTHING;
      this.smoothDb[b]! += share * (bandsDb[b]! - this.smoothDb[b]!);
    }
    if (this.frames < CALIBRATION_FRAMES) this.calibrate();
    for (let b = 0; b < BANDS; b++) features.rises[b] = Math.max(0, bandsDb[b]! - this.floors[b]!);
    this.frames++;
    return features;
  }

  /** The levels of the last frame in each band, in dBFS. */
  get levels(): Float32Array {
    return this.meter.bandsDb;
  }

  /** Lets the floors follow the last frame; `likeness`: how like a voice it was judged to be, 0 to 1. */
  follow(likeness: number): void {
    const rise = LEAST_RISE_DB + RISE_DB * (1 - likeness);
    const isBlockOver = this.frames % BLOCK_FRAMES === 0;
    for (let b = 0; b < BANDS; b++) {
      const db = this.smoothDb[b]!;
      const floor = this.floors[b]!;
      this.block[b] = Math.min(this.block[b]!, db);
      if (db < floor) this.floors[b] = floor + FALL_SHARE * (db - floor);
      else this.floors[b] = Math.min(db, floor + rise * (db - floor > 12 ? 2 : 1));
    }
    if (!isBlockOver) return;
    this.blocks.push(this.block);
    this.block = new Float32Array(BANDS).fill(Infinity);
    if (this.blocks.length > MINIMUM_BLOCKS) this.blocks.shift();
    if (this.blocks.length < MINIMUM_BLOCKS) return;
    for (let b = 0; b < BANDS; b++) {
      const quietest = Math.min(...this.blocks.map((one) => one[b]!));
      this.floors[b] = Math.max(this.floors[b]!, quietest);
    }
  }

  private calibrate(): void {
    for (let b = 0; b < BANDS; b++) {
      const db = this.smoothDb[b]!;
      this.floors[b] =
        this.frames === 0
          ? Math.min(db, b === 0 ? GREATEST_FIRST_HUM_DB : GREATEST_FIRST_FLOOR_DB)
          : Math.min(this.floors[b]!, db);
    }
  }

  /** Of the last frame; the dearest of all features. Where it is not called, the pitch stays what it was. */
  measurePitch(): void {
    const { features } = this;
    const { low } = this.meter;
    for (let i = 0; i < LONG; i++) longIn[i] = low[i]! * longWindow[i]!;
    long.realTransform(longOut, longIn);
    for (let bin = LEAST_BIN; bin <= MOST_BIN; bin++) {
      const re = longOut[2 * bin]!;
      const im = longOut[2 * bin + 1]!;
      // The root of the power: a rumble that is louder than all harmonics together must not hide them.
      const power = Math.sqrt(re * re + im * im) / LONG_FFT;
      spectrum[bin] = power;
      spectrum[LONG_FFT - bin] = power;
    }
    // A real spectrum that is even: its transform back is its transform, and real too.
    long.realTransform(likeness, spectrum);
    const zero = likeness[0]! / windowLikeness[0]!;
    const least = Math.floor(LOW_RATE_HZ / MOST_PITCH_HZ);
    const most = Math.min(LONG - 1, Math.ceil(LOW_RATE_HZ / LEAST_PITCH_HZ));
    let best = 0;
    let bestLag = 0;
    for (let lag = least; lag <= most; lag++) {
      const value = likeness[2 * lag]! / windowLikeness[lag]!;
      // A shorter lag is preferred where a longer one is hardly better: its double repeats as well.
      if (value > best * (bestLag > 0 && lag > 1.8 * bestLag ? 1.12 : 1)) {
        best = value;
        bestLag = lag;
      }
    }
    features.periodicity = zero > 1e-7 ? Math.max(0, Math.min(1, best / zero)) : 0;
    features.pitchHz = features.periodicity > 0.5 && bestLag > least ? LOW_RATE_HZ / refined(bestLag) : null;
  }
}

/** The lag between samples, by a parabola. */
function refined(lag: number): number {
  const at = (l: number) => likeness[2 * l]! / windowLikeness[l]!;
  const [a, b, c] = [at(lag - 1), at(lag), at(Math.min(LONG - 1, lag + 1))];
  const bend = a - 2 * b + c;
  return Math.abs(bend) < 1e-12 ? lag : lag + Math.max(-0.5, Math.min(0.5, (0.5 * (a - c)) / bend));
}

function hann(count: number): Float32Array {
  return Float32Array.from(
    { length: count },
    (_, i) => 0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 0.5)) / count),
  );
}
