/**
 * Cuts a recording into stretches of speech, as the conductor does live: at pauses, with a little before and
 * after.
 */
import { HOUSE_RATE_HZ, joinPcm16, samplesOfMs, toPcm16 } from '../audio/samples.js';
import { Ear, PRE_ROLL_MS, TAIL_MS } from './ear.js';

/** A stretch without a pause is cut after so long, in ms: recognition holds one in memory. */
const MOST_SEGMENT_MS = 30_000;
/** Sound is looked at in pieces of this length. */
const STEP_SAMPLES = samplesOfMs(20, HOUSE_RATE_HZ);

export interface SoundSegment {
  /** First sample in the recording, at HOUSE_RATE_HZ. */
  fromSample: number;
  samples: Int16Array;
}

/** Feed it sound at HOUSE_RATE_HZ in order; it holds no more than the segment that is open. */
export class Segmenter {
  private readonly ear = new Ear();
  private kept: Int16Array[] = [];
  private keptFrom = 0;
  private at = 0;
  private rest = new Float32Array(0);
  private openFrom: number | null = null;
  /** Where the tail of a segment whose voice has ended is over. */
  private closeAt: number | null = null;

  hear(samples: Float32Array): SoundSegment[] {
    const joined = new Float32Array(this.rest.length + samples.length);
    joined.set(this.rest);
    joined.set(samples, this.rest.length);
    const found: SoundSegment[] = [];
    let from = 0;
    for (; from + STEP_SAMPLES <= joined.length; from += STEP_SAMPLES) {
      const segment = this.step(joined.subarray(from, from + STEP_SAMPLES));
      if (segment) found.push(segment);
    }
    this.rest = joined.slice(from);
    return found;
  }

  /** The recording is over: what is still open is the last segment. */
  end(): SoundSegment | null {
    this.keep(toPcm16(this.rest));
    return this.openFrom === null ? null : this.cut(this.at);
  }

  private step(samples: Float32Array): SoundSegment | null {
    this.keep(toPcm16(samples));
    for (const event of this.ear.hear(samples)) {
      if (event.kind === 'voiceBegan') {
        this.openFrom ??= Math.max(this.keptFrom, samplesOfMs(event.atMs - PRE_ROLL_MS, HOUSE_RATE_HZ));
        this.closeAt = null;
      }
      if (event.kind === 'voiceEnded') this.closeAt = samplesOfMs(event.atMs + TAIL_MS, HOUSE_RATE_HZ);
    }
    if (this.openFrom === null) return this.forget();
    if (this.closeAt !== null && this.at >= this.closeAt) return this.cut(this.closeAt);
    return this.at - this.openFrom >= samplesOfMs(MOST_SEGMENT_MS, HOUSE_RATE_HZ) ? this.cut(this.at) : null;
  }

  private keep(samples: Int16Array): void {
    this.kept.push(samples);
    this.at += samples.length;
  }

  /** Nobody speaks: only the pre-roll is kept. */
  private forget(): null {
    while (this.at - this.keptFrom > samplesOfMs(2 * PRE_ROLL_MS, HOUSE_RATE_HZ) && this.kept.length > 1)
      this.keptFrom += this.kept.shift()!.length;
    return null;
  }

  private cut(to: number): SoundSegment {
    const fromSample = this.openFrom!;
    const all = joinPcm16(this.kept);
    const samples = all.slice(fromSample - this.keptFrom, to - this.keptFrom);
    const wasOpen = this.closeAt === null && to === this.at;
    this.kept = [all.slice(to - this.keptFrom)];
    this.keptFrom = to;
    // A stretch that was cut without a pause goes on right here.
    this.openFrom = wasOpen ? to : null;
    this.closeAt = null;
    return { fromSample, samples };
  }
}
