/** How far a voice stands out of what is around it: between its loud frames and the quiet ones. */
import { levelDb } from '../audio/levels.js';
import { joinPcm16, toFloats } from '../audio/samples.js';

const FRAME_SAMPLES = 320;
/** Of all frames, in order of their loudness. */
const QUIET = 0.1;
const LOUD = 0.9;
/** Nothing is quieter, in dBFS. */
const FLOOR_DB = -90;

export class Contrast {
  private levels: number[] = [];
  private rest = new Int16Array(0);

  begin(): void {
    this.levels = [];
    this.rest = new Int16Array(0);
  }

  /** @param samples at HOUSE_RATE_HZ */
  push(samples: Int16Array): void {
    const all = joinPcm16([this.rest, samples]);
    let at = 0;
    for (; at + FRAME_SAMPLES <= all.length; at += FRAME_SAMPLES)
      this.levels.push(Math.max(FLOOR_DB, levelDb(toFloats(all.subarray(at, at + FRAME_SAMPLES)))));
    this.rest = all.slice(at);
  }

  /** In dB; 0 for no sound. */
  db(): number {
    if (this.levels.length === 0) return 0;
    const sorted = this.levels.toSorted((a, b) => a - b);
    const at = (share: number) => sorted[Math.floor(share * (sorted.length - 1))]!;
    return at(LOUD) - at(QUIET);
  }
}
