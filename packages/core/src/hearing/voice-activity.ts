/**
 * Voice activity: is this a voice? A small net of our own over the features of each 10 ms and how they went
 * of late; its weights are made by `npm run train voice-weights` from sounds that are made there too. It
 * judges frames; when a voice begins and ends is the ear's business.
 */
import type { EchoLevels } from './echo-guard.js';
import { BANDS, FRAME_MS, VoiceFeatures, type Features } from './voice-features.js';
import { VOICE_WEIGHTS, type Net } from './voice-weights.js';

/** A frame is voice above the first of these, and stays voice above the second, 0 to 1. */
const BEGINS_AT = 0.62;
const STAYS_AT = 0.3;
/**
 * Voice goes on for so long after the last frame that was like one: no closure of a consonant ends it, in ms.
 */
const HOLD_MS = 50;
/** Nothing below this is a voice, however quiet the room, in dBFS. */
const LEAST_LEVEL_DB = -58;
/**
 * After so many frames below it nothing is looked for, until one is louder: most of a talk's sound is
 * silence.
 */
const QUIET_FRAMES = 10;

export interface Frame {
  /** It is a voice now … */
  sounding: boolean;
  /** … or was one HOLD_MS ago. */
  voiced: boolean;
  /** How like a voice it is, 0 to 1. */
  likeness: number;
  pitchHz: number | null;
  levelDb: number;
}

/** How many numbers the net looks at. */
export const INPUTS = 2 * BANDS + 11;
const SLOW = FRAME_MS / 80;
const SLOWER = FRAME_MS / 300;
const RECENT = 40;
const STEADY_SHARE = 0.012;

/** The features of a frame and of what was before it, as the net takes them. */
export class VoiceInputs {
  readonly values = new Float32Array(INPUTS);
  private meanRise = 0;
  private slowRise = 0;
  private slowPeriodicity = 0;
  private slowFlatness = 1;
  private readonly recent = new Float32Array(RECENT);
  private frames = 0;
  private lastPitch = 0;
  private anchor = 0;
  private steady = 0;
  private moved = 0;
  riseDb = 0;

  take({ rises, flatness, periodicity, pitchHz }: Features): Float32Array {
    const { values, recent } = this;
    let sum = 0;
    for (let b = 0; b < BANDS; b++) {
      const rise = Math.min(2, rises[b]! / 15);
      values[b] = rise;
      values[BANDS + b]! += SLOW * (rise - values[BANDS + b]!);
      sum += Math.min(40, rises[b]!);
    }
    this.riseDb = sum / BANDS;
    const before = recent[(this.frames + RECENT - 3) % RECENT]!;
    this.meanRise += SLOW * (this.riseDb - this.meanRise);
    this.slowRise += SLOWER * (this.riseDb - this.slowRise);
    this.slowPeriodicity += SLOW * (periodicity - this.slowPeriodicity);
    this.slowFlatness += SLOW * (flatness - this.slowFlatness);
    recent[this.frames % RECENT] = this.riseDb;
    this.frames++;
    this.follow(pitchHz);
    let least = Infinity;
    let most = 0;
    for (const rise of recent) {
      if (rise < least) least = rise;
      if (rise > most) most = rise;
    }
    const rest = [
      this.riseDb / 15,
      this.meanRise / 15,
      this.slowRise / 15,
      (this.riseDb - before) / 10,
      (most - least) / 20,
      most / 20,
      flatness,
      periodicity,
      this.slowPeriodicity,
      Math.min(2, this.steady / 12),
      Math.min(2, this.moved * 20),
    ];
    for (let i = 0; i < rest.length; i++) values[2 * BANDS + i] = rest[i]!;
    return values;
  }

  /** For how many frames the pitch has stood still: a voice's never does for long, a note's does. */
  private follow(pitchHz: number | null): void {
    const moved = pitchHz === null || this.lastPitch === 0 ? 0 : Math.abs(Math.log(pitchHz / this.lastPitch));
    this.moved += SLOW * (Math.min(0.1, moved) - this.moved);
    this.lastPitch = pitchHz ?? 0;
    if (pitchHz === null) this.steady = Math.max(0, this.steady - 2);
    else if (Math.abs(Math.log(pitchHz / (this.anchor || pitchHz))) < STEADY_SHARE) this.steady++;
    else this.steady = 0;
    if (this.steady === 0) this.anchor = pitchHz ?? 0;
  }
}

/** 0 to 1, one hidden layer. */
export function runNet({ hidden, bias, out, outBias }: Net, inputs: Float32Array): number {
  let sum = outBias;
  for (let h = 0; h < bias.length; h++) {
    let one = bias[h]!;
    for (let i = 0; i < inputs.length; i++) one += hidden[h * inputs.length + i]! * inputs[i]!;
    sum += out[h]! * Math.tanh(one);
  }
  return 1 / (1 + Math.exp(-sum));
}

/**
 * What does not stand out of the surroundings is no caller, whatever it is like, in dB on average over the
 * bands.
 */
const LEAST_RISE_DB = 1.5;
/**
 * While our own voice may be in the microphone, a caller stands so much above it, in dB on average over the
 * bands: perhaps, and certainly.
 */
const OVER_ECHO_DB = 2;
const CLEARLY_OVER_ECHO_DB = 5;
/** … and so much less once the caller speaks. */
const GOES_ON_DB = 2;
/** The rise over the echo is smoothed over about so many frames. */
const ECHO_FRAMES = 3;

/** One for each caller; feed it frames of FRAME_SAMPLES in order. */
export class VoiceActivity {
  private readonly features = new VoiceFeatures();
  private readonly inputs = new VoiceInputs();
  private isVoice = false;
  private held = 0;
  /** So many frames were below LEAST_LEVEL_DB. */
  private quiet = 0;
  private risesOverEcho = 0;

  /**
   * @param echo what of our own sound may be in each band, and what was there before some of it was taken out
   */
  judge(samples: Float32Array, echo: EchoLevels | null = null): Frame {
    const features = this.features.take(samples);
    const isLoud = features.levelDb > LEAST_LEVEL_DB;
    this.quiet = isLoud ? 0 : this.quiet + 1;
    const isQuiet = this.quiet >= QUIET_FRAMES;
    if (!isQuiet) this.features.measurePitch();
    const inputs = this.inputs.take(features);
    const over = this.overEcho(echo);
    const likeness = isQuiet || this.inputs.riseDb < LEAST_RISE_DB ? 0 : runNet(VOICE_WEIGHTS, inputs) * over;
    this.isVoice = isLoud && likeness > (this.isVoice ? STAYS_AT : BEGINS_AT);
    this.held = this.isVoice ? HOLD_MS / FRAME_MS : Math.max(0, this.held - 1);
    // Our own voice is no part of the surroundings.
    this.features.follow(echo ? 1 : likeness);
    return {
      sounding: this.isVoice,
      voiced: this.isVoice || this.held > 0,
      likeness,
      pitchHz: features.pitchHz,
      levelDb: features.levelDb,
    };
  }

  /** 0: it may all be our own voice come back; 1: it stands clearly above that. */
  private overEcho(echo: EchoLevels | null): number {
    if (!echo) {
      this.risesOverEcho = 0;
      return 1;
    }
    const { levels } = this.features;
    let sum = 0;
    // What is louder now than it was in the microphone was put there, not said.
    for (let b = 0; b < BANDS; b++)
      sum += Math.max(0, Math.min(levels[b]!, echo.micDb[b]!) - echo.echoDb[b]!);
    this.risesOverEcho += (sum / BANDS - this.risesOverEcho) / ECHO_FRAMES;
    const wantedDb = OVER_ECHO_DB - (this.held > 0 ? GOES_ON_DB : 0);
    const over = (this.risesOverEcho - wantedDb) / (CLEARLY_OVER_ECHO_DB - OVER_ECHO_DB);
    return Math.max(0, Math.min(1, over));
  }
}
