/**
 * What a line plays: speeches in the order in which they came, one sample after the other, and the reports of it.
 * No device in it: whoever has one pulls blocks and says where the caller's axis stands.
 */
import { toFloats } from '@verbalon/core';
import type { Frame } from '@verbalon/protocol';

/** Playing is reported this often, in ms. */
const REPORT_MS = 100;
/** How much a ducked voice is quieter (20 dB), and how long that takes, in ms. */
const DUCKED_GAIN = 0.1;
const DUCK_MS = 20;

export interface PlayedReport {
  speech: number;
  sample: number;
  capture: number;
  flushed?: boolean;
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
  private gain = 1;
  private wantedGain = 1;

  constructor(
    private readonly rateHz: number,
    private readonly report: (report: PlayedReport) => void,
  ) {}

  add({ epoch, samples, last }: Pick<Frame, 'epoch' | 'samples' | 'last'>): void {
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
    this.queue = [];
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
    while (at < count && this.queue.length > 0) {
      const head = this.queue[0]!;
      const part = head.samples.subarray(head.at, head.at + count - at);
      out.set(part, at);
      at += part.length;
      head.at += part.length;
      this.count(head, part.length, capture + at);
      if (head.at === head.samples.length) this.queue.shift();
    }
    this.applyGain(out);
    return out;
  }

  private count(head: Queued, length: number, capture: number): void {
    if (this.current.speech !== head.speech) {
      this.current = { speech: head.speech, sample: 0 };
      this.reported = 0;
    }
    this.current.sample += length;
    const isFirst = this.reported === 0 && length > 0;
    const isOver = head.last && head.at === head.samples.length;
    const isDue = this.current.sample - this.reported >= (REPORT_MS * this.rateHz) / 1000;
    if (!isFirst && !isOver && !isDue) return;
    this.reported = this.current.sample;
    this.report({ ...this.current, capture });
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
