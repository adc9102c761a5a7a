import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { audibleEdges, levelDb } from '../../src/audio/levels.js';
import { Resampler, resample } from '../../src/audio/resampler.js';
import { joinPcm16, mixDown, pcm16Bytes, pcm16FromBytes, toPcm16 } from '../../src/audio/samples.js';
import { Spectrum } from '../../src/audio/spectrum.js';
import { readWav, writeWav } from '../../src/audio/wav.js';
import type { Fault } from '../../src/faults.js';
import { Ear, HANGOVER_MS, type EarEvent } from '../../src/hearing/ear.js';
import { seeded } from '../../src/seeded.js';
import { noise as quietRoom, voice } from '../../../../testing/voices.js';

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

describe('the ear', () => {
  const random = seeded(2);
  const noise = (seconds: number, db: number) =>
    Float32Array.from(
      { length: seconds * 16_000 },
      () => (random() * 2 - 1) * Math.sqrt(3) * 10 ** (db / 20),
    );
  const spoken = (seconds: number) => voice(seconds * 16_000);
  function scene(roomDb: number): Float32Array {
    const sound = noise(4, roomDb);
    spoken(1).forEach((sample, i) => (sound[16_000 + i]! += sample));
    spoken(0.5).forEach((sample, i) => (sound[40_000 + i]! += sample));
    return sound;
  }
  function hear(sound: Float32Array, size: number): EarEvent[] {
    const ear = new Ear();
    const events: EarEvent[] = [];
    for (let at = 0; at < sound.length; at += size) events.push(...ear.hear(sound.subarray(at, at + size)));
    return events;
  }

  it.each([
    [-70, 60],
    [-45, 100],
    [-38, 160],
  ])('hears voice begin and end in a room of %i dBFS, to within %i ms', (roomDb, withinMs) => {
    const edges = hear(scene(roomDb), 320).filter(
      ({ kind }) => kind === 'voiceBegan' || kind === 'voiceEnded',
    );
    expect(edges.map(({ kind }) => kind)).toEqual(['voiceBegan', 'voiceEnded', 'voiceBegan', 'voiceEnded']);
    [1_000, 2_000, 2_500, 3_000].forEach((atMs, i) =>
      expect(Math.abs(edges[i]!.atMs - atMs)).toBeLessThanOrEqual(withinMs),
    );
  });

  it('hears the same whatever pieces the sound comes in', () => {
    const sound = scene(-60);
    expect(hear(sound, 117)).toEqual(hear(sound, 4_000));
  });

  it('does not take steady noise, a knock or hum for voice', () => {
    const knock = noise(3, -60);
    for (let i = 0; i < 400; i++) knock[20_000 + i]! += 0.8 * Math.exp(-i / 80) * (random() * 2 - 1);
    expect(hear(knock, 320)).toEqual([]);
    expect(hear(noise(3, -40), 320)).toEqual([]);
    const hum = noise(3, -65);
    sine(50, 16_000, 3, 0.05).forEach((sample, i) => (hum[i]! += sample));
    expect(hear(hum, 320)).toEqual([]);
  });

  it.each([16, 12])(
    'notices that the caller is silent while somebody nearby, %i dB softer, talks on',
    (softerDb) => {
      const [fromMs, toMs] = [2_000, 3_500];
      const nearby = voice(9 * 16_000).subarray(3 * 16_000);
      const caller = voice((toMs - fromMs) * 16);
      const gain = 10 ** ((levelDb(caller) - levelDb(nearby) - softerDb) / 20);
      const sound = nearby.map((sample, i) => gain * sample + (caller[i - fromMs * 16] ?? 0));
      const ends = hear(sound, 320)
        .filter(({ kind }) => kind === 'voiceEnded')
        .map(({ atMs }) => atMs);
      // By likeness alone the voice goes on to the end.
      expect(ends.some((atMs) => Math.abs(atMs - toMs) < 150)).toBe(true);
    },
  );

  it('notices within 80 ms that voice has begun, and says how long it has gone on', () => {
    const ear = new Ear();
    const sound = scene(-60);
    const noticed = new Map<string, number>();
    for (let at = 0; at < sound.length; at += 320) {
      for (const event of ear.hear(sound.subarray(at, at + 320))) {
        if (!noticed.has(event.kind)) noticed.set(event.kind, (at + 320) / 16);
        if (event.kind === 'voiceGoes') expect(event.voicedMs).toBeLessThanOrEqual(event.atMs - 900);
      }
    }
    expect(noticed.get('voiceBegan')).toBeLessThanOrEqual(1_080);
    expect(noticed.get('voiceEnded')).toBeGreaterThanOrEqual(2_000 + HANGOVER_MS - 80);
  });
});

describe('the echo guard', () => {
  const own = voice(16_000 * 8);
  const echo = Float32Array.from({ length: own.length }, (_, i) => 0.25 * (own[i - 1_900] ?? 0));
  const quiet = quietRoom(own.length);
  function began(mic: Float32Array, playing: Float32Array | null): number[] {
    const ear = new Ear();
    const found: number[] = [];
    for (let at = 0; at + 320 <= mic.length; at += 320)
      for (const { kind, atMs } of ear.hear(mic.subarray(at, at + 320), playing?.subarray(at, at + 320)))
        if (kind === 'voiceBegan') found.push(atMs);
    return found;
  }

  it('does not take our own voice for the caller’s, whatever its delay, and hears a caller over it', () => {
    const mic = echo.map((sample, i) => sample + quiet[i]!);
    expect(began(mic, null).length).toBeGreaterThan(0);
    expect(began(mic, own)).toEqual([]);
    const caller = voice(16_000).reverse();
    const both = mic.map((sample, i) => sample + 2 * (caller[i - 80_000] ?? 0));
    const [first] = began(both, own);
    expect(first).toBeGreaterThan(4_900);
    expect(first).toBeLessThan(5_400);
  });
});

describe('the echo canceller', () => {
  const LENGTH = 16_000 * 6;
  const own = voice(LENGTH);
  // A room: late, and with a tail that dies away.
  const way = quietRoom(1_600, 1).map((one, i) => (i === 0 ? 0.4 : 0.1 * one * Math.exp(-i / 400)));
  const echo = new Float32Array(LENGTH);
  for (let i = 900; i < LENGTH; i++)
    for (let k = 0; k < way.length && k <= i - 900; k++) echo[i]! += way[k]! * own[i - 900 - k]!;
  const quiet = quietRoom(LENGTH);
  const caller = voice(16_000).reverse();
  const CALLER_AT = 64_000;

  function cleaned(mic: Float32Array, playing: Float32Array | null): Float32Array {
    const ear = new Ear();
    const out = new Float32Array(LENGTH);
    let to = 0;
    for (let at = 0; at < LENGTH; at += 250) {
      ear.hear(mic.subarray(at, at + 250), playing?.subarray(at, at + 250));
      out.set(ear.clean, to);
      to += ear.clean.length;
    }
    expect(to).toBe(LENGTH);
    return out;
  }
  const level = (sound: Float32Array, from: number, count = 16_000) =>
    levelDb(sound.subarray(from, from + count));

  it('takes our voice out once it knows the room, and leaves the caller’s over it', () => {
    const alone = echo.map((one, i) => one + quiet[i]!);
    expect(level(cleaned(alone, own), 48_000)).toBeLessThan(level(alone, 48_000) - 12);
    const both = alone.map((one, i) => one + (caller[i - CALLER_AT] ?? 0));
    const clean = cleaned(both, own).subarray(CALLER_AT, CALLER_AT + 16_000);
    const wrong = clean.map((one, i) => one - caller[i]!);
    expect(levelDb(wrong)).toBeLessThan(levelDb(caller) - 9);
    expect(levelDb(wrong)).toBeLessThan(level(echo, CALLER_AT) - 5);
  });

  it('changes nothing where nothing of ours comes back, and never makes the sound louder', () => {
    const mic = quiet.map((one, i) => one + (caller[i % 16_000] ?? 0));
    expect(cleaned(mic, null)).toEqual(mic);
    const with_ = cleaned(mic, own);
    for (let at = 0; at < LENGTH; at += 16_000)
      expect(Math.abs(level(with_, at) - level(mic, at))).toBeLessThan(0.5);
  });
});
