/**
 * Recordings: cut into stretches of speech, written as captions, and a known sound found again in what was
 * captured.
 */
import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import {
  cuesOf,
  ECHO_LOOK_HZ,
  findEcho,
  HOUSE_RATE_HZ,
  Segmenter,
  testSweep,
  webVtt,
  type SoundSegment,
} from '../../src/index.js';
import { noise, voice } from '../../../../testing/voices.js';

const ms = (count: number) => (count * HOUSE_RATE_HZ) / 1000;

function joined(...parts: Float32Array[]): Float32Array {
  const out = new Float32Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}

function segmentsOf(sound: Float32Array, pieces: number[]): SoundSegment[] {
  const segmenter = new Segmenter();
  const found: SoundSegment[] = [];
  let at = 0;
  for (let i = 0; at < sound.length; i++) {
    const size = pieces[i % pieces.length]!;
    found.push(...segmenter.hear(sound.subarray(at, at + size)));
    at += size;
  }
  const last = segmenter.end();
  return last ? [...found, last] : found;
}

describe('a recording', () => {
  const sound = joined(noise(ms(800)), voice(ms(900)), noise(ms(1_000)), voice(ms(600)), noise(ms(200)));

  it('is cut at its pauses, with a little before and after, whatever the pieces', () => {
    const whole = segmentsOf(sound, [sound.length]);
    expect(whole).toHaveLength(2);
    const [first, second] = whole.map(({ fromSample, samples }) =>
      [fromSample, fromSample + samples.length].map((at) => (at * 1000) / HOUSE_RATE_HZ),
    );
    expect(first![0]).toBeGreaterThan(400);
    expect(first![0]).toBeLessThan(620);
    expect(first![1]).toBeGreaterThan(1_800);
    expect(first![1]).toBeLessThan(2_000);
    expect(second![1]).toBeCloseTo(3_500, -1);
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 5_000 }), { minLength: 1, maxLength: 5 }), (pieces) => {
        expect(
          segmentsOf(sound, pieces).map(({ fromSample, samples }) => [fromSample, samples.length]),
        ).toEqual(whole.map(({ fromSample, samples }) => [fromSample, samples.length]));
      }),
      { numRuns: 2, seed: 3 },
    );
  });

  it('a stretch without a pause is cut after half a minute, and nothing of it is lost', () => {
    const found = segmentsOf(joined(noise(ms(500)), voice(ms(62_000))), [8_000]);
    expect(found).toHaveLength(3);
    found
      .slice(1)
      .forEach(({ fromSample }, i) =>
        expect(fromSample).toBe(found[i]!.fromSample + found[i]!.samples.length),
      );
  });
});

describe('captions', () => {
  it('are WebVTT: cues of two lines that can be read, new ones after pauses, signs made safe', () => {
    const words = 'the hut <is> open & warm'
      .split(' ')
      .map((word, i) => ({ word, fromMs: i * 300, toMs: i * 300 + 250 }));
    const later = { word: 'Goodbye.', fromMs: 3_725_500, toMs: 3_726_000 };
    expect(webVtt(cuesOf([...words, later], 'caller'))).toBe(
      'WEBVTT\n\n00:00:00.000 --> 00:00:01.750\n<v caller>the hut &lt;is&gt; open &amp; warm\n\n01:02:05.500 --> 01:02:06.000\n<v caller>Goodbye.\n',
    );
  });
});

describe('the echo test', () => {
  it.each([
    [40, -6],
    [320, -20],
    [900, -30],
  ])('finds the tone after %d ms at %d dB in noise', (delayMs, levelDb) => {
    const sweep = testSweep(ECHO_LOOK_HZ);
    const captured = noise(12_000, 0.002);
    sweep.forEach((sample, i) => (captured[delayMs * 8 + i]! += sample * 10 ** (levelDb / 20)));
    const echo = findEcho(sweep, captured, ECHO_LOOK_HZ)!;
    expect(Math.abs(echo.delayMs - delayMs)).toBeLessThan(1);
    expect(Math.abs(echo.levelDb - levelDb)).toBeLessThan(1);
  });

  it('finds nothing in noise, in speech or in silence', () => {
    for (const sound of [noise(12_000, 0.05), voice(12_000), new Float32Array(12_000)])
      expect(findEcho(testSweep(ECHO_LOOK_HZ), sound, ECHO_LOOK_HZ)).toBeNull();
  });
});
