/** Noise that sounds all the time is taken out of a voice. */
import { describe, expect, it } from '@jest/globals';
import {
  HOUSE_RATE_HZ,
  joinPcm16,
  levelDb,
  NoiseReduction,
  seeded,
  toFloats,
  toPcm16,
} from '../../src/index.js';

const SECOND = HOUSE_RATE_HZ;
const random = seeded(5);
const noise = (amplitude: number) =>
  Float32Array.from({ length: 3 * SECOND }, () => amplitude * (2 * random() - 1));
/** Sounds like a vowel from the first second to the second one: tones, one above the other. */
const voice = Float32Array.from({ length: 3 * SECOND }, (_, i) => {
  const seconds = i / SECOND;
  if (seconds < 1 || seconds >= 2) return 0;
  return [300, 600, 900, 1_500].reduce((sum, hz) => sum + 0.1 * Math.sin(2 * Math.PI * hz * seconds), 0);
});
const inNoise = toPcm16(noise(0.05).map((sample, i) => sample + voice[i]!));

function reduced(samples: Int16Array, pieces = samples.length, known: Float32Array | null = null) {
  const reduction = new NoiseReduction(known);
  const out: Int16Array[] = [];
  for (let at = 0; at < samples.length; at += pieces)
    out.push(reduction.fill(samples.slice(at, at + pieces)));
  return { samples: joinPcm16([...out, reduction.flush()]), around: reduction.around() };
}
const levelBetween = (samples: Int16Array, fromS: number, toS: number) =>
  levelDb(toFloats(samples).subarray(fromS * SECOND, toS * SECOND));

describe('noise reduction', () => {
  const { samples, around } = reduced(inNoise);

  it('makes noise quiet between voices and keeps the voice as loud as it is', () => {
    expect(levelBetween(inNoise, 0.2, 0.9) - levelBetween(samples, 0.2, 0.9)).toBeGreaterThan(15);
    expect(levelBetween(inNoise, 2.3, 2.9) - levelBetween(samples, 2.3, 2.9)).toBeGreaterThan(15);
    expect(levelBetween(samples, 1.1, 1.9)).toBeCloseTo(
      levelDb(voice.subarray(1.1 * SECOND, 1.9 * SECOND)),
      0,
    );
  });

  it('leaves the voice where it is, and gives as much as it takes however it comes', () => {
    expect(samples.length).toBe(inNoise.length);
    expect(reduced(inNoise, 37).samples).toEqual(samples);
    const quiet = toPcm16(voice);
    const changes = reduced(quiet).samples.map((sample, i) => Math.abs(sample - quiet[i]!));
    expect(changes.reduce((most, change) => Math.max(most, change))).toBeLessThan(0.01 * 32_768);
  });

  it('takes no voice that begins at once for noise, whether the noise of before is known or not', () => {
    const atOnce = inNoise.slice(SECOND);
    const lossDb = (known: Float32Array | null) =>
      levelBetween(atOnce, 0.05, 0.3) - levelBetween(reduced(atOnce, 640, known).samples, 0.05, 0.3);
    expect(lossDb(around)).toBeLessThan(4);
    expect(lossDb(null)).toBeLessThan(4);
  });

  it('holds on to the noise of before while a voice tells nothing of it', () => {
    const meanOf = (powers: Float32Array) => powers.reduce((sum, power) => sum + power, 0) / powers.length;
    const shout = inNoise.slice(SECOND, 1.2 * SECOND);
    expect(meanOf(reduced(shout, 640, around).around) / meanOf(around)).toBeGreaterThan(0.5);
    expect(meanOf(reduced(shout).around) / meanOf(around)).toBeLessThan(0.01);
    // Noise that has begun since is noticed before the voice.
    expect(meanOf(reduced(inNoise, 640, reduced(shout).around).around) / meanOf(around)).toBeCloseTo(1, 1);
  });

  it('follows noise that becomes louder', () => {
    const louder = toPcm16(Float32Array.from([...noise(0.01), ...noise(0.05), ...noise(0.05)]));
    const after = reduced(louder).samples;
    expect(levelBetween(louder, 7, 9) - levelBetween(after, 7, 9)).toBeGreaterThan(15);
  });
});
