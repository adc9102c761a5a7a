/** Power in frequency bands, for voice activity and for the picture of the microphone. */
import FFT from 'fft.js';
import { powerToDb } from './levels.js';

/** Measures the power of short windows in bands; one instance serves one window length. */
export class Spectrum {
  private readonly fft: FFT;
  private readonly size: number;
  private readonly window: Float32Array;
  private readonly input: number[];
  private readonly output: number[];
  private readonly windowPower: number;

  constructor(
    readonly windowSamples: number,
    readonly rateHz: number,
  ) {
    this.size = 2 ** Math.ceil(Math.log2(windowSamples));
    this.fft = new FFT(this.size);
    this.window = Float32Array.from(
      { length: windowSamples },
      (_, i) => 0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 0.5)) / windowSamples),
    );
    this.windowPower = this.window.reduce((sum, w) => sum + w * w, 0);
    this.input = new Array<number>(this.size).fill(0);
    this.output = this.fft.createComplexArray();
  }

  /**
   * Mean square of the sound in each band between neighbouring `edgesHz`; the bands of white noise add up to
   * its power.
   */
  bandPowers(samples: Float32Array, edgesHz: readonly number[]): number[] {
    for (let i = 0; i < this.windowSamples; i++) this.input[i] = (samples[i] ?? 0) * this.window[i]!;
    this.fft.realTransform(this.output, this.input);
    const binHz = this.rateHz / this.size;
    const powers: number[] = [];
    for (let band = 0; band + 1 < edgesHz.length; band++) {
      const first = Math.max(1, Math.ceil(edgesHz[band]! / binHz));
      const last = Math.min(this.size / 2, Math.ceil(edgesHz[band + 1]! / binHz) - 1);
      let sum = 0;
      for (let bin = first; bin <= last; bin++)
        sum += this.output[2 * bin]! ** 2 + this.output[2 * bin + 1]! ** 2;
      powers.push((2 * sum) / (this.size * this.windowPower));
    }
    return powers;
  }

  /** The same in dBFS. */
  bandLevels(samples: Float32Array, edgesHz: readonly number[]): number[] {
    return this.bandPowers(samples, edgesHz).map(powerToDb);
  }
}

/** `count + 1` band edges in Hz, evenly spaced as the ear hears (logarithmically). */
export function logEdges(lowHz: number, highHz: number, count: number): number[] {
  return Array.from({ length: count + 1 }, (_, i) => lowHz * (highHz / lowHz) ** (i / count));
}
