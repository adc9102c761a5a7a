/** One stretch of sound that a stand-in hears. */
import { Recordings, type Word } from './recordings.js';

/** A word is heard so long after it was said, in ms. */
const WORD_LATE_MS = 120;
const LOOK_EVERY_SAMPLES = 4_800;

export class Hearing {
  private parts: Float32Array[] = [];
  private count = 0;
  private words: Word[] | null = null;
  private looked = 0;
  private told = '';

  constructor(
    private readonly recordings: Recordings,
    private readonly rateHz = 16_000,
  ) {}

  push(samples: Float32Array): void {
    this.count += samples.length * (16_000 / this.rateHz);
    if (this.looked >= Recordings.mostSamples) return;
    const step = this.rateHz / 16_000;
    const length = Math.floor(samples.length / step);
    this.parts.push(Float32Array.from({ length }, (_, i) => samples[Math.floor(i * step)]!));
    // A short piece may sound like many places: it is looked again until enough has come.
    if (this.count >= Recordings.leastSamples && this.count - this.looked >= LOOK_EVERY_SAMPLES) this.look();
  }

  /** Newly known words so far, or null where nothing is new. */
  guess(): Word[] | null {
    const known = (this.words ?? []).filter(({ toMs }) => toMs > 0 && toMs < this.lengthMs - WORD_LATE_MS);
    const text = known.map(({ word }) => word).join(' ');
    if (text === this.told || text === '') return null;
    this.told = text;
    return known;
  }

  final(): Word[] {
    if (this.looked < Math.min(this.count, Recordings.mostSamples)) this.look();
    return (this.words ?? []).filter(({ fromMs, toMs }) => toMs > 0 && (fromMs + toMs) / 2 < this.lengthMs);
  }

  get lengthMs(): number {
    return this.count / 16;
  }

  private look(): void {
    this.looked = this.count;
    const all = new Float32Array(this.parts.reduce((sum, part) => sum + part.length, 0));
    let at = 0;
    for (const part of this.parts) {
      all.set(part, at);
      at += part.length;
    }
    this.words = this.recordings.place(all);
  }
}
