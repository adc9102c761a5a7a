/** What the caller heard of the assistant, put on the caller's axis from the line's reports of playing. */
import { HOUSE_RATE_HZ, joinPcm16, samplesOfMs } from '@verbalon/core';

/** A report that differs from where we believed to be by less than this moves nothing, in ms. */
const JITTER_MS = 8;

interface Spoken {
  parts: Int16Array[];
  /** Samples already put on the axis, and where the speech began on it. */
  done: number;
  originSample: number | null;
}

export class HeardLane {
  private readonly spoken = new Map<number, Spoken>();

  add(speech: number, samples: Int16Array): void {
    const one = this.spoken.get(speech) ?? { parts: [], done: 0, originSample: null };
    one.parts.push(samples);
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
    const samples = joinPcm16(one.parts).slice(one.done, to);
    if (samples.length === 0) return null;
    const firstSample = one.originSample + one.done;
    one.done += samples.length;
    return firstSample < 0 ? null : { firstSample, samples };
  }

  /** Everything said so far has been played, or never will be. */
  clear(): void {
    this.spoken.clear();
  }
}
