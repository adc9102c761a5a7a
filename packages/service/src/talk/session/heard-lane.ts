/** What the caller heard of the assistant, put on the caller's axis from the line's reports of playing. */
import { DUCKED_GAIN, HOUSE_RATE_HZ, samplesOfMs, slicePcm16 } from '@verbalon/core';

/** A report that differs from where we believed to be by less than this moves nothing, in ms. */
const JITTER_MS = 8;

interface Spoken {
  parts: Int16Array[];
  /** Of all parts. */
  length: number;
  /** Samples already put on the axis, and where the speech began on it. */
  done: number;
  originSample: number | null;
  /** Nothing after `done` is played. */
  stopped: boolean;
}

export class HeardLane {
  private readonly spoken = new Map<number, Spoken>();
  private gain = 1;

  add(speech: number, samples: Int16Array): void {
    const one = this.spoken.get(speech) ?? {
      parts: [],
      length: 0,
      done: 0,
      originSample: null,
      stopped: false,
    };
    one.parts.push(samples);
    one.length += samples.length;
    this.spoken.set(speech, one);
  }

  /** What is new of `speech`, now that it was played up to `playedMs` when the axis stood at `atMs`. */
  played(
    speech: number,
    playedMs: number,
    atMs: number,
  ): { firstSample: number; samples: Int16Array } | null {
    const one = this.spoken.get(speech);
    if (!one) return null;
    const to = samplesOfMs(playedMs, HOUSE_RATE_HZ);
    const origin = samplesOfMs(atMs, HOUSE_RATE_HZ) - to;
    if (
      one.originSample === null ||
      Math.abs(origin - one.originSample) > samplesOfMs(JITTER_MS, HOUSE_RATE_HZ)
    ) {
      one.originSample = origin;
    }
    const end = Math.min(to, one.length);
    if (end <= one.done) return null;
    const samples = slicePcm16(one.parts, one.done, end);
    const firstSample = one.originSample + one.done;
    one.done += samples.length;
    return firstSample < 0 ? null : { firstSample, samples };
  }

  /**
   * What the line plays while the caller's axis goes from `firstSample` on, as far as its reports tell: it
   * plays on without a hole until it says something else. Null where it plays nothing.
   */
  playingAt(firstSample: number, count: number): Float32Array | null {
    let found: Float32Array | null = null;
    for (const { parts, originSample, done, stopped } of this.spoken.values()) {
      if (originSample === null) continue;
      const end = stopped ? originSample + done : Infinity;
      let at = originSample;
      for (const part of parts) {
        const from = Math.max(at, firstSample);
        const to = Math.min(at + part.length, firstSample + count, end);
        if (from < to) {
          found ??= new Float32Array(count);
          for (let i = from; i < to; i++) found[i - firstSample] = (this.gain * part[i - at]!) / 32768;
        }
        at += part.length;
      }
    }
    return found;
  }

  /** Of a phrase only so many samples stay. */
  cut(speech: number, count: number): void {
    const one = this.spoken.get(speech);
    if (!one) return;
    one.length = Math.min(count, one.length);
    one.parts = [slicePcm16(one.parts, 0, one.length)];
  }

  duck(ducked: boolean): void {
    this.gain = ducked ? DUCKED_GAIN : 1;
  }

  /** Nothing more is played of what was said so far. */
  hush(): void {
    this.gain = 1;
    for (const one of this.spoken.values()) one.stopped = true;
  }

  /** It will never be played. */
  forget(speech: number): void {
    this.spoken.delete(speech);
  }

  /** Everything said so far has been played, or never will be. */
  clear(): void {
    this.spoken.clear();
  }
}
