/**
 * The ear: when a voice begins and ends, in a room, beside other people, and over our own voice come back.
 */
import { describe, expect, it } from '@jest/globals';
import { levelDb } from '../../src/audio/levels.js';
import { EchoGuard } from '../../src/hearing/echo-guard.js';
import { Ear, HANGOVER_MS, type EarEvent } from '../../src/hearing/ear.js';
import { seeded } from '../../src/common/seeded.js';
import { FRAME_MS, FRAME_SAMPLES } from '../../src/hearing/voice-features.js';
import { noise as quietRoom, voice } from '../../../../testing/voices.js';

function sine(hz: number, rateHz: number, seconds: number, gain = 0.5): Float32Array {
  return Float32Array.from(
    { length: seconds * rateHz },
    (_, i) => gain * Math.sin((2 * Math.PI * hz * i) / rateHz),
  );
}

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

  it('waits for the echo as long as it may come after our own voice, and then expects none', () => {
    const guard = new EchoGuard();
    const silence = new Float32Array(FRAME_SAMPLES);
    for (let i = 0; i < 20; i++)
      guard.expect(silence, own.subarray(i * FRAME_SAMPLES, (i + 1) * FRAME_SAMPLES));
    let waited = 0;
    while (guard.expect(silence, null) !== null) waited++;
    expect(waited * FRAME_MS).toBeGreaterThan(450);
    expect(waited * FRAME_MS).toBeLessThan(750);
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
