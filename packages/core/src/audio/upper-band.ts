/**
 * The upper band of a narrow line. Its sound, brought to the house rate, has nothing above 4 kHz, and ears
 * that were made for more take it for another language. Every 10 ms it is told from the levels below 4 kHz
 * how loud a voice would be above (a linear estimate, made by `npm run train upper-band`), and the lower
 * band, mirrored at 4 kHz, is made so loud there.
 */
import FFT from 'fft.js';
import { HOUSE_RATE_HZ, joinPcm16, toFloats, toPcm16 } from './samples.js';
import { UPPER_BAND_WEIGHTS } from './upper-band-weights.js';

/** Lines of this rate and below are narrow, in Hz. */
export const NARROW_RATE_HZ = 8_000;

const SIZE = 512;
/** Windows of 20 ms that overlap by half. */
const WINDOW = 320;
const HOP = WINDOW / 2;
/** Where the bands end that are told from, and those that are told, in Hz. */
const LOWER_HZ = [100, 300, 500, 700, 900, 1_150, 1_400, 1_700, 2_000, 2_350, 2_700, 3_100, 3_500, 3_800];
const UPPER_HZ = [NARROW_RATE_HZ / 2, 4_700, 5_500, 6_400, 7_600];
const lowerBins = LOWER_HZ.map(binOf);
const upperBins = UPPER_HZ.map(binOf);
/** Power a bin below which nothing is told from anything. */
const LEAST_POWER = 1e-9;
/** The mirror image is never made louder than this. */
const MOST_GAIN = 30;

const fft = new FFT(SIZE);
const input = new Array<number>(SIZE).fill(0);
const spectrum = fft.createComplexArray();
const turned = fft.createComplexArray();
/** Applied before and after: together they add up to one. */
const window = Float32Array.from({ length: WINDOW }, (_, i) => Math.sin((Math.PI * (i + 0.5)) / WINDOW));

function binOf(hz: number): number {
  return Math.round((hz * SIZE) / HOUSE_RATE_HZ);
}

/** The lower half of the spectrum of a window; overwritten by the next one. */
function transform(samples: Float32Array): void {
  for (let i = 0; i < WINDOW; i++) input[i] = samples[i]! * window[i]!;
  fft.realTransform(spectrum, input);
}

const powerOf = (from: number, to: number) => {
  let sum = LEAST_POWER;
  for (let bin = from; bin < to; bin++) sum += spectrum[2 * bin]! ** 2 + spectrum[2 * bin + 1]! ** 2;
  return sum / (to - from);
};
const levelsIn = (bins: readonly number[]) =>
  bins.slice(1).map((end, band) => Math.log(powerOf(bins[band]!, end)));

/**
 * The levels of both halves of the spectrum, every 10 ms, as natural logarithms of power. For `npm run train
 * upper-band`.
 */
export function bandLevels(sound: Float32Array): { lower: number[]; upper: number[] }[] {
  return Array.from({ length: Math.max(0, Math.floor(sound.length / HOP) - 1) }, (_, i) => {
    transform(sound.subarray(i * HOP, i * HOP + WINDOW));
    return { lower: levelsIn(lowerBins), upper: levelsIn(upperBins) };
  });
}

export class UpperBand {
  /**
   * `rest`: samples of the next block, which is not whole yet. `samples`: the last window. `overlap`: what
   * earlier windows add to the next block.
   */
  private rest = new Int16Array(0);
  private readonly samples = new Float32Array(WINDOW);
  private readonly overlap = new Float32Array(HOP);
  private blocks = 0;
  private taken = 0;
  private given = 0;

  /**
   * @param samples at the house rate, of any length, that follow on the last ones @returns what can be given
   * by now: up to 20 ms are held back
   */
  fill(samples: Int16Array): Int16Array {
    this.taken += samples.length;
    const joined = joinPcm16([this.rest, samples]);
    const whole = joined.length - (joined.length % HOP);
    const out: Int16Array[] = [];
    for (let at = 0; at < whole; at += HOP) out.push(this.next(joined.subarray(at, at + HOP)));
    this.rest = joined.slice(whole);
    const filled = joinPcm16(out);
    this.given += filled.length;
    return filled;
  }

  /** @returns the rest: after it as much was given as was taken */
  flush(): Int16Array {
    const held = this.taken - this.given;
    return this.fill(new Int16Array(2 * HOP)).subarray(0, held);
  }

  /** @returns the block before this one; nothing at the first */
  private next(block: Int16Array): Int16Array {
    const { samples, overlap } = this;
    samples.copyWithin(0, HOP);
    samples.set(toFloats(block), HOP);
    transform(samples);
    addUpper();
    fft.completeSpectrum(spectrum);
    fft.inverseTransform(turned, spectrum);
    const out = new Float32Array(this.blocks++ === 0 ? 0 : HOP);
    for (let i = 0; i < out.length; i++) out[i] = overlap[i]! + turned[2 * i]! * window[i]!;
    for (let i = 0; i < HOP; i++) overlap[i] = turned[2 * (HOP + i)]! * window[HOP + i]!;
    return toPcm16(out);
  }
}

/** Puts above 4 kHz what lies below it, mirrored, each band as loud as is told. */
function addUpper(): void {
  const lower = levelsIn(lowerBins);
  for (let bin = SIZE / 4; bin <= SIZE / 2; bin++) {
    spectrum[2 * bin] = spectrum[SIZE - 2 * bin]!;
    spectrum[2 * bin + 1] = -spectrum[SIZE - 2 * bin + 1]!;
  }
  for (const [band, { bias, weights }] of UPPER_BAND_WEIGHTS.entries()) {
    const wanted = weights.reduce((sum, weight, i) => sum + weight * lower[i]!, bias);
    const [from, to] = [upperBins[band]!, upperBins[band + 1]!];
    const gain = Math.min(MOST_GAIN, Math.sqrt(Math.exp(wanted) / powerOf(from, to)));
    for (let i = 2 * from; i < 2 * to; i++) spectrum[i]! *= gain;
  }
  for (let i = 2 * upperBins.at(-1)!; i < spectrum.length; i++) spectrum[i] = 0;
}
