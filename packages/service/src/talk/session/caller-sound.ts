/**
 * The caller's sound at the house rate: what comes in is resampled and put in order. What of it is heard,
 * without our own voice, is kept long enough for pre-roll.
 */
import {
  FRAME_SAMPLES,
  HOUSE_RATE_HZ,
  joinPcm16,
  Resampler,
  samplesOfMs,
  toFloats,
  toPcm16,
} from '@verbalon/core';

/** Enough for a long segment that goes to another engine from its beginning, in ms. */
const KEPT_MS = 60_000;
/** There is room for so much at first: many talks are short. */
const FIRST_MS = 4_000;
/** Of a hole so much is filled with silence; what is longer is only counted, in ms. */
const MOST_HOLE_MS = 10_000;
/** Time goes on by whole frames of the ear, in samples at the house rate. */
const STEP_SAMPLES = 2 * FRAME_SAMPLES;

export interface Arrival {
  /** Where it begins, in samples at the house rate. */
  from: number;
  samples: Int16Array;
  floats: Float32Array;
  /** Sound that was missing before it, in ms. */
  missingMs: number;
  /** Of that, samples at the house rate that are only counted: they come before `from`. */
  skipped: number;
}

export class CallerSound {
  private readonly resampler: Resampler;
  /** A ring, once it is as long as it may be. */
  private kept = new Int16Array(samplesOfMs(FIRST_MS, HOUSE_RATE_HZ));
  /** The next sample that is expected, at the line's rate. */
  private expected = 0;
  /** Samples at the house rate so far: as they came, and as they were kept. */
  private arrived = 0;
  private length = 0;

  constructor(private readonly rateHz: number) {
    this.resampler = new Resampler(rateHz, HOUSE_RATE_HZ);
  }

  /** Up to where sound has come, in ms on the caller's axis. */
  get capturedMs(): number {
    return (this.expected * 1000) / this.rateHz;
  }

  /**
   * Takes a frame; what was there already is left out, what is missing becomes silence. Null when nothing of
   * it is new.
   */
  take(firstSample: number, samples: Int16Array): Arrival | null {
    const gap = firstSample - this.expected;
    const tooLong = Math.max(0, gap - samplesOfMs(MOST_HOLE_MS, this.rateHz));
    const skipped = Math.floor((tooLong * HOUSE_RATE_HZ) / this.rateHz / STEP_SAMPLES) * STEP_SAMPLES;
    const hole = gap - Math.round((skipped * this.rateHz) / HOUSE_RATE_HZ);
    const fresh = hole < 0 ? samples.subarray(-hole) : samples;
    if (fresh.length === 0) return null;
    const missing = Math.max(0, hole);
    const input = missing === 0 ? fresh : joinPcm16([new Int16Array(missing), fresh]);
    this.expected = firstSample + samples.length;
    const floats = this.resampler.push(toFloats(input));
    const out = this.rateHz === HOUSE_RATE_HZ ? input : toPcm16(floats);
    this.arrived += skipped;
    const from = this.arrived;
    this.arrived += out.length;
    return { from, samples: out, floats, missingMs: (Math.max(0, gap) * 1000) / this.rateHz, skipped };
  }

  /** Samples that follow on the last ones kept. */
  keep(samples: Int16Array): void {
    this.makeRoom(samples.length);
    const size = this.kept.length;
    const last = samples.subarray(-size);
    const at = (this.length + samples.length - last.length) % size;
    const head = Math.min(last.length, size - at);
    this.kept.set(last.subarray(0, head), at);
    this.kept.set(last.subarray(head), 0);
    this.length += samples.length;
  }

  /** So many samples were not there: they are silence. */
  skip(count: number): void {
    this.makeRoom(count);
    const at = this.length % this.kept.length;
    const zeros = Math.min(count, this.kept.length);
    for (let i = 0; i < zeros; i++) this.kept[(at + i) % this.kept.length] = 0;
    if (count > this.kept.length) this.kept.fill(0);
    this.length += count;
  }

  private makeRoom(count: number): void {
    const most = samplesOfMs(KEPT_MS, HOUSE_RATE_HZ);
    const { kept } = this;
    if (kept.length === most || this.length + count <= kept.length) return;
    this.kept = new Int16Array(Math.min(most, Math.max(2 * kept.length, this.length + count)));
    this.kept.set(kept);
  }

  /** What is kept of the sound from `fromMs` on, up to `toMs` or (null) to where it has come. */
  between(fromMs: number, toMs: number | null): Int16Array {
    const size = this.kept.length;
    const from = Math.max(0, this.length - size, Math.min(this.length, samplesOfMs(fromMs, HOUSE_RATE_HZ)));
    const to =
      toMs === null ? this.length : Math.max(from, Math.min(this.length, samplesOfMs(toMs, HOUSE_RATE_HZ)));
    const at = from % size;
    const head = this.kept.subarray(at, Math.min(size, at + to - from));
    return joinPcm16([head, this.kept.subarray(0, to - from - head.length)]);
  }
}
