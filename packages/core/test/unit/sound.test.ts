import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { audibleEdges, levelDb } from '../../src/audio/levels.js';
import { Resampler, resample } from '../../src/audio/resampler.js';
import { joinPcm16, mixDown, pcm16Bytes, pcm16FromBytes, toPcm16 } from '../../src/audio/samples.js';
import { Spectrum } from '../../src/audio/spectrum.js';
import { readWav, writeWav } from '../../src/audio/wav.js';
import type { Fault } from '../../src/common/faults.js';

function sine(hz: number, rateHz: number, seconds: number, gain = 0.5): Float32Array {
  return Float32Array.from(
    { length: seconds * rateHz },
    (_, i) => gain * Math.sin((2 * Math.PI * hz * i) / rateHz),
  );
}

/** A WAV file by hand: any format tag, width and channel count. */
function wav(
  tag: number,
  bits: number,
  channels: number,
  rateHz: number,
  data: Uint8Array,
  dataSize = data.length,
): Uint8Array {
  const out = new Uint8Array(44 + data.length);
  const view = new DataView(out.buffer);
  const put = (at: number, text: string) =>
    [...text].forEach((c, i) => view.setUint8(at + i, c.charCodeAt(0)));
  put(0, 'RIFF');
  put(8, 'WAVEfmt ');
  view.setUint32(16, 16, true);
  view.setUint16(20, tag, true);
  view.setUint16(22, channels, true);
  view.setUint32(24, rateHz, true);
  view.setUint16(34, bits, true);
  put(36, 'data');
  view.setUint32(40, dataSize, true);
  out.set(data, 44);
  return out;
}

function bytesOf(size: number, put: (view: DataView) => void): Uint8Array {
  const view = new DataView(new ArrayBuffer(size));
  put(view);
  return new Uint8Array(view.buffer);
}

describe('WAV', () => {
  it.each<[string, Uint8Array, number]>([
    ['8 bits', wav(1, 8, 1, 16_000, Uint8Array.of(192)), 0.5],
    [
      '16 bits',
      wav(
        1,
        16,
        1,
        8_000,
        bytesOf(2, (v) => v.setInt16(0, -16_384, true)),
      ),
      -0.5,
    ],
    ['24 bits', wav(1, 24, 1, 48_000, Uint8Array.of(0, 0, 0x40)), 0.5],
    [
      '32 bits',
      wav(
        1,
        32,
        1,
        44_100,
        bytesOf(4, (v) => v.setInt32(0, -(2 ** 30), true)),
      ),
      -0.5,
    ],
    [
      'floats',
      wav(
        3,
        32,
        1,
        44_100,
        bytesOf(4, (v) => v.setFloat32(0, 0.25, true)),
      ),
      0.25,
    ],
    [
      'doubles',
      wav(
        3,
        64,
        1,
        44_100,
        bytesOf(8, (v) => v.setFloat64(0, 0.25, true)),
      ),
      0.25,
    ],
    ['mu-law (G.711 table 2a: 0x80 is 32124)', wav(7, 8, 1, 8_000, Uint8Array.of(0x80)), 32124 / 32768],
    ['A-law (G.711 table 1a: 0xAA is 32256)', wav(6, 8, 1, 8_000, Uint8Array.of(0xaa)), 32256 / 32768],
    [
      'an open size, as a recorder that was not stopped writes it',
      wav(1, 16, 1, 16_000, Uint8Array.of(0, 0x40), 0xffffffff),
      0.5,
    ],
  ])('of %s is read', (_name, file, first) => {
    expect(readWav(file).channels[0]![0]).toBeCloseTo(first, 5);
  });

  it.each<[string, Uint8Array, string]>([
    ['no bytes', new Uint8Array(0), 'sound-empty'],
    ['no samples', wav(1, 16, 1, 16_000, new Uint8Array(0)), 'sound-empty'],
    ['text', new TextEncoder().encode('this is no recording at all, but text'), 'sound-not-wav'],
    ['fewer bytes than it promises', wav(1, 16, 1, 16_000, new Uint8Array(10), 1_000), 'sound-cut-short'],
    ['an end in its header', wav(1, 16, 1, 16_000, new Uint8Array(4)).subarray(0, 30), 'sound-cut-short'],
    ['12 bits', wav(1, 12, 1, 16_000, new Uint8Array(8)), 'sound-format-unknown'],
    ['a compressed format', wav(0x55, 16, 1, 16_000, new Uint8Array(8)), 'sound-format-unknown'],
    ['no channel', wav(1, 16, 0, 16_000, new Uint8Array(8)), 'sound-format-unknown'],
    ['4,000 Hz', wav(1, 16, 1, 4_000, new Uint8Array(8)), 'sound-rate-out-of-range'],
  ])('with %s is refused by name', (_name, file, code) => {
    expect(() => readWav(file)).toThrow(expect.objectContaining({ code }) as unknown as Fault);
  });

  it('comes back as it was written, channels of unequal length filled up', () => {
    const sound = readWav(writeWav([Int16Array.of(1, -2, 3), Int16Array.of(7)], 22_050));
    expect(sound.rateHz).toBe(22_050);
    expect(sound.channels.map((channel) => [...toPcm16(channel)])).toEqual([
      [1, -2, 3],
      [7, 0, 0],
    ]);
    expect(mixDown(sound.channels)[0]).toBeCloseTo(4 / 32768, 8);
  });

  it('samples survive bytes at an odd offset', () => {
    const bytes = pcm16Bytes(Int16Array.of(-32768, 32767, 5));
    const shifted = new Uint8Array(bytes.length + 1);
    shifted.set(bytes, 1);
    expect([...pcm16FromBytes(shifted.subarray(1))]).toEqual([-32768, 32767, 5]);
    expect([...joinPcm16([Int16Array.of(1), Int16Array.of(2, 3)])]).toEqual([1, 2, 3]);
  });
});

describe('resampling', () => {
  it.each([8_000, 11_025, 22_050, 44_100, 48_000, 44_101, 191_999, 4_000_000])(
    'from %i Hz keeps a tone, its level and its place',
    (fromHz) => {
      const out = resample(sine(440, fromHz, 0.5), fromHz, 16_000);
      const wanted = sine(440, 16_000, 0.5);
      expect(Math.abs(out.length - wanted.length)).toBeLessThanOrEqual(1);
      const middle = out.subarray(800, 7_200);
      const error = middle.map((sample, i) => sample - wanted[800 + i]!);
      expect(levelDb(error)).toBeLessThan(-70);
    },
  );

  it('lets nothing through that the lower rate cannot hold', () => {
    expect(levelDb(resample(sine(11_000, 48_000, 0.3), 48_000, 16_000).subarray(400, 4_000))).toBeLessThan(
      -65,
    );
  });

  it('gives the same whatever pieces the sound comes in', () => {
    const sound = sine(300, 44_100, 0.1);
    const whole = resample(sound, 44_100, 16_000);
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 700 }), { minLength: 1, maxLength: 20 }), (sizes) => {
        const resampler = new Resampler(44_100, 16_000);
        const parts: number[] = [];
        let at = 0;
        for (let i = 0; at < sound.length; i++) {
          const size = sizes[i % sizes.length]!;
          parts.push(...resampler.push(sound.subarray(at, at + size)));
          at += size;
        }
        parts.push(...resampler.flush());
        expect(Float32Array.from(parts)).toEqual(whole);
      }),
      { numRuns: 30, seed: 3 },
    );
  });

  it('takes nothing from another sound of the same rates, though that were no numbers', () => {
    const sound = sine(300, 48_000, 0.1);
    const [one, other] = [new Resampler(48_000, 16_000), new Resampler(48_000, 16_000)];
    const parts: number[] = [];
    for (let at = 0; at < sound.length; at += 480) {
      other.push(new Float32Array(960).fill(NaN));
      parts.push(...one.push(sound.subarray(at, at + 480)));
    }
    other.flush();
    parts.push(...one.flush());
    expect(Float32Array.from(parts)).toEqual(resample(sound, 48_000, 16_000));
  });
});

describe('levels and bands', () => {
  it('a full sine is 3 dB below full scale, and its power is in its band', () => {
    expect(levelDb(sine(1_000, 16_000, 1, 1))).toBeCloseTo(-3.01, 1);
    const [low, mid, high] = new Spectrum(320, 16_000).bandLevels(
      sine(1_000, 16_000, 0.02, 1),
      [100, 800, 1_300, 4_000],
    );
    expect(mid!).toBeCloseTo(-3, 0);
    expect(Math.max(low!, high!)).toBeLessThan(mid! - 25);
  });

  it('finds the edges of what can be heard', () => {
    const sound = new Float32Array(16_000);
    sound.set(sine(500, 16_000, 0.25), 4_000);
    expect(audibleEdges(sound, 16_000)).toEqual({ from: 4_000, to: 8_000 });
    expect(audibleEdges(new Float32Array(100), 16_000)).toBeNull();
  });
});
