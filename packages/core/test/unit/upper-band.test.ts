/** What a narrow line has not above 4 kHz. */
import { describe, expect, it } from '@jest/globals';
import { HOUSE_RATE_HZ, joinPcm16, UpperBand } from '../../src/index.js';

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

describe('the upper band of a narrow line', () => {
  it.each([300, 1_000, 3_400])('is the lower one mirrored at 4 kHz, half as loud: %d Hz', (hz) => {
    const filled = new UpperBand().fill(tone(hz));
    expect(peakAt(hz, filled)).toBeCloseTo(8_000, -2);
    expect(peakAt(8_000 - hz, filled)).toBeCloseTo(4_000, -2);
    expect(peakAt(4_000, filled)).toBeLessThan(10);
  });

  it('is the same in pieces of any length', () => {
    const whole = tone(700);
    const upper = new UpperBand();
    const pieces = [0, 1, 4, 321, 322, 9_001].map((at, i, all) => upper.fill(whole.subarray(at, all[i + 1])));
    expect(joinPcm16(pieces)).toEqual(new UpperBand().fill(whole));
  });

  it('stays within full scale', () => {
    const loud = new UpperBand().fill(tone(1_000, 32_767));
    expect(Math.max(...loud)).toBe(32_767);
    expect(Math.min(...loud)).toBe(-32_768);
  });
});
