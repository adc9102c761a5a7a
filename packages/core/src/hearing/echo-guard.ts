/**
 * Our own voice in the caller's microphone. What the line plays is known; how late it comes back, and how
 * loud in each band, is learned while it plays. From that follows how much of it may be in each frame of the
 * microphone: only what stands above it is the caller. No room is too complicated for that; a caller who is
 * louder than the echo is heard.
 */
import { BANDS, BandMeter } from './voice-features.js';

/** The echo may come so much before (reports are not exact) and after the playing, in frames. */
const EARLIEST = -3;
const LATEST = 45;
const DELAYS = LATEST - EARLIEST + 1;
/** So far back our own sound is remembered, in frames. */
const KEPT = 128;
/** Below this our own sound is silent, in dBFS a band. */
const SILENT_DB = -75;
const LEARNT_FROM_DB = -52;
/** A room keeps a sound this much quieter with each frame, in dB. */
const DECAY_DB = 1.6;
/**
 * How sure the delay must be (correlation of the levels) to be used, and over how long it is learned, as a
 * share a frame.
 */
const LEAST_LIKENESS = 0.45;
const LEARNING = 1 / 150;
/**
 * Before anything is known the echo is believed to be this much quieter than it was played, in dB; it is
 * never less than the last.
 */
const FIRST_GAIN_DB = -4;
const LEAST_GAIN_DB = -60;
/**
 * How fast the believed gain falls, before and after the delay is known, and rises, in dB a frame: it comes
 * to stand where few frames are above it. And how far the echo may stand above it even so.
 */
const FIRST_FALL_DB = 0.35;
const FALL_DB = 0.04;
const RISE_DB = 0.4;
const LEAST_RISE_DB = 0.02;
const MARGIN_DB = 3;

export interface EchoLevels {
  micDb: Float32Array;
  echoDb: Float32Array;
}

export class EchoGuard {
  private readonly meter = new BandMeter();
  private readonly micMeter = new BandMeter();
  /** Levels of our own sound, the last KEPT frames, in dBFS; the newest at `frame % KEPT`. */
  private readonly own = Array.from({ length: KEPT }, () => new Float32Array(BANDS).fill(SILENT_DB));
  private readonly gains = new Float32Array(BANDS).fill(FIRST_GAIN_DB);
  /** Our own sound in each band, as loud as it may come back now, in dBFS. */
  private readonly loudest = new Float64Array(BANDS);
  private readonly echo = new Float32Array(BANDS);
  /** Running sums for the correlation with each delay. */
  private readonly cross = new Float64Array(DELAYS);
  private readonly ownPower = new Float64Array(DELAYS);
  private micPower = 0;
  private readonly micMean = new Float32Array(BANDS).fill(SILENT_DB);
  private readonly ownMean = new Float32Array(BANDS).fill(SILENT_DB);
  private delay = 0;
  private isDelayKnown = false;
  private frame = 0;
  private silentFor = KEPT;

  /**
   * @param mic a frame of the microphone
   * @param own a frame of our own sound, as the line played it at this time; null where it played nothing
   * @param takenDb so much of it is taken out before the frame is judged
   * @returns what is in the microphone, and the most of ours that may be left in it, in dBFS a band; null
   * when we are silent
   */
  expect(mic: Float32Array, own: Float32Array | null, takenDb = 0): EchoLevels | null {
    this.frame++;
    const slot = this.own[this.frame % KEPT]!;
    if (own) {
      this.meter.take(own);
      slot.set(this.meter.bandsDb);
      this.silentFor = this.meter.levelDb > SILENT_DB ? 0 : this.silentFor + 1;
    } else {
      slot.fill(SILENT_DB);
      this.silentFor++;
    }
    if (this.silentFor > LATEST + 20) return null;
    this.findLoudest();
    for (let b = 0; b < BANDS; b++) this.echo[b] = this.loudest[b]! + this.gains[b]! + MARGIN_DB - takenDb;
    this.micMeter.take(mic);
    return { micDb: this.micMeter.bandsDb, echoDb: this.echo };
  }

  /** Learns from this frame; `likeness`: how like the caller's voice it was, 0 to 1. */
  learn(likeness: number): void {
    if (this.silentFor > LATEST) return;
    const micDb = this.micMeter.bandsDb;
    if (this.learnDelay(micDb)) this.findLoudest();
    for (let b = 0; b < BANDS; b++) {
      const own = this.loudest[b]!;
      // What is so quiet, such as our ducked voice, drowns in the room and tells nothing.
      if (own <= LEARNT_FROM_DB) continue;
      const gain = micDb[b]! - own;
      const believed = this.gains[b]!;
      if (gain < believed)
        this.gains[b] = Math.max(
          LEAST_GAIN_DB,
          gain,
          believed - (this.isDelayKnown ? FALL_DB : FIRST_FALL_DB),
        );
      else this.gains[b] = Math.min(gain, believed + LEAST_RISE_DB + RISE_DB * (1 - likeness));
    }
  }

  /** Around the delay, or anywhere while that is unknown, dying away. */
  private findLoudest(): void {
    const from = this.isDelayKnown ? this.delay - 2 : Math.max(0, EARLIEST);
    const to = this.isDelayKnown ? this.delay + 2 : LATEST;
    this.loudest.fill(SILENT_DB);
    for (let back = from; back <= to + 25; back++) {
      const own = this.at(back);
      const decayDb = back > to ? (back - to) * DECAY_DB : 0;
      for (let b = 0; b < BANDS; b++) this.loudest[b] = Math.max(this.loudest[b]!, own[b]! - decayDb);
    }
  }

  private at(back: number): Float32Array {
    return this.own[(this.frame - Math.max(0, back) + KEPT) % KEPT]!;
  }

  /** @returns whether it is another one now */
  private learnDelay(micDb: Float32Array): boolean {
    const now = this.at(0);
    for (let b = 0; b < BANDS; b++) {
      this.micMean[b]! += 2 * LEARNING * (Math.max(SILENT_DB, micDb[b]!) - this.micMean[b]!);
      this.ownMean[b]! += 2 * LEARNING * (Math.max(SILENT_DB, now[b]!) - this.ownMean[b]!);
    }
    let mic = 0;
    for (let b = 0; b < BANDS; b++) mic += (Math.max(SILENT_DB, micDb[b]!) - this.micMean[b]!) ** 2;
    this.micPower += LEARNING * (mic - this.micPower);
    let best = -1;
    let bestLikeness = 0;
    for (let d = 0; d < DELAYS; d++) {
      const own = this.at(d + EARLIEST);
      let cross = 0;
      let power = 0;
      for (let b = 0; b < BANDS; b++) {
        const off = Math.max(SILENT_DB, own[b]!) - this.ownMean[b]!;
        cross += off * (Math.max(SILENT_DB, micDb[b]!) - this.micMean[b]!);
        power += off * off;
      }
      this.cross[d]! += LEARNING * (cross - this.cross[d]!);
      this.ownPower[d]! += LEARNING * (power - this.ownPower[d]!);
      const likeness = this.cross[d]! / Math.sqrt(this.micPower * this.ownPower[d]! + 1e-9);
      if (likeness > bestLikeness) [best, bestLikeness] = [d, likeness];
    }
    if (bestLikeness < LEAST_LIKENESS || this.frame < 40) return false;
    const isOther = !this.isDelayKnown || this.delay !== best + EARLIEST;
    this.delay = best + EARLIEST;
    this.isDelayKnown = true;
    return isOther;
  }
}
