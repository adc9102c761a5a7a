/** Sound that comes by a network: jitter, loss, keys as tones. */
import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { createHash } from 'node:crypto';
import {
  Concealment,
  G722Decoder,
  G722Encoder,
  JitterBuffer,
  keyTones,
  seeded,
  TELEPHONE_KEYS,
  ToneDetector,
} from '../../src/index.js';
import { noise, voice } from '../../../../testing/voices.js';

const RATE = 8_000;
const FRAME = 160;
const FRAME_MS = 20;
/** A frame that says which one it is. */
const frame = (index: number, length = FRAME) => new Int16Array(length).fill(index + 1);

const joined = (parts: Int16Array[]) => Int16Array.from(parts.flatMap((part) => [...part]));

interface Network {
  /** Of the samples; timestamps go on by the telephone's. */
  rateHz?: number;
  delayMs: (index: number) => number;
  isLost?: (index: number) => boolean;
  firstTimestamp?: number;
}

/**
 * Sends frames through a network and pulls them evenly. @returns of each pull, the frame it was; null where
 * nothing was there
 */
function through(
  { delayMs, isLost = () => false, firstTimestamp = 0, rateHz = RATE }: Network,
  frames: number,
) {
  const count = (rateHz * FRAME_MS) / 1_000;
  const buffer = new JitterBuffer(rateHz, RATE);
  const coming = Array.from({ length: frames }, (_, index) => ({
    index,
    atMs: index * FRAME_MS + delayMs(index),
  }))
    .filter(({ index }) => !isLost(index))
    .sort((a, b) => a.atMs - b.atMs);
  const pulled: (number | null)[] = [];
  for (let nowMs = 0; pulled.length < frames + 30; nowMs += FRAME_MS) {
    while (coming[0] && coming[0].atMs <= nowMs) {
      const { index, atMs } = coming.shift()!;
      buffer.put({ timestamp: (firstTimestamp + index * FRAME) >>> 0, samples: frame(index, count) }, atMs);
    }
    const { samples, there } = buffer.pull(count, nowMs);
    pulled.push(there ? samples[count / 2]! - 1 : null);
  }
  return { pulled, counts: buffer.counts };
}

const withoutHoles = (pulled: (number | null)[]) => pulled.filter((one) => one !== null);

describe('the jitter buffer', () => {
  it('gives back an even stream after one packet, also where timestamps wrap or go by another clock', () => {
    const starts = [0, 0x8000_0000 - 400, 2 ** 32 - 400];
    for (const [firstTimestamp, rateHz] of starts.flatMap(
      (start) =>
        [
          [start, RATE],
          [start, 2 * RATE],
        ] as const,
    )) {
      const { pulled } = through({ delayMs: () => 5, firstTimestamp, rateHz }, 100);
      expect(withoutHoles(pulled)).toEqual(Array.from({ length: 100 }, (_, index) => index));
      // The stream begins within two frames, and there is no hole in it.
      expect(pulled.slice(0, 3)).toContain(0);
      expect(pulled.slice(3, 100)).not.toContain(null);
    }
  });

  it('puts packets in order that overtook one another, and takes none twice', () => {
    const { pulled } = through({ delayMs: (index) => (index % 2 === 0 ? 45 : 5) }, 200);
    const rest = withoutHoles(pulled).slice(20);
    expect(rest).toEqual([...rest].sort((a, b) => a! - b!));
    expect(new Set(rest).size).toBe(rest.length);
  });

  it('holds more where there is jitter: after a second next to nothing is late', () => {
    const random = seeded(5);
    const { pulled, counts } = through({ delayMs: () => random() * 60 }, 1_000);
    const later = pulled.slice(100, 1_000);
    expect(later.filter((one) => one === null).length).toBeLessThan(30);
    expect(counts.holdMs).toBeGreaterThan(40);
    expect(counts.holdMs).toBeLessThan(100);
  });

  it('holds less again when the network is calm', () => {
    const { counts } = through({ delayMs: (index) => (index < 200 ? (index % 3) * 30 : 5) }, 1_200);
    expect(counts.holdMs).toBeLessThan(40);
  });

  it('follows a sender whose clock is slow or fast, without end', () => {
    for (const ppm of [-500, 500]) {
      const { pulled } = through({ delayMs: (index) => 5 + (index * FRAME_MS * ppm) / 1e6 + 20 }, 5_000);
      const holes = pulled.slice(10, 4_900).filter((one) => one === null).length;
      expect(holes).toBeLessThan(20);
    }
  });

  it('leaves a hole for what is lost, and goes on after it', () => {
    const { pulled } = through({ delayMs: () => 5, isLost: (index) => index >= 50 && index < 55 }, 100);
    const from = pulled.indexOf(49);
    expect(pulled.slice(from, from + 7)).toEqual([49, null, null, null, null, null, 55]);
  });

  it('starts again with a sender that started again, or whose timestamps stood still while it was silent', () => {
    const buffer = new JitterBuffer(RATE);
    const put = (timestamp: number, index: number, nowMs: number) => {
      buffer.put({ timestamp, samples: frame(index) }, nowMs);
      return buffer.pull(FRAME, nowMs);
    };
    for (let i = 0; i < 50; i++) put(i * FRAME, i, i * FRAME_MS);
    const heard: number[] = [];
    for (let i = 0; i < 50; i++) {
      const { samples, there } = put((50 + i) * FRAME, 1_000 + i, 4_000 + i * FRAME_MS);
      if (there) heard.push(samples[0]!);
    }
    expect(heard.at(-1)).toBeGreaterThanOrEqual(1_000 + 47);
    expect(heard.length).toBeGreaterThan(35);
    const again: number[] = [];
    for (let i = 0; i < 50; i++) {
      const { samples, there } = put((900_000_000 + i * FRAME) >>> 0, 2_000 + i, 5_000 + i * FRAME_MS);
      if (there) again.push(samples[0]!);
    }
    expect(again.length).toBeGreaterThan(45);
  });

  it('stands whatever comes', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.tuple(fc.nat(0xffff_ffff), fc.integer({ min: 0, max: 400 }), fc.integer({ min: 0, max: 90 })),
          { maxLength: 60 },
        ),
        (packets) => {
          const buffer = new JitterBuffer(RATE);
          let nowMs = 0;
          for (const [timestamp, length, waitMs] of packets) {
            buffer.put({ timestamp, samples: new Int16Array(length) }, (nowMs += waitMs));
            expect(buffer.pull(FRAME, nowMs).samples).toHaveLength(FRAME);
          }
        },
      ),
    );
  });
});

/** What sounds like a voice, at the rate of a telephone. */
const pcm = (sound: Float32Array) =>
  Int16Array.from(
    sound.filter((_, i) => i % 2 === 0),
    (one) => Math.round(one * 32_000),
  );
const rms = (samples: ArrayLike<number>) =>
  Math.sqrt(Array.from(samples).reduce((sum, one) => sum + one * one, 0) / samples.length);

describe('concealment', () => {
  const speech = () => pcm(voice(RATE * 2));

  it('sounds like what went before it, and not like a hole', () => {
    const sound = speech();
    const conceal = new Concealment(RATE);
    const levels: number[] = [];
    for (let at = 0; at + FRAME <= sound.length; at += FRAME) {
      const part = sound.subarray(at, at + FRAME);
      const isLost = (at / FRAME) % 10 === 9;
      const out = isLost ? conceal.lost(FRAME) : conceal.heard(part);
      const before = rms(sound.subarray(Math.max(0, at - FRAME), at));
      if (isLost && rms(part) > 1_000 && before > rms(part) * 0.7) levels.push(rms(out) / rms(part));
    }
    expect(levels.length).toBeGreaterThan(2);
    for (const level of levels) expect(20 * Math.log10(level)).toBeGreaterThan(-9);
    for (const level of levels) expect(20 * Math.log10(level)).toBeLessThan(6);
  });

  it('falls silent where nothing comes for long', () => {
    const conceal = new Concealment(RATE);
    conceal.heard(speech());
    const lost = Array.from({ length: 10 }, () => rms(conceal.lost(FRAME)));
    expect(lost[0]).toBeGreaterThan(500);
    expect(lost[9]).toBe(0);
  });

  it('changes nothing of what is there, and has nothing to say before anything was', () => {
    const sound = speech().subarray(0, FRAME);
    expect(new Concealment(RATE).heard(sound)).toEqual(sound);
    expect(rms(new Concealment(RATE).lost(FRAME))).toBe(0);
  });
});

describe('G.722', () => {
  const hashOf = (data: Int16Array | Uint8Array) => createHash('sha256').update(data).digest('hex');
  /** A triangle that rises in pitch, swells, and is silent for a while: whole numbers alone. */
  const swelling = Int16Array.from({ length: 16_000 }, (_, i) => {
    const phase = (Math.floor((i * i) / 40) + 7 * i) % 400;
    return i >= 9_000 && i < 10_000
      ? 0
      : ((phase < 200 ? phase : 400 - phase) - 100) * Math.floor((i % 4_000) / 40);
  });

  it('is what another implementation (libspandsp 0.0.6) makes of the same sound, bit by bit, both ways', () => {
    const [encoder, decoder] = [new G722Encoder(), new G722Decoder()];
    const frames = Array.from({ length: 50 }, (_, i) =>
      encoder.encode(swelling.subarray(i * 320, (i + 1) * 320)),
    );
    const bytes = Uint8Array.from(frames.flatMap((part) => [...part]));
    expect(hashOf(bytes)).toBe('35dd6b15bccac4cd1e9fb8c3149bc8af050b3f0034a187e6336ccf2f3602a690');
    const sound = joined(frames.map((part) => decoder.decode(part)));
    expect(hashOf(sound)).toBe('7a593806299d30a70eaeff5dd5dde37372f288228cd9646e87330060a2b8afd8');
  });

  it('stands any bytes and the loudest sound', () => {
    const random = seeded(9);
    const bytes = Uint8Array.from({ length: 4_000 }, () => 256 * random());
    expect(new G722Decoder().decode(bytes)).toHaveLength(8_000);
    const square = Int16Array.from({ length: 3_200 }, (_, i) => (i % 40 < 20 ? 32_767 : -32_768));
    const back = new G722Decoder().decode(new G722Encoder().encode(square));
    expect(rms(back)).toBeGreaterThan(25_000);
  });
});

describe('keys as tones', () => {
  const detect = (samples: Int16Array) => new ToneDetector(RATE).hear(samples).join('');
  const silence = new Int16Array(800);

  it('are told once each, however long, loud or noisy', () => {
    for (const [ms, level] of [
      [60, 6_000],
      [400, 1_000],
      [90, 14_000],
    ] as const) {
      const sound = joined(TELEPHONE_KEYS.flatMap((key) => [keyTones(key, ms, RATE, level), silence]));
      const noisy = noise(sound.length, 1);
      expect(detect(sound.map((one, i) => one + Math.round(noisy[i]! * level * 0.1)))).toBe(
        '0123456789*#ABCD',
      );
    }
  });

  it('a key that is pressed twice is told twice', () => {
    expect(detect(joined([keyTones('7', 80, RATE), silence, keyTones('7', 80, RATE)]))).toBe('77');
  });

  it('are not found in speech', () => {
    expect(detect(pcm(voice(RATE * 20)))).toBe('');
  });

  it.each([
    ['one tone alone', [697]],
    ['two tones of no key', [1_000, 1_500]],
    ['two rows', [697, 852]],
  ])('are not found in %s', (_, tones) => {
    const sound = Int16Array.from({ length: RATE }, (_one, i) =>
      tones.reduce((sum, hz) => sum + 6_000 * Math.sin((2 * Math.PI * hz * i) / RATE), 0),
    );
    expect(detect(sound)).toBe('');
  });

  it('refuses what is no key', () => expect(() => keyTones('x' as never, 50, RATE)).toThrow('"x" is no key'));
});
