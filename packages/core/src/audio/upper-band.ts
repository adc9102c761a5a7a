/**
 * The upper band of a narrow line. Its sound, brought to the house rate, has nothing above 4 kHz, and ears
 * that were made for more take it for another language. Every 10 ms it is told from the levels below 4 kHz
 * how loud a voice would be above (a linear estimate, made by `npm run train upper-band`), and the lower
 * band, mirrored at 4 kHz, is made so loud there.
 */
import { OverlapAdd, SPECTRUM_SIZE, Windows, type SpectrumParts } from './overlap-add.js';
import { HOUSE_RATE_HZ } from './samples.js';
import { UPPER_BAND_WEIGHTS } from './upper-band-weights.js';

/** Lines of this rate and below are narrow, in Hz. */
export const NARROW_RATE_HZ = 8_000;

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

const windows = new Windows(WINDOW);

function binOf(hz: number): number {
  return Math.round((hz * SPECTRUM_SIZE) / HOUSE_RATE_HZ);
}

const powerOf = (spectrum: SpectrumParts, from: number, to: number) => {
  let sum = LEAST_POWER;
  for (let bin = from; bin < to; bin++) sum += spectrum[2 * bin]! ** 2 + spectrum[2 * bin + 1]! ** 2;
  return sum / (to - from);
};
const levelsIn = (spectrum: SpectrumParts, bins: readonly number[]) =>
  bins.slice(1).map((end, band) => Math.log(powerOf(spectrum, bins[band]!, end)));

/**
 * The levels of both halves of the spectrum, every 10 ms, as natural logarithms of power. For `npm run train
 * upper-band`.
 */
export function bandLevels(sound: Float32Array): { lower: number[]; upper: number[] }[] {
  return Array.from({ length: Math.max(0, Math.floor(sound.length / HOP) - 1) }, (_, i) => {
    const spectrum = windows.of(sound.subarray(i * HOP, i * HOP + WINDOW));
    return { lower: levelsIn(spectrum, lowerBins), upper: levelsIn(spectrum, upperBins) };
  });
}

export class UpperBand extends OverlapAdd {
  constructor() {
    super(WINDOW, addUpper);
  }
}

/** Puts above 4 kHz what lies below it, mirrored, each band as loud as is told. */
function addUpper(spectrum: SpectrumParts): void {
  const lower = levelsIn(spectrum, lowerBins);
  for (let bin = SPECTRUM_SIZE / 4; bin <= SPECTRUM_SIZE / 2; bin++) {
    spectrum[2 * bin] = spectrum[SPECTRUM_SIZE - 2 * bin]!;
    spectrum[2 * bin + 1] = -spectrum[SPECTRUM_SIZE - 2 * bin + 1]!;
  }
  for (const [band, { bias, weights }] of UPPER_BAND_WEIGHTS.entries()) {
    const wanted = weights.reduce((sum, weight, i) => sum + weight * lower[i]!, bias);
    const [from, to] = [upperBins[band]!, upperBins[band + 1]!];
    const gain = Math.min(MOST_GAIN, Math.sqrt(Math.exp(wanted) / powerOf(spectrum, from, to)));
    for (let i = 2 * from; i < 2 * to; i++) spectrum[i]! *= gain;
  }
  for (let i = 2 * upperBins.at(-1)!; i < spectrum.length; i++) spectrum[i] = 0;
}
