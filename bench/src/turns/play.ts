/** One talk on a virtual clock: the conductor, what the ear and the recogniser had found, and engines and a line that keep their times. */
import { Conductor, type Happening, type Order, type Plan, type WordTime } from '@verbalon/core';
import { FINAL_LATE_MS, type Heard } from './hear.js';

/** Times of the engines and the line, in ms. */
export interface EngineTimes {
  firstPieceMs: number;
  pieceMs: number;
  synthesisMs: number;
  playingMs: number;
}
/** A model that takes 400 ms and writes 25 words a second; the rest is what the local engines were measured to take. */
export const USUAL_TIMES: EngineTimes = { firstPieceMs: 400, pieceMs: 40, synthesisMs: 37, playingMs: 12 };

export const REPLY =
  'The path is open today and it is dry, but the last part below the saddle is steep, so please take good boots and enough water with you, start early in the morning, and tell the warden when you leave the hut.'.split(
    ' ',
  );
const WORD_MS = 300;

type Unstamped = Happening extends infer H ? (H extends Happening ? Omit<H, 'nowMs'> : never) : never;

export interface Played {
  orders: { atMs: number; order: Order }[];
  /** CPU time of the conductor alone, in ms. */
  conductorMs: number;
}

/** How long a phrase lasts when it is spoken, and its words. */
export type Say = (text: string) => { audioMs: number; words: WordTime[] };

const evenly: Say = (text) => {
  const words = text.split(' ').map((word, i) => ({ word, endMs: (i + 1) * WORD_MS }));
  return { audioMs: words.length * WORD_MS, words };
};

/** The talk up to the end of what was heard. */
export function playTalk(
  plan: Plan,
  heard: Heard,
  times: EngineTimes = USUAL_TIMES,
  say: Say = evenly,
): Played {
  return new Clockwork(plan, heard, times, say).run();
}

class Clockwork {
  private readonly conductor = new Conductor();
  private readonly queue: { atMs: number; order: number; run: () => void }[] = [];
  private readonly orders: Played['orders'] = [];
  private readonly timers = new Set<number>();
  private readonly thoughts = new Set<number>();
  private readonly open = new Map<number, { fromMs: number; closed: boolean }>();
  private readonly lengths = new Map<number, number>();
  private sounding: { speech: number; fromMs: number } | null = null;
  private readonly line: number[] = [];
  private nowMs = 0;
  private count = 0;
  private conductorMs = 0;

  constructor(
    private readonly plan: Plan,
    private readonly heard: Heard,
    private readonly times: EngineTimes,
    private readonly say: Say,
  ) {}

  run(): Played {
    this.at(0, () => this.happen({ kind: 'joined', plan: this.plan }));
    for (const { atMs, event } of this.heard.events) this.at(atMs, () => this.happen(event));
    for (const stretch of this.heard.stretches)
      for (const { atMs, words } of stretch.partials) this.at(atMs, () => this.partial(words));
    while (this.queue.length > 0) {
      let first = 0;
      for (let i = 1; i < this.queue.length; i++) {
        const [a, b] = [this.queue[i]!, this.queue[first]!];
        if (a.atMs < b.atMs || (a.atMs === b.atMs && a.order < b.order)) first = i;
      }
      const next = this.queue.splice(first, 1)[0]!;
      if (next.atMs > this.heard.lengthMs) break;
      this.nowMs = next.atMs;
      next.run();
    }
    return { orders: this.orders, conductorMs: this.conductorMs };
  }

  private at(atMs: number, run: () => void): void {
    this.queue.push({ atMs, order: this.count++, run });
  }

  private happen(what: Unstamped): void {
    const from = performance.now();
    const orders = this.conductor.conduct({ ...what, nowMs: this.nowMs } as Happening);
    this.conductorMs += performance.now() - from;
    for (const order of orders) {
      this.orders.push({ atMs: this.nowMs, order });
      this.carryOut(order);
    }
  }

  private partial(words: Heard['stretches'][number]['final']): void {
    for (const [recognition, { fromMs, closed }] of this.open) {
      const its = words.filter((word) => word.toMs > fromMs + 60);
      if (!closed && its.length > 0) this.happen({ kind: 'partial', recognition, words: its });
    }
  }

  private carryOut(order: Order): void {
    switch (order.kind) {
      case 'setTimer':
        this.timers.add(order.timer);
        return this.at(this.nowMs + order.afterMs, () => {
          if (this.timers.delete(order.timer)) this.happen({ kind: 'rang', timer: order.timer });
        });
      case 'clearTimer':
        this.timers.delete(order.timer);
        return;
      case 'openRecognition':
        this.open.set(order.recognition, { fromMs: order.fromMs, closed: false });
        return;
      case 'closeRecognition':
        return this.close(order.recognition, order.toMs);
      case 'dropRecognition':
        this.open.delete(order.recognition);
        return;
      case 'think':
        return this.think(order.thought);
      case 'dropThought':
        this.thoughts.delete(order.thought);
        return;
      case 'synthesise':
        return this.synthesise(order.speech, order.text, order.pauseMs);
      case 'play':
        this.line.push(order.speech);
        if (!this.sounding) this.startNext();
        return;
      case 'hush':
        return this.flush();
      default:
    }
  }

  private close(recognition: number, toMs: number): void {
    const one = this.open.get(recognition);
    if (!one) return;
    one.closed = true;
    const words = this.heard.stretches
      .flatMap(({ final }) => final)
      .filter((word) => word.toMs > one.fromMs + 60 && (word.fromMs + word.toMs) / 2 < toMs);
    this.at(this.nowMs + FINAL_LATE_MS, () => {
      if (this.open.delete(recognition)) this.happen({ kind: 'final', recognition, words, alternatives: [] });
    });
  }

  private think(thought: number): void {
    this.thoughts.add(thought);
    REPLY.forEach((word, i) =>
      this.at(this.nowMs + this.times.firstPieceMs + i * this.times.pieceMs, () => {
        if (this.thoughts.has(thought))
          this.happen({ kind: 'piece', thought, text: i === 0 ? word : ` ${word}` });
      }),
    );
    const { firstPieceMs, pieceMs } = this.times;
    this.at(this.nowMs + firstPieceMs + REPLY.length * pieceMs, () => {
      if (this.thoughts.delete(thought)) this.happen({ kind: 'thoughtDone', thought });
    });
  }

  private synthesise(speech: number, text: string, pauseMs: number): void {
    const { words, audioMs: spokenMs } = this.say(text);
    const audioMs = spokenMs + pauseMs;
    this.lengths.set(speech, audioMs);
    this.at(this.nowMs + this.times.synthesisMs, () =>
      this.happen({ kind: 'audio', speech, audioMs, words, estimated: false, done: true }),
    );
  }

  private startNext(): void {
    const speech = this.line.shift();
    if (speech === undefined) return;
    const fromMs = this.nowMs + this.times.playingMs;
    this.sounding = { speech, fromMs };
    const lengthMs = this.lengths.get(speech)!;
    for (let ms = 20; ms < lengthMs + 100; ms += 100) {
      const playedMs = Math.min(ms, lengthMs);
      const isLast = playedMs === lengthMs;
      this.at(fromMs + playedMs, () => {
        if (this.sounding?.speech !== speech) return;
        if (isLast) this.sounding = null;
        this.happen({ kind: 'played', speech, playedMs, atMs: this.nowMs, flushed: false });
        if (isLast && !this.sounding) this.startNext();
      });
      if (isLast) break;
    }
  }

  private flush(): void {
    const { sounding } = this;
    this.sounding = null;
    this.line.length = 0;
    if (!sounding) return;
    const playedMs = Math.max(0, this.nowMs - sounding.fromMs);
    this.at(this.nowMs + 10, () =>
      this.happen({ kind: 'played', speech: sounding.speech, playedMs, atMs: this.nowMs, flushed: true }),
    );
  }
}
