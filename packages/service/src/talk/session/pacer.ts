/**
 * Sends the assistant's sound to the line in the order in which it is to be played, at most AHEAD_MS ahead of
 * what was played, so that a hush never queues behind sound.
 */
import { slicePcm16 } from '@verbalon/core';
import type { SessionClock } from './clock.js';

const AHEAD_MS = 600;
const FRAME_MS = 40;

export interface PacedFrame {
  speech: number;
  firstSample: number;
  samples: Int16Array;
  last: boolean;
}

interface Item {
  speech: number;
  parts: Int16Array[];
  length: number;
  complete: boolean;
  sent: number;
  /** The line was told that nothing more of it comes. */
  lastSent: boolean;
  /** Samples of all speeches before this one. */
  before: number;
}

export class Pacer {
  private queue: Item[] = [];
  private sent = 0;
  private played = 0;
  private playedAtMs = 0;
  private stopTimer: (() => void) | null = null;

  constructor(
    private readonly rateHz: number,
    private readonly clock: SessionClock,
    private readonly send: (frame: PacedFrame) => void,
  ) {}

  /** `speech` is next after what is in the queue; its sound comes by `add`. */
  play(speech: number): void {
    if (this.queue.every((item) => item.lastSent)) {
      // Nothing is on its way: what was sent has been played, or will be while this is prepared.
      this.played = this.sent;
      this.playedAtMs = this.clock.nowMs();
      this.queue = [];
    }
    const last = this.queue.at(-1);
    const before = last ? last.before + last.length : this.sent;
    this.queue.push({ speech, parts: [], length: 0, complete: false, sent: 0, lastSent: false, before });
    this.stopTimer ??= this.clock.every(FRAME_MS, () => this.pump());
  }

  add(speech: number, samples: Int16Array, complete: boolean): void {
    const item = this.queue.find((one) => one.speech === speech);
    if (!item) return;
    item.parts.push(samples);
    item.length += samples.length;
    item.complete ||= complete;
    for (const later of this.queue.slice(this.queue.indexOf(item) + 1)) later.before += samples.length;
    this.pump();
  }

  /** Takes back what of `speech` was not sent and lies after sample `at`. @returns how much of it stays */
  cut(speech: number, at: number): number {
    const item = this.queue.find((one) => one.speech === speech);
    if (!item) return at;
    const stays = Math.min(item.length, Math.max(item.sent, at));
    for (const later of this.queue.slice(this.queue.indexOf(item) + 1)) later.before -= item.length - stays;
    item.parts = [slicePcm16(item.parts, 0, stays)];
    item.length = stays;
    return stays;
  }

  /** The line has played `sample` samples of `speech`. */
  heard(speech: number, sample: number): void {
    const item = this.queue.find((one) => one.speech === speech);
    if (!item) return;
    this.played = Math.max(this.played, item.before + sample);
    this.playedAtMs = this.clock.nowMs();
    if (item.complete && sample >= item.length) this.queue = this.queue.slice(this.queue.indexOf(item) + 1);
    this.pump();
  }

  /** Forgets everything that was not sent. */
  stop(): void {
    this.queue = [];
    this.played = this.sent;
    this.stopTimer?.();
    this.stopTimer = null;
  }

  private pump(): void {
    const since = ((this.clock.nowMs() - this.playedAtMs) * this.rateHz) / 1000;
    const limit = Math.min(this.sent, this.played + since) + (AHEAD_MS * this.rateHz) / 1000;
    for (const item of this.queue) {
      while (this.sent < limit && item.sent < item.length) this.sendFrame(item);
      if (item.complete && item.sent === item.length && !item.lastSent) this.sendFrame(item);
      if (!item.lastSent) break;
    }
    if (!this.queue.every((item) => item.lastSent)) return;
    this.stopTimer?.();
    this.stopTimer = null;
  }

  private sendFrame(item: Item): void {
    const frame = Math.round((FRAME_MS * this.rateHz) / 1000 / 2) * 2;
    const from = item.sent;
    const to = Math.min(item.length, from + frame);
    item.sent = to;
    this.sent += to - from;
    item.lastSent = item.complete && to === item.length;
    this.send({
      speech: item.speech,
      firstSample: from,
      samples: slicePcm16(item.parts, from, to),
      last: item.lastSent,
    });
  }
}
