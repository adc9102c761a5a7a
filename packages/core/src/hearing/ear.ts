/**
 * The ear: one for each caller. It turns sound into the few events that the conductor needs;
 * the samples themselves never reach the conductor.
 */
import { HOUSE_RATE_HZ, msOfSamples } from '../audio/samples.js';
import { EchoCanceller } from './echo-canceller.js';
import { EchoGuard } from './echo-guard.js';
import { Melody, type Ending } from './melody.js';
import { Surroundings } from './surroundings.js';
import { VoiceActivity, type Frame } from './voice-activity.js';
import { FRAME_MS, FRAME_SAMPLES } from './voice-features.js';

/** Sound before the voice was noticed and after it has ended that recognition is given too, in ms. */
export const PRE_ROLL_MS = 300;
/** Over the assistant what was before the voice is its own: less of it is listened to. */
export const OVERLAP_PRE_ROLL_MS = 120;
export const TAIL_MS = 200;
/** Voice begins when this many of the last ONSET_WINDOW frames are voiced. */
const ONSET_FRAMES = 2;
const ONSET_WINDOW = 3;
/** No voice for so long is a pause: longer than the closures within words. */
export const PAUSE_MS = 100;
/** Voice ends after this long without a voiced frame: the end of a recognition segment, not of a turn. */
export const HANGOVER_MS = 280;
/** While voice goes on, the ear says so this often. */
const GOES_EVERY_MS = 60;

const NOTHING = new Float32Array(0);

/** How much voice there was since it began, in ms, and how much of that had a pitch. */
interface Voiced {
  voicedMs: number;
  pitchedMs: number;
}

export type EarEvent =
  /** `atMs`: where the voice began, on the caller's axis. */
  | { kind: 'voiceBegan'; atMs: number }
  /** Said every 60 ms of voice, and at once when it goes on after a pause. */
  | ({ kind: 'voiceGoes'; atMs: number } & Voiced)
  /**
   * `atMs`: the end of the last voiced frame, PAUSE_MS before this is said; `ending`: how the voice sounded
   * there.
   */
  | ({ kind: 'voicePaused'; atMs: number; ending: Ending } & Voiced)
  /** `atMs`: the end of the last voiced frame, HANGOVER_MS before this is said. */
  | ({ kind: 'voiceEnded'; atMs: number } & Voiced);

export class Ear {
  private readonly activity = new VoiceActivity();
  private readonly surroundings = new Surroundings();
  private readonly melody = new Melody();
  /** There is none until something of ours is played. */
  private canceller: EchoCanceller | null = null;
  private readonly guard = new EchoGuard();
  private rest: Float32Array = NOTHING;
  private ownRest: Float32Array = NOTHING;
  private frames = 0;
  private recent: boolean[] = [];
  private active = false;
  private paused = false;
  private voicedFrames = 0;
  private pitchedFrames = 0;
  private lastVoicedFrame = 0;

  /** What the last whole frame was judged to be. */
  frame: Frame | null = null;
  /**
   * The whole frames of the last samples, with as little of our own voice in them as can be: for recognition.
   */
  clean = new Float32Array(0);

  /**
   * Takes samples at HOUSE_RATE_HZ, of any length, that follow on the last ones.
   * @param own what the line played at the same time, as many samples, if it played anything
   */
  hear(samples: Float32Array, own: Float32Array | null = null): EarEvent[] {
    const joined = joinFloats(this.rest, samples);
    const ownJoined = this.joinOwn(own, joined.length);
    const events: EarEvent[] = [];
    this.clean = new Float32Array(joined.length - (joined.length % FRAME_SAMPLES));
    let at = 0;
    for (; at + FRAME_SAMPLES <= joined.length; at += FRAME_SAMPLES) {
      const played = ownJoined && soundIn(ownJoined.subarray(at, at + FRAME_SAMPLES));
      const mic = joined.subarray(at, at + FRAME_SAMPLES);
      if (played) this.canceller ??= new EchoCanceller();
      const clean = this.canceller?.take(mic, played) ?? mic;
      this.clean.set(clean, at);
      const echo = this.guard.expect(mic, played, this.canceller?.certainDb);
      const frame = this.activity.judge(clean, echo);
      if (echo) this.guard.learn(frame.likeness);
      const event = this.step(frame);
      if (event) events.push(event);
    }
    this.rest = joined.slice(at);
    this.ownRest = ownJoined?.slice(at) ?? NOTHING;
    return events;
  }

  /** What the line played by now that no whole frame has had; null where that is nothing. */
  private joinOwn(own: Float32Array | null, length: number): Float32Array | null {
    if (own === null && this.ownRest.length === 0) return null;
    const rest = this.ownRest.length > 0 ? this.ownRest : new Float32Array(length - own!.length);
    return joinFloats(rest, own ?? new Float32Array(length - rest.length));
  }

  /**
   * So much sound was not there: time goes on without it. @param count samples at HOUSE_RATE_HZ, of whole
   * frames
   */
  skip(count: number): void {
    this.frames += Math.round(count / FRAME_SAMPLES);
  }

  private step(frame: Frame): EarEvent | null {
    this.frame = frame;
    const index = this.frames++;
    const goesOn = this.active && !this.paused;
    // Asked of every frame: it follows the surroundings.
    const sounding = this.surroundings.standsOut(frame.levelDb, goesOn) && frame.sounding;
    this.recent.push(sounding);
    if (this.recent.length > ONSET_WINDOW) this.recent.shift();
    if (!this.active) return this.maybeBegin(index);
    this.melody.take(frame);
    if (frame.pitchHz !== null && sounding) this.pitchedFrames++;
    if (sounding) return this.goesOn(index);
    const atMs = this.timeOf(this.lastVoicedFrame + 1);
    const silentMs = this.timeOf(this.frames) - atMs;
    if (silentMs >= HANGOVER_MS) {
      this.active = false;
      this.recent = [];
      return { kind: 'voiceEnded', atMs, ...this.voiced() };
    }
    if (this.paused || silentMs < PAUSE_MS) return null;
    this.paused = true;
    return { kind: 'voicePaused', atMs, ...this.voiced(), ending: this.melody.ending() };
  }

  private goesOn(index: number): EarEvent | null {
    // What lies between, if it is short, belongs to the voice.
    this.voicedFrames += this.paused ? 1 : index - this.lastVoicedFrame;
    this.lastVoicedFrame = index;
    const before = this.voicedMs() - FRAME_MS;
    const due =
      this.paused || Math.floor(this.voicedMs() / GOES_EVERY_MS) > Math.floor(before / GOES_EVERY_MS);
    this.paused = false;
    return due ? { kind: 'voiceGoes', atMs: this.timeOf(this.frames), ...this.voiced() } : null;
  }

  private maybeBegin(index: number): EarEvent | null {
    const voiced = this.recent.filter(Boolean).length;
    if (voiced < ONSET_FRAMES) return null;
    this.active = true;
    this.paused = false;
    const first = index - (this.recent.length - 1 - this.recent.indexOf(true));
    this.voicedFrames = index - first + 1;
    this.pitchedFrames = 0;
    this.lastVoicedFrame = index;
    this.melody.begin();
    return { kind: 'voiceBegan', atMs: this.timeOf(first) };
  }

  private voiced(): Voiced {
    return { voicedMs: this.voicedMs(), pitchedMs: this.pitchedFrames * FRAME_MS };
  }

  private voicedMs(): number {
    return this.voicedFrames * FRAME_MS;
  }

  private timeOf(frame: number): number {
    return msOfSamples(frame * FRAME_SAMPLES, HOUSE_RATE_HZ);
  }
}

/** The frame itself, where it is not silent. */
function soundIn(frame: Float32Array): Float32Array | null {
  for (let i = 0; i < frame.length; i++) if (frame[i] !== 0) return frame;
  return null;
}

function joinFloats(first: Float32Array, second: Float32Array): Float32Array {
  if (first.length === 0) return second;
  const out = new Float32Array(first.length + second.length);
  out.set(first);
  out.set(second, first.length);
  return out;
}
