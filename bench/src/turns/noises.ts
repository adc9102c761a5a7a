/**
 * Sounds that are not the caller's words: noise of four kinds, and a cough, a knock, keys, a stove, music.
 * All made here.
 */
import FFT from 'fft.js';
import { HOUSE_RATE_HZ, levelDb, samplesOfMs } from '@verbalon/core';

const FFT_SIZE = 16_384;

export type NoiseKind = 'white' | 'wind' | 'hum' | 'babble';
export const NOISE_KINDS: readonly NoiseKind[] = ['white', 'wind', 'hum', 'babble'];
type Random = () => number;

const swing = (random: Random) => random() * 2 - 1;

/** At this level, in dBFS; over the loud parts only, where `active`. */
export function scaledTo(samples: Float32Array, db: number): Float32Array {
  const gain = 10 ** ((db - levelDb(samples)) / 20);
  return samples.map((sample) => sample * gain);
}

export function white(length: number, random: Random): Float32Array {
  return Float32Array.from({ length }, () => swing(random));
}

/** Low rumble that swells and falls in gusts. */
export function wind(length: number, random: Random): Float32Array {
  const out = new Float32Array(length);
  const gustHz = 0.2 + 0.5 * random();
  const share = 0.03 + 0.05 * random();
  let low = 0;
  let gust = 0;
  for (let i = 0; i < length; i++) {
    low += share * (swing(random) - low);
    gust += 0.00005 * (swing(random) * 6 - gust);
    const swell = 0.55 + 0.45 * Math.sin((2 * Math.PI * gustHz * i) / HOUSE_RATE_HZ + gust);
    out[i] = low * swell + swing(random) * 0.012;
  }
  return out;
}

/** Mains hum with its harmonics, or a motor. */
export function hum(length: number, random: Random): Float32Array {
  const baseHz = random() < 0.5 ? 50 : 40 + 60 * random();
  const parts = Array.from({ length: 12 }, (_, k) => ({
    hz: baseHz * (k + 1),
    gain: random() / (k + 1) ** 0.7,
    phase: random() * 7,
  }));
  return Float32Array.from({ length }, (_, i) =>
    parts.reduce(
      (sum, { hz, gain, phase }) => sum + gain * Math.sin((2 * Math.PI * hz * i) / HOUSE_RATE_HZ + phase),
      swing(random) * 0.02,
    ),
  );
}

/** Several of these voices at once, each from a place of its own, again and again. */
export function babble(length: number, random: Random, voices: readonly Float32Array[]): Float32Array {
  const out = new Float32Array(length);
  for (let k = 0; k < 6; k++) {
    for (let at = -Math.floor(random() * HOUSE_RATE_HZ * 2); at < length;) {
      const voice = voices[Math.floor(random() * voices.length)]!;
      const gain = 0.6 + 0.8 * random();
      for (let i = Math.max(0, -at); i < voice.length && at + i < length; i++)
        out[at + i]! += gain * voice[i]!;
      at += voice.length + Math.floor(random() * HOUSE_RATE_HZ * 0.4);
    }
  }
  return out;
}

export function noise(kind: NoiseKind, length: number, random: Random, voices: readonly Float32Array[]) {
  if (kind === 'babble') return babble(length, random, voices);
  return { white, wind, hum }[kind](length, random);
}

/** A resonance at `hz` that dies away in `decayMs`, struck once. */
function struck(out: Float32Array, at: number, hz: number, decayMs: number, gain: number): void {
  const decay = samplesOfMs(decayMs, HOUSE_RATE_HZ);
  for (let i = 0; i < decay * 6 && at + i < out.length; i++)
    out[at + i]! += gain * Math.exp(-i / decay) * Math.sin((2 * Math.PI * hz * i) / HOUSE_RATE_HZ);
}

/** One to three coughs: a burst, then breath through the throat. */
export function cough(random: Random): Float32Array {
  const bursts = 1 + Math.floor(random() * 2.4);
  const each = samplesOfMs(330, HOUSE_RATE_HZ);
  const out = new Float32Array(each * bursts);
  for (let b = 0; b < bursts; b++) {
    const throatHz = 380 + 500 * random();
    const ring = 0.96;
    const cos = 2 * ring * Math.cos((2 * Math.PI * throatHz) / HOUSE_RATE_HZ);
    const lengthMs = 130 + 140 * random();
    let one = 0;
    let two = 0;
    for (let i = 0; i < samplesOfMs(lengthMs, HOUSE_RATE_HZ); i++) {
      const ms = (i * 1000) / HOUSE_RATE_HZ;
      const envelope = Math.min(1, ms / 4) * (Math.exp(-ms / 22) + 0.35 * Math.exp(-ms / 90));
      const now = swing(random) + cos * one - ring * ring * two;
      two = one;
      one = now;
      out[b * each + i] = envelope * (now * 0.25 + swing(random) * 0.6);
    }
  }
  return out;
}

/** Knuckles on wood, or something put on a table. */
export function knock(random: Random): Float32Array {
  const count = 1 + Math.floor(random() * 3);
  const gap = samplesOfMs(140 + 160 * random(), HOUSE_RATE_HZ);
  const out = new Float32Array(gap * count + samplesOfMs(120, HOUSE_RATE_HZ));
  const baseHz = 120 + 260 * random();
  for (let k = 0; k < count; k++) {
    for (const [ratio, gain] of [
      [1, 1],
      [2.3, 0.6],
      [3.9, 0.35],
    ] as const)
      struck(out, k * gap, baseHz * ratio * (0.97 + 0.06 * random()), 9 + 10 * random(), gain);
    for (let i = 0; i < 60; i++) out[k * gap + i]! += swing(random) * (1 - i / 60);
  }
  return out;
}

/** Typing. */
export function keys(length: number, random: Random): Float32Array {
  const out = new Float32Array(length);
  for (let at = 0; at < length; at += samplesOfMs(70 + 220 * random(), HOUSE_RATE_HZ)) {
    const gain = 0.4 + 0.6 * random();
    for (let i = 0; i < 240 && at + i < length; i++) out[at + i]! += gain * swing(random) * Math.exp(-i / 45);
    struck(out, at, 900 + 1800 * random(), 3, gain * 0.4);
  }
  return out;
}

/** A stove: soft roar and crackle. */
export function stove(length: number, random: Random): Float32Array {
  const out = wind(length, random);
  for (let at = 0; at < length; at += samplesOfMs(30 + 500 * random(), HOUSE_RATE_HZ))
    struck(out, at, 1500 + 3500 * random(), 0.6 + random(), 0.05 + 0.2 * random());
  return out;
}

/** A tune of plucked and blown notes with chords under it. */
export function music(length: number, random: Random): Float32Array {
  const out = new Float32Array(length);
  const scale = [0, 2, 4, 5, 7, 9, 11, 12];
  const keyHz = 196 * 2 ** (Math.floor(random() * 12) / 12);
  const beat = samplesOfMs(180 + 220 * random(), HOUSE_RATE_HZ);
  const note = (at: number, hz: number, beats: number, gain: number, pluck: boolean) => {
    const count = Math.floor(beat * beats);
    for (let i = 0; i < count && at + i < length; i++) {
      const envelope = pluck ? Math.exp((-3 * i) / count) : Math.min(1, i / 400, (count - i) / 400);
      let sum = 0;
      for (let k = 1; k <= 6; k++) sum += Math.sin((2 * Math.PI * hz * k * i) / HOUSE_RATE_HZ) / k ** 1.3;
      out[at + i]! += gain * envelope * sum;
    }
  };
  for (let at = 0, i = 0; at < length; at += beat, i++) {
    note(
      at,
      keyHz * 2 ** (scale[Math.floor(random() * 8)]! / 12),
      1 + Math.floor(random() * 2),
      0.6,
      i % 3 !== 0,
    );
    if (i % 4 === 0) for (const step of [0, 4, 7]) note(at, (keyHz / 2) * 2 ** (step / 12), 4, 0.25, true);
  }
  return out;
}

/** "Mm-hm": two hums through the nose, the second higher. */
export function hummedYes(random: Random): Float32Array {
  const baseHz = 95 + 130 * random();
  const parts = [
    { ms: 110 + 60 * random(), from: 1.02, to: 0.95 },
    { ms: 50 + 30 * random(), from: 0, to: 0 },
    { ms: 150 + 90 * random(), from: 1.08, to: 1.25 },
  ];
  const out: number[] = [];
  let phase = 0;
  for (const { ms, from, to } of parts) {
    const count = samplesOfMs(ms, HOUSE_RATE_HZ);
    for (let i = 0; i < count; i++) {
      const hz = baseHz * (from + (to - from) * (i / count)) * (1 + 0.01 * swing(random));
      phase += (2 * Math.PI * hz) / HOUSE_RATE_HZ;
      let sum = 0;
      // The nose lets the low harmonics through, and a little around 1 kHz.
      for (let k = 1; k <= 14 && from > 0; k++) {
        const f = hz * k;
        const gain = 1 / (1 + ((f - 250) / 180) ** 2) + 0.06 / (1 + ((f - 1000) / 250) ** 2) + 0.02 / k;
        sum += gain * Math.sin(phase * k);
      }
      out.push(sum * Math.min(1, i / 300, (count - i) / 500) + (from === 0 ? swing(random) * 0.004 : 0));
    }
  }
  return Float32Array.from(out);
}

/** A room: a short row of early reflections and a noisy tail that dies away in `rt60Ms`. */
export function room(rt60Ms: number, random: Random): Float32Array {
  const count = samplesOfMs(Math.min(400, rt60Ms), HOUSE_RATE_HZ);
  const out = new Float32Array(count);
  out[0] = 1;
  for (let k = 0; k < 8; k++)
    out[Math.floor(random() * samplesOfMs(40, HOUSE_RATE_HZ))]! += swing(random) * 0.5;
  for (let i = 0; i < count; i++)
    out[i]! += 0.12 * swing(random) * Math.exp((-6.9 * i) / samplesOfMs(rt60Ms, HOUSE_RATE_HZ));
  return out;
}

/** `sound` through `walls` (no longer than half of FFT_SIZE), as long as the sound: overlap-add. */
export function convolved(sound: Float32Array, walls: Float32Array): Float32Array {
  const fft = new FFT(FFT_SIZE);
  const step = FFT_SIZE - walls.length;
  const spectrumOf = (samples: Float32Array) => {
    const padded = new Array<number>(FFT_SIZE).fill(0);
    samples.forEach((sample, i) => (padded[i] = sample));
    const spectrum = fft.createComplexArray();
    fft.realTransform(spectrum, padded);
    fft.completeSpectrum(spectrum);
    return spectrum;
  };
  const filter = spectrumOf(walls);
  const out = new Float32Array(sound.length);
  for (let at = 0; at < sound.length; at += step) {
    const a = spectrumOf(sound.subarray(at, at + step));
    for (let k = 0; k < a.length; k += 2) {
      const [re, im] = [a[k]!, a[k + 1]!];
      a[k] = re * filter[k]! - im * filter[k + 1]!;
      a[k + 1] = re * filter[k + 1]! + im * filter[k]!;
    }
    const back = fft.createComplexArray();
    fft.inverseTransform(back, a);
    for (let i = 0; i < FFT_SIZE && at + i < out.length; i++) out[at + i]! += back[2 * i]!;
  }
  return out;
}
