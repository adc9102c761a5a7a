/**
 * Sound for packets that never came: the last pitch period is played again and again, softer as time goes on,
 * as a voice would go on for a moment; when sound comes again, it is faded in. What is missing for longer is
 * silence.
 */

/** Periods of 60 to 400 Hz are looked for, in ms. */
const LEAST_PERIOD_MS = 2.5;
const MOST_PERIOD_MS = 16;
/** So much is compared to find the period, in ms. */
const COMPARED_MS = 20;
/** Full for so long, and silent after so long, in ms. */
const FULL_MS = 10;
const SILENT_MS = 120;
/** How long sound that comes again is faded in, in ms. */
const FADE_MS = 5;

export class Concealment {
  /** The last sound that was there: two of the longest periods and what is compared. */
  private readonly past: Int16Array;
  /** The period that is played again, and where in it. */
  private period: Int16Array | null = null;
  private at = 0;
  private missing = 0;

  constructor(private readonly rateHz: number) {
    this.past = new Int16Array(this.samplesOf(MOST_PERIOD_MS * 2 + COMPARED_MS));
  }

  private samplesOf(ms: number): number {
    return Math.round((ms * this.rateHz) / 1_000);
  }

  /** Sound that is there. @returns it, faded in where some was missing before it */
  heard(samples: Int16Array): Int16Array {
    let out = samples;
    if (this.missing > 0) {
      out = samples.slice();
      const fade = Math.min(this.samplesOf(FADE_MS), samples.length);
      const going = this.more(fade);
      for (let i = 0; i < fade; i++)
        out[i] = Math.round((going[i]! * (fade - i) + samples[i]! * (i + 1)) / (fade + 1));
      this.missing = 0;
      this.period = null;
    }
    this.remember(out);
    return out;
  }

  /** @returns `count` samples for what is missing */
  lost(count: number): Int16Array {
    return this.more(count);
  }

  private more(count: number): Int16Array {
    this.period ??= this.lastPeriod();
    const { period } = this;
    const full = this.samplesOf(FULL_MS);
    const fading = this.samplesOf(SILENT_MS) - full;
    const out = new Int16Array(count);
    for (let i = 0; i < count; i++) {
      const gain = Math.min(1, Math.max(0, 1 - (this.missing + i - full) / fading));
      out[i] = Math.round(period[this.at]! * gain);
      this.at = (this.at + 1) % period.length;
    }
    this.missing += count;
    return out;
  }

  private remember(samples: Int16Array): void {
    const { past } = this;
    if (samples.length >= past.length) return past.set(samples.subarray(samples.length - past.length));
    past.copyWithin(0, samples.length);
    past.set(samples, past.length - samples.length);
  }

  /**
   * The last period of what was heard, with its end drawn towards what was before its beginning, so that it
   * joins itself without a click.
   */
  private lastPeriod(): Int16Array {
    this.at = 0;
    const { past } = this;
    const length = periodOf(
      past,
      this.samplesOf(LEAST_PERIOD_MS),
      this.samplesOf(MOST_PERIOD_MS),
      this.samplesOf(COMPARED_MS),
    );
    const from = past.length - length;
    const period = past.slice(from);
    const joined = Math.floor(length / 4);
    for (let i = 0; i < joined; i++) {
      const share = (i + 1) / (joined + 1);
      const at = length - joined + i;
      period[at] = Math.round(period[at]! * (1 - share) + past[from - joined + i]! * share);
    }
    return period;
  }
}

/** The lag at which the end of `past` is most like what was before it (normalised cross-correlation). */
function periodOf(past: Int16Array, least: number, most: number, compared: number): number {
  const end = past.length - compared;
  let best = most;
  let highest = -Infinity;
  for (let lag = least; lag <= most; lag++) {
    let product = 0;
    let energy = 1;
    for (let i = 0; i < compared; i++) {
      const before = past[end + i - lag]!;
      product += past[end + i]! * before;
      energy += before * before;
    }
    const likeness = product / Math.sqrt(energy);
    if (likeness <= highest) continue;
    highest = likeness;
    best = lag;
  }
  return best;
}
