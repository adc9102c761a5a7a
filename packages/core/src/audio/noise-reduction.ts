/**
 * Takes out of a voice what sounds around it all the time: each bin of the spectrum is made quieter the less
 * it stands out of the noise (a Wiener filter, whose ratios are followed as in decision-directed
 * estimation).
 */
import { levelDb } from './levels.js';
import { OverlapAdd, SPECTRUM_SIZE, Windows, type SpectrumParts } from './overlap-add.js';
import { joinPcm16, toFloats } from './samples.js';

const BINS = SPECTRUM_SIZE / 2 + 1;
/** Noise is made so quiet, as a factor of its amplitude: what is left of it is no voice to any ear. */
const FLOOR = 0.02;
/**
 * The noise is at first what the quiet ones of the first windows have: a voice begins soon. So many of them
 * are surely noise, and so far it goes up and down.
 */
const FIRST_WINDOWS = 16;
const QUIETEST = 4;
const SPREAD_DB = 6;
/** Noise is not louder, in dBFS. */
const LOUDEST_NOISE_DB = -28;
/**
 * What is so much louder than the noise, in power, is voice. Else the noise follows it, by so much a window.
 */
const VOICE = 3;
const FOLLOWS = 0.03;
/**
 * Noise that has become louder is told by the quietest of this many windows and of as many before them, which
 * are so much quieter than its mean.
 */
const LEAST_OF_WINDOWS = 60;
const LEAST_TO_MEAN = 1.6;
const SMOOTHING = 0.8;
/** So much of a ratio of voice to noise is taken from the window before. */
const REMEMBERED = 0.98;
const LEAST_RATIO = 0.003;
const MOST_RATIO = 1_000;
const LEAST_POWER = 1e-7;
const HOP = SPECTRUM_SIZE / 2;
const FIRST_SAMPLES = (FIRST_WINDOWS + 1) * HOP;

const powerOf = (spectrum: SpectrumParts, bin: number) =>
  LEAST_POWER + spectrum[2 * bin]! ** 2 + spectrum[2 * bin + 1]! ** 2;

/**
 * The mean power of each bin in those windows that are hardly louder than the quietest ones. Null where even
 * these are as loud as a voice, which began at once then.
 */
function noiseIn(sound: Float32Array): Float32Array | null {
  const windows = new Windows(SPECTRUM_SIZE);
  const all: { powers: Float32Array; loudness: number }[] = [];
  for (let at = 0; at + SPECTRUM_SIZE <= sound.length; at += HOP) {
    const samples = sound.subarray(at, at + SPECTRUM_SIZE);
    const spectrum = windows.of(samples);
    const powers = Float32Array.from({ length: BINS }, (_, bin) => powerOf(spectrum, bin));
    all.push({ powers, loudness: levelDb(samples) });
  }
  const quietestDb = all.map(({ loudness }) => loudness).sort((a, b) => a - b)[QUIETEST - 1] ?? 0;
  if (quietestDb > LOUDEST_NOISE_DB) return null;
  const quiet = all.filter(({ loudness }) => loudness <= quietestDb + SPREAD_DB);
  return Float32Array.from({ length: BINS }, (_, bin) =>
    quiet.reduce((sum, { powers }) => sum + powers[bin]! / quiet.length, 0),
  );
}

export class NoiseReduction extends OverlapAdd {
  /** Power of each bin. */
  private readonly noise: Float32Array;
  private readonly ratios = new Float32Array(BINS);
  private readonly smooth = new Float32Array(BINS);
  private readonly least = new Float32Array(BINS).fill(Infinity);
  private readonly leastBefore = new Float32Array(BINS).fill(Infinity);
  private seen = 0;
  /** Sound that waits until the noise is known. */
  private first: Int16Array | null = new Int16Array(0);

  /** @param noise what was around the sound before, where that is known: a voice may begin at once */
  constructor(noise: Float32Array | null) {
    super(SPECTRUM_SIZE, (spectrum) => this.reduce(spectrum));
    this.noise = noise?.slice() ?? new Float32Array(BINS).fill(LEAST_POWER);
  }

  /** What is around the voice: the power of the noise in each bin. */
  around(): Float32Array {
    return this.noise.slice();
  }

  /** The first 270 ms are held back until they are all there. */
  override fill(samples: Int16Array): Int16Array {
    if (this.first === null) return super.fill(samples);
    this.first = joinPcm16([this.first, samples]);
    return this.first.length < FIRST_SAMPLES ? new Int16Array(0) : this.begin();
  }

  override flush(): Int16Array {
    const held = this.first === null ? new Int16Array(0) : this.begin();
    return joinPcm16([held, super.flush()]);
  }

  private begin(): Int16Array {
    const sound = this.first!;
    this.first = null;
    const noise = noiseIn(toFloats(sound.subarray(0, FIRST_SAMPLES)));
    if (noise) this.noise.set(noise);
    return super.fill(sound);
  }

  private reduce(spectrum: SpectrumParts): void {
    this.seen++;
    for (let bin = 0; bin < BINS; bin++) {
      const power = powerOf(spectrum, bin);
      this.follow(bin, power);
      const gain = this.gainOf(bin, power);
      spectrum[2 * bin]! *= gain;
      spectrum[2 * bin + 1]! *= gain;
    }
    if (this.seen % LEAST_OF_WINDOWS > 0) return;
    this.leastBefore.set(this.least);
    this.least.fill(Infinity);
  }

  private follow(bin: number, power: number): void {
    const { noise, smooth, least, leastBefore } = this;
    smooth[bin] = this.seen === 1 ? power : SMOOTHING * smooth[bin]! + (1 - SMOOTHING) * power;
    least[bin] = Math.min(least[bin]!, smooth[bin]!);
    const now = noise[bin]!;
    const follows = Math.max(FOLLOWS, 1 / (this.seen + QUIETEST));
    if (power < VOICE * now) noise[bin]! += follows * (power - now);
    else if (this.seen > LEAST_OF_WINDOWS)
      noise[bin]! += FOLLOWS * Math.max(0, LEAST_TO_MEAN * Math.min(least[bin]!, leastBefore[bin]!) - now);
  }

  private gainOf(bin: number, power: number): number {
    const { noise, ratios } = this;
    const over = Math.min(MOST_RATIO, power / noise[bin]!);
    const ratio = REMEMBERED * ratios[bin]! + (1 - REMEMBERED) * Math.max(0, over - 1);
    const voice = Math.max(LEAST_RATIO, ratio);
    const gain = Math.max(FLOOR, voice / (1 + voice));
    ratios[bin] = Math.min(MOST_RATIO, gain * gain * over);
    return gain;
  }
}
