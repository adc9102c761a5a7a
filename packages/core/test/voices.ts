/** Sounds for tests: noise of a room, and something like a voice. All at 16 kHz, the same every time. */
import { seeded } from '../src/index.js';

const RATE_HZ = 16_000;
const random = seeded(2);

/** White noise with this peak. */
export function noise(count: number, peak = 0.001): Float32Array {
  return Float32Array.from({ length: count }, () => (random() * 2 - 1) * peak);
}

/** Harmonics of 120 Hz, falling off, in syllables: four a second, with dips between them. */
export function voice(count: number): Float32Array {
  return Float32Array.from({ length: count }, (_, i) => {
    const t = i / RATE_HZ;
    const syllable = 0.55 - 0.45 * Math.cos(2 * Math.PI * 4 * t + Math.PI);
    const sum = [1, 2, 3, 4, 5, 8, 12, 16, 20].reduce(
      (all, k) => all + (0.25 / k) * Math.sin(2 * Math.PI * 120 * k * t),
      0,
    );
    return syllable * sum + (random() * 2 - 1) * 0.001;
  });
}
