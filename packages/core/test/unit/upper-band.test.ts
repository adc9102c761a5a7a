/** What a narrow line has not above 4 kHz. */
import { describe, expect, it } from '@jest/globals';
import {
  HOUSE_RATE_HZ,
  joinPcm16,
  levelDb,
  resample,
  seeded,
  toFloats,
  toPcm16,
  UpperBand,
} from '../../src/index.js';
import { Spectrum } from '../../src/audio/spectrum.js';

/** One second of a tone. */
const tone = (hz: number, peak = 8_000) =>
  Int16Array.from({ length: HOUSE_RATE_HZ }, (_, i) =>
    Math.round(peak * Math.sin((2 * Math.PI * hz * i) / HOUSE_RATE_HZ)),
  );

/** How loud this frequency is in it, as the peak of a tone. */
function peakAt(hz: number, samples: Int16Array): number {
  let [re, im] = [0, 0];
  samples.forEach((sample, i) => {
    const angle = (2 * Math.PI * hz * i) / HOUSE_RATE_HZ;
    re += sample * Math.cos(angle);
    im += sample * Math.sin(angle);
  });
  return (2 * Math.hypot(re, im)) / samples.length;
}

/** A voice's vowel and a hiss, as they come over a line of 8 kHz. */
const narrow = (sound: Float32Array) => resample(resample(sound, HOUSE_RATE_HZ, 8_000), 8_000, HOUSE_RATE_HZ);
const pcm = (sound: Float32Array) => toPcm16(narrow(sound));
const filled = (samples: Int16Array) => {
  const upper = new UpperBand();
  return joinPcm16([upper.fill(samples), upper.flush()]);
};
/** The level of what lies above 4.2 kHz, in dBFS. */
const highDb = (samples: Int16Array) =>
  new Spectrum(HOUSE_RATE_HZ, HOUSE_RATE_HZ).bandLevels(toFloats(samples), [4_200, 7_500])[0]!;
const random = seeded(5);
const hiss = Float32Array.from({ length: HOUSE_RATE_HZ }, () => 0.1 * (random() - 0.5));
// Like a hiss, it grows towards where the line ends.
const rising = hiss.map((sample, i) => sample - (hiss[i - 1] ?? 0));
const vowel = Float32Array.from({ length: HOUSE_RATE_HZ }, (_, i) => {
  let sum = 0;
  for (let h = 1; h * 120 < 3_600; h++) sum += Math.sin((2 * Math.PI * 120 * h * i) / HOUSE_RATE_HZ) / h ** 2;
  return 0.1 * sum;
});

describe('the upper band of a narrow line', () => {
  it.each([300, 1_000, 3_400])('leaves what is there: %d Hz', (hz) => {
    expect(peakAt(hz, filled(tone(hz)))).toBeCloseTo(8_000, -2);
  });

  it('is loud over a hiss and soft over a vowel', () => {
    const [over, under] = [filled(pcm(rising)), filled(pcm(vowel))];
    expect(highDb(over)).toBeGreaterThan(levelDb(toFloats(pcm(rising))) - 8);
    expect(highDb(under)).toBeLessThan(levelDb(toFloats(pcm(vowel))) - 25);
    expect(highDb(under)).toBeGreaterThan(highDb(pcm(vowel)) + 10);
  });

  it('adds nothing to silence', () => {
    expect(filled(new Int16Array(4_000))).toEqual(new Int16Array(4_000));
  });

  it('is the same in pieces of any length, and as long as what was taken', () => {
    const whole = pcm(rising);
    const upper = new UpperBand();
    const pieces = [0, 1, 4, 321, 322, 9_001].map((at, i, all) => upper.fill(whole.subarray(at, all[i + 1])));
    const all = joinPcm16([...pieces, upper.flush()]);
    expect(all).toEqual(filled(whole));
    expect(all).toHaveLength(whole.length);
    expect(new UpperBand().flush()).toHaveLength(0);
  });

  it('holds back no more than 20 ms', () => {
    const upper = new UpperBand();
    for (let given = 0, taken = 0; taken < 8_000; taken += 250) {
      given += upper.fill(tone(500).subarray(taken, taken + 250)).length;
      expect(taken + 250 - given).toBeLessThanOrEqual(320);
    }
  });

  it('stays within full scale', () => {
    const loud = filled(toPcm16(narrow(rising.map((sample) => sample * 40))));
    expect(Math.max(...loud)).toBe(32_767);
    expect(Math.min(...loud)).toBe(-32_768);
  });
});
