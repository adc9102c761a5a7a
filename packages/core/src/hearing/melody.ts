/**
 * The melody of a voice where it pauses: does the pitch fall, as at the end of a saying, rise, as after a
 * question, or stay where it was, as when more is to come?
 */
import type { Frame } from './voice-activity.js';
import { FRAME_MS } from './voice-features.js';

export interface Ending {
  /**
   * How much the pitch moved over the last LOOKED_AT_MS of voice, in semitones; null where there was none to
   * be measured.
   */
  moveSt: number | null;
  /** Where it ended against this stretch's own middle, in semitones; null where there was none. */
  placeSt: number | null;
  /** How much quieter its last LOOSE_MS were than the loud of this stretch, in dB. */
  fallDb?: number;
}

const LOOKED_AT_MS = 300;
/**
 * So much of the end is looked at for its loudness, in ms; and what counts as loud, as a share of all frames
 * in order.
 */
const LOOSE_MS = 120;
const LOUD_SHARE = 0.8;
const LEAST_PITCHES = 6;
const KEPT = 400;

export class Melody {
  private pitches: (number | null)[] = [];
  private levels: number[] = [];

  begin(): void {
    this.pitches = [];
    this.levels = [];
  }

  take({ sounding, pitchHz, levelDb }: Frame): void {
    if (!sounding) return;
    this.pitches.push(pitchHz === null ? null : 12 * Math.log2(pitchHz / 100));
    this.levels.push(levelDb);
    if (this.pitches.length <= KEPT) return;
    this.pitches.shift();
    this.levels.shift();
  }

  ending(): Ending {
    return { ...this.moved(), fallDb: round(this.fallDb()) };
  }

  private fallDb(): number {
    const loud = [...this.levels].sort((a, b) => a - b)[Math.floor(LOUD_SHARE * this.levels.length)] ?? 0;
    return this.levels.length === 0 ? 0 : loud - mean(this.levels.slice(-LOOSE_MS / FRAME_MS));
  }

  private moved(): Pick<Ending, 'moveSt' | 'placeSt'> {
    const all = this.pitches.filter((one) => one !== null);
    const middle = median(all);
    // A pitch an octave off is a mistake of the measuring.
    const late = this.pitches
      .slice(-LOOKED_AT_MS / FRAME_MS)
      .flatMap((st, i) => (st !== null && Math.abs(st - middle) < 9 ? [{ st, i }] : []));
    if (late.length < LEAST_PITCHES) return { moveSt: null, placeSt: null };
    const slope = slopeOf(
      late.map(({ i }) => i),
      late.map(({ st }) => st),
    );
    const span = late.at(-1)!.i - late[0]!.i;
    const placeSt = mean(late.slice(-5).map(({ st }) => st)) - middle;
    return { moveSt: round(slope * span), placeSt: round(placeSt) };
  }
}

const round = (value: number) => Math.round(value * 10) / 10;
const mean = (values: readonly number[]) => values.reduce((sum, one) => sum + one, 0) / values.length;

function median(values: readonly number[]): number {
  return [...values].sort((a, b) => a - b)[values.length >> 1] ?? 0;
}

/** Least squares. */
function slopeOf(x: readonly number[], y: readonly number[]): number {
  const mx = mean(x);
  const my = mean(y);
  const under = x.reduce((sum, one) => sum + (one - mx) ** 2, 0);
  return under === 0 ? 0 : x.reduce((sum, one, i) => sum + (one - mx) * (y[i]! - my), 0) / under;
}
