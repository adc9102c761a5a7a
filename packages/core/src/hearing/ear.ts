/**
 * The ear: one for each caller. It turns sound into the few events that the conductor needs;
 * the samples themselves never reach the conductor.
 */
import { HOUSE_RATE_HZ, msOfSamples } from '../audio/samples.js';
import { FRAME_MS, FRAME_SAMPLES, VoiceActivity, type Frame } from './voice-activity.js';

/** Sound before the voice was noticed and after it has ended that recognition is given too, in ms. */
export const PRE_ROLL_MS = 300;
export const TAIL_MS = 200;
/** Voice begins when this many of the last ONSET_WINDOW frames are voiced. */
const ONSET_FRAMES = 3;
const ONSET_WINDOW = 4;
/** Voice ends after this long without a voiced frame: the end of a recognition segment, not of a turn. */
export const HANGOVER_MS = 280;
/** While voice goes on, the ear says so this often. */
const GOES_EVERY_MS = 60;

export type EarEvent =
  /** `atMs`: where the voice began, on the caller's axis. */
  | { kind: 'voiceBegan'; atMs: number }
  /** `voicedMs`: how much voice there was since it began. */
  | { kind: 'voiceGoes'; atMs: number; voicedMs: number }
  /** `atMs`: the end of the last voiced frame, HANGOVER_MS before this is said. */
  | { kind: 'voiceEnded'; atMs: number; voicedMs: number };

export class Ear {
  private readonly activity = new VoiceActivity();
  private rest = new Float32Array(0);
  private frames = 0;
  private recent: boolean[] = [];
  private active = false;
  private voicedFrames = 0;
  private lastVoicedFrame = 0;

  /** What the last whole frame was judged to be. */
  frame: Frame | null = null;

  /** Takes samples at HOUSE_RATE_HZ, of any length, that follow on the last ones. */
  hear(samples: Float32Array): EarEvent[] {
    const joined = new Float32Array(this.rest.length + samples.length);
    joined.set(this.rest);
    joined.set(samples, this.rest.length);
    const events: EarEvent[] = [];
    let at = 0;
    for (; at + FRAME_SAMPLES <= joined.length; at += FRAME_SAMPLES) {
      const event = this.step(this.activity.judge(joined.subarray(at, at + FRAME_SAMPLES)));
      if (event) events.push(event);
    }
    this.rest = joined.slice(at);
    return events;
  }

  private step(frame: Frame): EarEvent | null {
    this.frame = frame;
    const index = this.frames++;
    const nowMs = this.timeOf(this.frames);
    this.recent = [...this.recent, frame.voiced].slice(-ONSET_WINDOW);
    if (frame.voiced) {
      this.lastVoicedFrame = index;
      if (this.active) this.voicedFrames++;
    }
    if (!this.active) return this.maybeBegin(index);
    if (nowMs - this.timeOf(this.lastVoicedFrame + 1) >= HANGOVER_MS) {
      this.active = false;
      this.recent = [];
      return { kind: 'voiceEnded', atMs: this.timeOf(this.lastVoicedFrame + 1), voicedMs: this.voicedMs() };
    }
    const due = frame.voiced && this.voicedMs() % GOES_EVERY_MS === 0;
    return due ? { kind: 'voiceGoes', atMs: nowMs, voicedMs: this.voicedMs() } : null;
  }

  private maybeBegin(index: number): EarEvent | null {
    const voiced = this.recent.filter(Boolean).length;
    if (voiced < ONSET_FRAMES) return null;
    this.active = true;
    this.voicedFrames = voiced;
    const first = index - (this.recent.length - 1 - this.recent.indexOf(true));
    return { kind: 'voiceBegan', atMs: this.timeOf(first) };
  }

  private voicedMs(): number {
    return this.voicedFrames * FRAME_MS;
  }

  private timeOf(frame: number): number {
    return msOfSamples(frame * FRAME_SAMPLES, HOUSE_RATE_HZ);
  }
}
