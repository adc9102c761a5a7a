/**
 * What a line plays: speeches in the order in which they came, one sample after the other, and the reports of
 * it. Sound that comes too late makes it hold more before it goes on; when all is well it holds less again.
 * No device in it: whoever has one pulls blocks and says where the caller's axis stands.
 */
import { DUCKED_GAIN } from './levels.js';
import { toFloats } from './samples.js';
import { VoiceQueue } from './voice-queue.js';

/** Playing is reported this often, in ms. */
const REPORT_MS = 100;
/** How long ducking takes, in ms. */
const DUCK_MS = 20;

/**
 * So much is held before a speech begins, in ms: at first, at least, at most, and how much more after each
 * hole.
 */
const FIRST_HOLD_MS = 20;
const MOST_HOLD_MS = 400;
const HOLD_STEP_MS = 60;
/** After so long without a hole, one step less is held, in ms of sound. */
const CALM_MS = 20_000;

export interface PlayedReport {
  speech: number;
  sample: number;
  capture: number;
  flushed?: boolean;
}

/** A part of a speech, in order; or of what other people in the talk say. */
export interface SpeechPart {
  from?: 'caller' | 'assistant' | 'people' | undefined;
  /** Which speech it is of. */
  epoch: number;
  samples: Int16Array;
  last: boolean;
}

interface Queued {
  speech: number;
  samples: Float32Array;
  at: number;
  last: boolean;
}

export class Playout {
  private queue: Queued[] = [];
  private current = { speech: 0, sample: 0 };
  private reported = 0;
  private readonly people: VoiceQueue;
  private gain = 1;
  private wantedGain = 1;
  private holdMs = FIRST_HOLD_MS;
  private calm = 0;
  /** Sound is being held until enough of it is there. */
  private holding = true;
  /** A speech was cut off by a lack of sound, and goes on later. */
  private inSpeech = false;
  /** Speeches up to this one were flushed: what still comes of them is late. */
  private flushedUpTo = -1;
  /** Holes in speeches so far. */
  holes = 0;

  constructor(
    private readonly rateHz: number,
    private readonly report: (report: PlayedReport) => void,
  ) {
    this.people = new VoiceQueue(rateHz);
  }

  /** How much sound is held before a speech begins, in ms. */
  get heldMs(): number {
    return this.holdMs;
  }

  add({ from, epoch, samples, last }: SpeechPart): void {
    if (from === 'people') return this.people.put(samples);
    if (epoch <= this.flushedUpTo) return;
    this.queue.push({ speech: epoch, samples: toFloats(samples), at: 0, last });
  }

  /** Is anything there to be played? */
  get busy(): boolean {
    return this.queue.length > 0;
  }

  duck(): void {
    this.wantedGain = DUCKED_GAIN;
  }

  unduck(): void {
    this.wantedGain = 1;
  }

  /** Nothing more of what is queued will be played; the report says exactly how much was. */
  flush(capture: number): void {
    this.flushedUpTo = Math.max(
      this.flushedUpTo,
      this.current.speech,
      ...this.queue.map(({ speech }) => speech),
    );
    this.queue = [];
    this.holding = true;
    this.inSpeech = false;
    this.unduck();
    this.gain = 1;
    this.report({ ...this.current, capture, flushed: true });
  }

  /**
   * The next `count` samples, silence where nothing is there.
   * @param capture where the caller's axis stands when the first of them leaves the output, in samples
   */
  pull(count: number, capture: number): Float32Array {
    const out = new Float32Array(count);
    let at = 0;
    if (this.holding && this.isEnough()) this.holding = false;
    while (!this.holding && at < count && this.queue.length > 0) {
      const head = this.queue[0]!;
      const part = head.samples.subarray(head.at, head.at + count - at);
      out.set(part, at);
      at += part.length;
      head.at += part.length;
      this.count(head, part.length, capture + at);
      if (head.at === head.samples.length) this.queue.shift();
    }
    if (at < count && !this.holding) this.ranDry();
    this.calmDown(at);
    this.applyGain(out);
    this.addPeople(out);
    return out;
  }

  /** Is there enough to begin, or is the end of a speech there? */
  private isEnough(): boolean {
    const there = this.queue.reduce((sum, { samples, at }) => sum + samples.length - at, 0);
    return this.queue.some(({ last }) => last) || there >= (this.holdMs * this.rateHz) / 1000;
  }

  /** Nothing is there: within a speech that is a hole, and more is held from now on. */
  private ranDry(): void {
    this.holding = true;
    if (!this.inSpeech) return;
    this.holes++;
    this.calm = 0;
    this.holdMs = Math.min(MOST_HOLD_MS, this.holdMs + HOLD_STEP_MS);
  }

  private calmDown(played: number): void {
    this.calm += played;
    if (this.calm < (CALM_MS * this.rateHz) / 1000) return;
    this.calm = 0;
    this.holdMs = Math.max(FIRST_HOLD_MS, this.holdMs - HOLD_STEP_MS);
  }

  private count(head: Queued, length: number, capture: number): void {
    if (this.current.speech !== head.speech) {
      this.current = { speech: head.speech, sample: 0 };
      this.reported = 0;
    }
    this.current.sample += length;
    const isFirst = this.reported === 0 && length > 0;
    const isOver = head.last && head.at === head.samples.length;
    this.inSpeech = !isOver;
    const isDue = this.current.sample - this.reported >= (REPORT_MS * this.rateHz) / 1000;
    if (!isFirst && !isOver && !isDue) return;
    this.reported = this.current.sample;
    this.report({ ...this.current, capture });
  }

  /** Other people are heard beside the assistant, as loud as they are. */
  private addPeople(out: Float32Array): void {
    const voices = this.people.take(out.length);
    if (voices) for (let i = 0; i < out.length; i++) out[i]! += voices[i]! / 32_768;
  }

  private applyGain(out: Float32Array): void {
    if (this.gain === 1 && this.wantedGain === 1) return;
    const step = (1 - DUCKED_GAIN) / ((DUCK_MS * this.rateHz) / 1000);
    for (let i = 0; i < out.length; i++) {
      const off = this.wantedGain - this.gain;
      this.gain += Math.sign(off) * Math.min(step, Math.abs(off));
      out[i]! *= this.gain;
    }
  }
}
