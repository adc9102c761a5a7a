/**
 * The upper band of a narrow line. Its sound, brought to the house rate, has nothing above 4 kHz, and ears that were made for more
 * take it for another language. The lower band, mirrored at 4 kHz and made quieter (spectral folding), is like enough to what is missing.
 */

/** Lines of this rate and below are narrow, in Hz. */
export const NARROW_RATE_HZ = 8_000;
/** How loud the mirror image is against the sound itself: 6 dB down, the best of what was tried. */
const MIRRORED = 0.5;

export class UpperBand {
  private isOdd = false;

  /** @param samples at the house rate, of any length, that follow on the last ones @returns as many, with the upper band in them */
  fill(samples: Int16Array): Int16Array {
    const out = new Int16Array(samples.length);
    for (let i = 0; i < samples.length; i++) {
      // Every second sample turned over is the sound moved by half the rate: what was at f is at 8 kHz - f.
      const value = Math.round(samples[i]! * (this.isOdd ? 1 - MIRRORED : 1 + MIRRORED));
      this.isOdd = !this.isOdd;
      out[i] = value > 32767 ? 32767 : value < -32768 ? -32768 : value;
    }
    return out;
  }
}
