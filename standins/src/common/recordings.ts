/**
 * How a stand-in cloud hears: it knows the recordings it was given, finds the place in them where the sound
 * comes from by the rise and fall of its loudness, and tells what was said there. Sound that it does not know
 * it hears as nothing.
 */
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { floatsOf } from './wav.js';

const HZ = 16_000;
/** Loudness is taken so often. */
const HOP_MS = 10;
const HOP = (HZ * HOP_MS) / 1000;
/** So much sound is needed to find its place, and no more is looked at. */
const LEAST_HOPS = 60;
const MOST_HOPS = 200;
/** How alike the rise and fall must be. */
const ALIKE = 0.9;

export interface Word {
  word: string;
  fromMs: number;
  toMs: number;
}

interface Recording {
  loudness: Float32Array;
  words: Word[];
}

export class Recordings {
  private readonly all: Recording[];

  constructor(folder: string) {
    this.all = (existsSync(folder) ? readdirSync(folder) : [])
      .filter((name) => name.endsWith('.wav'))
      .map((name) => read(join(folder, name)));
  }

  /** Where the sound was taken from, or null. Words are on the sound's own time. */
  place(sound: Float32Array): Word[] | null {
    const all = loudnessOf(sound);
    if (all.length < LEAST_HOPS) return null;
    const piece = all.subarray(0, MOST_HOPS);
    let best = { alike: ALIKE, words: null as Word[] | null };
    for (const { loudness, words } of this.all) {
      for (let at = 0; at + piece.length <= loudness.length; at++) {
        const alike = likeness(piece, loudness, at);
        if (alike <= best.alike) continue;
        const fromMs = at * HOP_MS;
        best = {
          alike,
          words: words.map((one) => ({ ...one, fromMs: one.fromMs - fromMs, toMs: one.toMs - fromMs })),
        };
      }
    }
    return best.words;
  }

  static get leastSamples(): number {
    return LEAST_HOPS * HOP;
  }

  static get mostSamples(): number {
    return MOST_HOPS * HOP;
  }
}

function read(file: string): Recording {
  const bytes = readFileSync(file);
  const data = bytes.indexOf('data') + 8;
  const rateHz = bytes.readUInt32LE(24);
  const step = rateHz / HZ;
  const samples = floatsOf(bytes.subarray(data));
  const sound = new Float32Array(Math.floor(samples.length / step));
  for (let i = 0; i < sound.length; i++) sound[i] = samples[Math.floor(i * step)]!;
  const { spoken } = JSON.parse(readFileSync(file.replace(/\.wav$/, '.json'), 'utf8')) as {
    spoken: { text: string; fromMs: number; toMs: number }[];
  };
  const loudness = loudnessOf(sound);
  return { loudness, words: spoken.flatMap((sentence) => wordsOf(sentence, loudness)) };
}

/** Log energy a hop, in dB over a floor. */
export function loudnessOf(sound: Float32Array): Float32Array {
  return Float32Array.from({ length: Math.floor(sound.length / HOP) }, (_, i) => {
    let sum = 0;
    for (let k = i * HOP; k < (i + 1) * HOP; k++) sum += sound[k]! * sound[k]!;
    return Math.max(-60, 10 * Math.log10(sum / HOP + 1e-9));
  });
}

/** Correlation of two stretches of loudness. */
function likeness(piece: Float32Array, all: Float32Array, at: number): number {
  const n = piece.length;
  let [a, b, aa, bb, ab] = [0, 0, 0, 0, 0];
  for (let i = 0; i < n; i++) {
    const [x, y] = [piece[i]!, all[at + i]!];
    a += x;
    b += y;
    aa += x * x;
    bb += y * y;
    ab += x * y;
  }
  const spread = Math.sqrt((aa - (a * a) / n) * (bb - (b * b) / n));
  return spread < 1 ? 0 : (ab - (a * b) / n) / spread;
}

/** A sentence's words over its loud parts, by their letters. */
function wordsOf(
  { text, fromMs, toMs }: { text: string; fromMs: number; toMs: number },
  loudness: Float32Array,
): Word[] {
  const words = text.split(/\s+/).filter((word) => /[\p{L}\p{N}]/u.test(word));
  const hops = loudness.subarray(Math.floor(fromMs / HOP_MS), Math.ceil(toMs / HOP_MS));
  const most = hops.reduce((high, one) => Math.max(high, one), -60);
  const loud = [...hops.keys()].filter((i) => hops[i]! > most - 30);
  const letters = words.reduce((sum, word) => sum + word.length, 0);
  let before = 0;
  return words.map((word) => {
    const at = (share: number) =>
      fromMs + (loud[Math.min(loud.length - 1, Math.floor(share * loud.length))] ?? 0) * HOP_MS;
    const from = at(before / letters);
    before += word.length;
    return { word, fromMs: from, toMs: Math.min(toMs, at(before / letters)) };
  });
}
