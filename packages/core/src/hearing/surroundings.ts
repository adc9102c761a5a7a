/**
 * The surroundings: how loud it is where the caller is, told from the last seconds. People who talk nearby
 * are voices too, and only loudness tells the caller from them: a voice that does not stand out of the
 * surroundings is not the caller's.
 */
import { powerToDb } from '../audio/levels.js';
import { FRAME_MS } from './voice-features.js';

/** The seconds that are looked back on, in frames; nothing is told from less than the least of them. */
const REMEMBERED = 8_000 / FRAME_MS;
const LEAST_REMEMBERED = 500 / FRAME_MS;
/** So often the levels are weighed anew, in frames. */
const WEIGHED_EVERY = 100 / FRAME_MS;
/** Levels are counted in steps of 1 dB, from this one up to 0 dBFS. */
const LEAST_DB = -100;
/** Levels are smoothed over about so many frames; a peak falls so fast, in dB a frame. */
const SMOOTHING = 4;
const FALL_DB = 0.4;
/** The quiet and the loud part that differ by less are one; by more, it is quiet around the caller, in dB. */
const LEAST_APART_DB = 3;
const MOST_APART_DB = 30;
/**
 * A caller stands out of the quiet part by this share of what lies between them, and by no more than that
 * many dB.
 */
const SHARE = 0.6;
const MOST_OUT_DB = 6;
/** … and by so much less while the voice goes on. */
const GOES_ON_DB = 2;

export class Surroundings {
  /** How often each level was there of late. */
  private readonly counts = new Uint16Array(-LEAST_DB + 1);
  private readonly levels = new Uint8Array(REMEMBERED);
  private frames = 0;
  private power = 0;
  private peakDb = LEAST_DB;
  private callerDb = -Infinity;

  /**
   * Takes the level of the next frame, in dBFS.
   * @param goesOn the caller has spoken until now
   * @returns whether it stands out as the caller's voice would
   */
  standsOut(levelDb: number, goesOn: boolean): boolean {
    this.power += (10 ** (levelDb / 10) - this.power) / SMOOTHING;
    const smoothDb = powerToDb(this.power);
    this.peakDb = Math.max(smoothDb, this.peakDb - FALL_DB);
    this.remember(smoothDb);
    if (this.frames % WEIGHED_EVERY === 0 && this.frames >= LEAST_REMEMBERED) this.callerDb = this.weigh();
    return this.peakDb >= this.callerDb - (goesOn ? GOES_ON_DB : 0);
  }

  private remember(levelDb: number): void {
    const at = this.frames % REMEMBERED;
    if (this.frames >= REMEMBERED) this.counts[this.levels[at]!]!--;
    this.levels[at] = Math.max(0, Math.min(-LEAST_DB, Math.round(levelDb) - LEAST_DB));
    this.counts[this.levels[at]!]!++;
    this.frames++;
  }

  /**
   * Parts the levels into a quiet and a loud part that differ most (Otsu 1979). @returns what the caller is
   * at least as loud as
   */
  private weigh(): number {
    const { counts } = this;
    const all = Math.min(this.frames, REMEMBERED);
    let sum = 0;
    for (let i = 0; i < counts.length; i++) sum += counts[i]! * i;
    let [below, sumBelow, most, quiet, apart] = [0, 0, 0, 0, 0];
    for (let i = 0; i < counts.length; i++) {
      below += counts[i]!;
      sumBelow += counts[i]! * i;
      if (below === 0) continue;
      if (below === all) break;
      const difference = (sum - sumBelow) / (all - below) - sumBelow / below;
      const spread = below * (all - below) * difference ** 2;
      if (spread > most) [most, quiet, apart] = [spread, sumBelow / below, difference];
    }
    if (apart < LEAST_APART_DB || apart > MOST_APART_DB) return -Infinity;
    return LEAST_DB + quiet + Math.min(MOST_OUT_DB, SHARE * apart);
  }
}
