/** One talk on a virtual clock: the conductor, what the ear and the recogniser had found, and engines and a line that keep their times. */
import { Clockwork, Conductor, type Happening, type Order, type Plan, type WordTime } from '@verbalon/core';
import type { Heard } from './hear.js';

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
  return new Talk(heard, times, say).play(plan);
}

class Talk {
  private readonly clockwork: Clockwork;
  private readonly conductor = new Conductor();
  private readonly orders: Played['orders'] = [];
  private readonly thoughts = new Set<number>();
  private readonly lengths = new Map<number, number>();
  private sounding: { speech: number; fromMs: number } | null = null;
  private readonly line: number[] = [];
  private conductorMs = 0;

  constructor(
    private readonly heard: Heard,
    private readonly times: EngineTimes,
    private readonly say: Say,
  ) {
    const finals = heard.stretches.flatMap(({ final }) => final);
    this.clockwork = new Clockwork({ conduct: (one) => this.timed(one) }, finals, (order) =>
      this.carryOut(order),
    );
  }

  play(plan: Plan): Played {
    const { clockwork, heard } = this;
    clockwork.at(0, () => clockwork.happen({ kind: 'joined', plan }));
    for (const { atMs, event } of heard.events) clockwork.at(atMs, () => clockwork.happen(event));
    for (const { partials } of heard.stretches)
      for (const { atMs, words } of partials) clockwork.at(atMs, () => clockwork.partial(words));
    clockwork.run(heard.lengthMs);
    return { orders: this.orders, conductorMs: this.conductorMs };
  }

  private timed(happening: Happening): Order[] {
    const from = performance.now();
    const orders = this.conductor.conduct(happening);
    this.conductorMs += performance.now() - from;
    return orders;
  }

  private carryOut(order: Order): void {
    this.orders.push({ atMs: this.clockwork.nowMs, order });
    switch (order.kind) {
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

  private later(afterMs: number, run: () => void): void {
    this.clockwork.at(this.clockwork.nowMs + afterMs, run);
  }

  private think(thought: number): void {
    const { firstPieceMs, pieceMs } = this.times;
    this.thoughts.add(thought);
    REPLY.forEach((word, i) =>
      this.later(firstPieceMs + i * pieceMs, () => {
        if (this.thoughts.has(thought))
          this.clockwork.happen({ kind: 'piece', thought, text: i === 0 ? word : ` ${word}` });
      }),
    );
    this.later(firstPieceMs + REPLY.length * pieceMs, () => {
      if (this.thoughts.delete(thought)) this.clockwork.happen({ kind: 'thoughtDone', thought });
    });
  }

  private synthesise(speech: number, text: string, pauseMs: number): void {
    const { words, audioMs: spokenMs } = this.say(text);
    const audioMs = spokenMs + pauseMs;
    this.lengths.set(speech, audioMs);
    this.later(this.times.synthesisMs, () =>
      this.clockwork.happen({ kind: 'audio', speech, audioMs, words, estimated: false, done: true }),
    );
  }

  private startNext(): void {
    const speech = this.line.shift();
    if (speech === undefined) return;
    const fromMs = this.clockwork.nowMs + this.times.playingMs;
    this.sounding = { speech, fromMs };
    const lengthMs = this.lengths.get(speech)!;
    for (let ms = 20; ms < lengthMs + 100; ms += 100) {
      const playedMs = Math.min(ms, lengthMs);
      const isLast = playedMs === lengthMs;
      this.clockwork.at(fromMs + playedMs, () => {
        if (this.sounding?.speech !== speech) return;
        if (isLast) this.sounding = null;
        this.reportPlayed(speech, playedMs, false);
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
    const playedMs = Math.max(0, this.clockwork.nowMs - sounding.fromMs);
    this.later(10, () => this.reportPlayed(sounding.speech, playedMs, true));
  }

  private reportPlayed(speech: number, playedMs: number, flushed: boolean): void {
    this.clockwork.happen({ kind: 'played', speech, playedMs, atMs: this.clockwork.nowMs, flushed });
  }
}
