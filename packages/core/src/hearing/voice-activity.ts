/**
 * Voice activity, first form: speech-band levels over a floor that follows the surroundings.
 * It judges 20 ms frames; when voice begins and ends is the ear's business.
 */
import { EAR_BANDS_HZ, Spectrum } from '../audio/spectrum.js';
import { levelDb, powerToDb } from '../audio/levels.js';
import { HOUSE_RATE_HZ } from '../audio/samples.js';

export const FRAME_MS = 20;
export const FRAME_SAMPLES = (FRAME_MS * HOUSE_RATE_HZ) / 1000;

/** Bands 1 to 4 (200 to 3200 Hz) carry speech; tuned on the demo walkers, clean and in stove noise. */
const SPEECH_BANDS = [1, 2, 3, 4] as const;
/** Mean rise over the floor that makes a frame voiced, and that keeps it voiced, in dB. */
const ONSET_DB = 7.5;
const STAY_DB = 5;
/** Nothing below this is speech, however quiet the room, in dBFS. */
const LEAST_LEVEL_DB = -55;
/** The floor is never believed to be lower or, at the start, higher than this, in dBFS a band. */
const LEAST_FLOOR_DB = -80;
const GREATEST_FIRST_FLOOR_DB = -45;
/** The first frames set the floor. */
const CALIBRATION_FRAMES = 8;
/** The floor rises at least to the quietest moment of this long a window (speech has dips within it). */
const MINIMUM_WINDOW_FRAMES = 80;
/** How fast the floor follows quieter frames (share a frame) and louder unvoiced ones (dB a frame). */
const FALL_SHARE = 0.3;
const RISE_DB = 0.12;

export interface Frame {
  voiced: boolean;
  /** Mean rise of the speech bands over the floor, in dB. */
  riseDb: number;
  levelDb: number;
  /** Level of each band of EAR_BANDS_HZ, in dBFS. */
  bandsDb: number[];
}

/** One for each caller; feed it frames of FRAME_SAMPLES in order. */
export class VoiceActivity {
  private readonly spectrum = new Spectrum(FRAME_SAMPLES, HOUSE_RATE_HZ);
  private readonly floors = SPEECH_BANDS.map(() => GREATEST_FIRST_FLOOR_DB);
  private readonly minima = SPEECH_BANDS.map(() => [] as number[]);
  private frames = 0;
  private voiced = false;

  judge(samples: Float32Array): Frame {
    const bandsDb = this.spectrum.bandPowers(samples, EAR_BANDS_HZ).map(powerToDb);
    const level = levelDb(samples);
    const speech = SPEECH_BANDS.map((band) => Math.max(LEAST_FLOOR_DB, bandsDb[band]!));
    if (this.frames < CALIBRATION_FRAMES) this.calibrate(speech);
    const riseDb =
      speech.reduce((sum, db, i) => sum + Math.max(0, db - this.floors[i]!), 0) / SPEECH_BANDS.length;
    this.voiced = level > LEAST_LEVEL_DB && riseDb > (this.voiced ? STAY_DB : ONSET_DB);
    this.follow(speech);
    this.frames++;
    return { voiced: this.voiced, riseDb, levelDb: level, bandsDb };
  }

  private calibrate(speech: number[]): void {
    speech.forEach((db, i) => {
      this.floors[i] = Math.min(
        this.floors[i]!,
        this.frames === 0 ? Math.min(db, GREATEST_FIRST_FLOOR_DB) : db,
      );
    });
  }

  private follow(speech: number[]): void {
    speech.forEach((db, i) => {
      const floor = this.floors[i]!;
      const recent = this.minima[i]!;
      recent.push(db);
      if (recent.length > MINIMUM_WINDOW_FRAMES) recent.shift();
      if (db < floor) this.floors[i] = floor + FALL_SHARE * (db - floor);
      else if (!this.voiced) this.floors[i] = Math.min(db, floor + RISE_DB);
      if (recent.length === MINIMUM_WINDOW_FRAMES)
        this.floors[i] = Math.max(this.floors[i]!, Math.min(...recent));
    });
  }
}
