/**
 * Ducks the assistant as soon as the caller's voice is heard on this side, by the same ear that the service
 * has. It is provisional: unless the service orders it too, it is undone by itself after half a second.
 */
import { Ear, HOUSE_RATE_HZ, Resampler, type Playout } from '@verbalon/core';

/** What is not confirmed is undone after so long, in ms. */
const PROVISIONAL_MS = 500;

export class LocalDuck {
  private readonly ear = new Ear();
  private readonly heard: Resampler;
  private readonly own: Resampler;
  /** Where on the axis the provisional duck is undone; null when there is none. */
  private undoAt: number | null = null;

  /** @param report the line ducked by itself when its axis stood at `capture` */
  constructor(
    private readonly playout: Playout,
    private readonly rateHz: number,
    private readonly report: (capture: number) => void,
  ) {
    this.heard = new Resampler(rateHz, HOUSE_RATE_HZ);
    this.own = new Resampler(rateHz, HOUSE_RATE_HZ);
  }

  /** What the microphone gave and what was played at the same time, as many samples of each. */
  hear(samples: Float32Array, played: Float32Array, capture: number): void {
    const events = this.ear.hear(this.heard.push(samples), this.own.push(played));
    if (this.undoAt !== null && capture >= this.undoAt) {
      this.undoAt = null;
      this.playout.unduck();
    }
    if (!this.playout.busy || !events.some(({ kind }) => kind === 'voiceBegan')) return;
    this.undoAt = capture + (PROVISIONAL_MS * this.rateHz) / 1000;
    this.playout.duck();
    this.report(capture);
  }

  /** The service has decided. */
  told(what: 'duck' | 'unduck'): void {
    this.undoAt = null;
    this.playout[what]();
  }
}
