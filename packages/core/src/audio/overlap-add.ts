/**
 * A stream of sound that is changed in its spectrum: windows that overlap by half, each weighed before and
 * after, so that together they add up to one.
 */
import FFT from 'fft.js';
import { joinPcm16, toFloats, toPcm16 } from './samples.js';

/** Length of each transform; the window is followed by nothing. */
export const SPECTRUM_SIZE = 512;

/**
 * Real and imaginary parts, one after the other, of SPECTRUM_SIZE bins. Only the lower half is there, and
 * only that is to be changed.
 */
export type SpectrumParts = number[];

const fft = new FFT(SPECTRUM_SIZE);

/** The lower half of the spectra of windows; each result is overwritten by the next one. */
export class Windows {
  private readonly input = new Array<number>(SPECTRUM_SIZE).fill(0);
  private readonly spectrum: SpectrumParts = fft.createComplexArray();
  readonly weights: Float32Array;

  /** @param samples of each window, at most SPECTRUM_SIZE */
  constructor(readonly samples: number) {
    this.weights = Float32Array.from({ length: samples }, (_, i) =>
      Math.sin((Math.PI * (i + 0.5)) / samples),
    );
  }

  of(sound: Float32Array): SpectrumParts {
    for (let i = 0; i < this.samples; i++) this.input[i] = sound[i]! * this.weights[i]!;
    fft.realTransform(this.spectrum, this.input);
    return this.spectrum;
  }
}

export class OverlapAdd {
  private readonly windows: Windows;
  private readonly hop: number;
  private readonly turned = fft.createComplexArray();
  /**
   * `rest`: samples of the next block, which is not whole yet. `samples`: the last window. `overlap`: what
   * earlier windows add to the next block.
   */
  private rest = new Int16Array(0);
  private readonly samples: Float32Array;
  private readonly overlap: Float32Array;
  private blocks = 0;
  private taken = 0;
  private given = 0;

  /** @param windowSamples even @param change is given each spectrum and changes it where it stands */
  constructor(
    windowSamples: number,
    private readonly change: (spectrum: SpectrumParts) => void,
  ) {
    this.windows = new Windows(windowSamples);
    this.hop = windowSamples / 2;
    this.samples = new Float32Array(windowSamples);
    this.overlap = new Float32Array(this.hop);
  }

  /**
   * @param samples of any length, that follow on the last ones @returns what can be given by now: up to a
   * window is held back
   */
  fill(samples: Int16Array): Int16Array {
    const { hop } = this;
    this.taken += samples.length;
    const joined = joinPcm16([this.rest, samples]);
    const whole = joined.length - (joined.length % hop);
    const out: Int16Array[] = [];
    for (let at = 0; at < whole; at += hop) out.push(this.next(joined.subarray(at, at + hop)));
    this.rest = joined.slice(whole);
    const filled = joinPcm16(out);
    this.given += filled.length;
    return filled;
  }

  /** @returns the rest: after it as much was given as was taken */
  flush(): Int16Array {
    const held = this.taken - this.given;
    return this.fill(new Int16Array(2 * this.hop)).subarray(0, held);
  }

  /** @returns the block before this one; nothing at the first */
  private next(block: Int16Array): Int16Array {
    const { samples, overlap, turned, hop } = this;
    const { weights } = this.windows;
    samples.copyWithin(0, hop);
    samples.set(toFloats(block), hop);
    const spectrum = this.windows.of(samples);
    this.change(spectrum);
    fft.completeSpectrum(spectrum);
    fft.inverseTransform(turned, spectrum);
    const out = new Float32Array(this.blocks++ === 0 ? 0 : hop);
    for (let i = 0; i < out.length; i++) out[i] = overlap[i]! + turned[2 * i]! * weights[i]!;
    for (let i = 0; i < hop; i++) overlap[i] = turned[2 * (hop + i)]! * weights[hop + i]!;
    return toPcm16(out);
  }
}
