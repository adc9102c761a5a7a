/**
 * One talk on a virtual clock: the conductor, what the ear and the recogniser had found, and an engine and a
 * line that keep their times.
 */
import { Conductor } from '../conductor/conductor.js';
import type { Happening, Unstamped } from '../conductor/contract/happenings.js';
import type { Order } from '../conductor/contract/orders.js';
import type { Plan } from '../conductor/contract/plan.js';
import type { State } from '../conductor/state/state.js';
import type { RunOutcome } from '../errands/contract.js';
import type { HeardWord, WordTime } from '../vocabulary/words.js';
import { SimulatedRecogniser } from './recogniser.js';
import { VirtualTalk } from './virtual-talk.js';

/** Times of the engines and the line, in ms. */
export interface EngineTimes {
  firstPieceMs: number;
  pieceMs: number;
  synthesisMs: number;
  playingMs: number;
  /** What another system takes to do an errand. */
  doingMs: number;
}
/**
 * A model that takes 400 ms and writes 25 words a second; the rest is what the local engines were measured to
 * take.
 */
export const USUAL_TIMES: EngineTimes = {
  firstPieceMs: 400,
  pieceMs: 40,
  synthesisMs: 37,
  playingMs: 12,
  doingMs: 150,
};

const WORD_MS = 300;
/** The line reports what it has played so often, in ms; the first time sooner. */
const REPORT_MS = 100;
const FIRST_REPORT_MS = 20;
const FLUSH_MS = 10;

/** A caller, as the ear and the recogniser found it. */
export interface HeardCaller {
  lengthMs: number;
  events: readonly { atMs: number; event: Unstamped }[];
  /** Stretches of voice, with what the recogniser had by then, and in the end. */
  stretches: readonly {
    partials: readonly { atMs: number; words: readonly HeardWord[] }[];
    final: readonly HeardWord[];
  }[];
}

export interface PlayedTalk {
  orders: { atMs: number; order: Order }[];
  /** CPU time of the conductor alone, in ms, by the clock that was given. */
  conductorMs: number;
}

/** How long a phrase lasts when it is spoken, and its words. */
export type Say = (text: string) => { audioMs: number; words: WordTime[] };

const evenly: Say = (text) => {
  const words = text.split(' ').map((word, i) => ({ word, endMs: (i + 1) * WORD_MS }));
  return { audioMs: words.length * WORD_MS, words };
};

export interface PlayOptions {
  /** Words of the answer to everything. */
  reply: readonly string[];
  /** What comes of every errand that is done; without it nobody does any. */
  outcome?: RunOutcome;
  times?: EngineTimes;
  say?: Say;
  /** Measures the conductor; in ms. */
  clock?: () => number;
  /** Sees the state after every happening. */
  watch?: (state: State, nowMs: number) => void;
}

/** The talk up to the end of what was heard. */
export function playTalk(plan: Plan, heard: HeardCaller, options: PlayOptions): PlayedTalk {
  return new PlayingTalk(heard, options).play(plan);
}

class PlayingTalk {
  private readonly talk: VirtualTalk;
  private readonly recogniser: SimulatedRecogniser;
  private readonly orders: PlayedTalk['orders'] = [];
  private readonly thoughts = new Set<number>();
  private readonly lengths = new Map<number, number>();
  private readonly times: EngineTimes;
  private sounding: { speech: number; fromMs: number } | null = null;
  private readonly line: number[] = [];
  private conductorMs = 0;

  constructor(
    private readonly heard: HeardCaller,
    private readonly options: PlayOptions,
  ) {
    const conductor = new Conductor();
    this.times = options.times ?? USUAL_TIMES;
    this.talk = new VirtualTalk((order) => this.carryOut(order), {
      conduct: (one) => {
        const orders = this.timed(conductor, one);
        options.watch?.(conductor.snapshot(), one.nowMs);
        return orders;
      },
    });
    const finals = heard.stretches.flatMap(({ final }) => final);
    this.recogniser = new SimulatedRecogniser(this.talk, finals);
  }

  play(plan: Plan): PlayedTalk {
    const { talk, heard } = this;
    talk.at(0, () => talk.happen({ kind: 'joined', plan }));
    for (const { atMs, event } of heard.events) talk.at(atMs, () => talk.happen(event));
    for (const { partials } of heard.stretches)
      for (const { atMs, words } of partials) talk.at(atMs, () => this.recogniser.partial(words));
    talk.run(heard.lengthMs);
    return { orders: this.orders, conductorMs: this.conductorMs };
  }

  private timed(conductor: Conductor, happening: Happening): Order[] {
    const clock = this.options.clock ?? (() => 0);
    const from = clock();
    const orders = conductor.conduct(happening);
    this.conductorMs += clock() - from;
    return orders;
  }

  private carryOut(order: Order): void {
    this.orders.push({ atMs: this.talk.nowMs, order });
    this.recogniser.carryOut(order);
    if (order.kind === 'think') this.think(order.thought);
    if (order.kind === 'dropThought') this.thoughts.delete(order.thought);
    if (order.kind === 'synthesise') this.synthesise(order.speech, order.text, order.pauseMs);
    if (order.kind === 'doErrand') this.doErrand(order.run);
    if (order.kind === 'hush') this.flush();
    if (order.kind !== 'play') return;
    this.line.push(order.speech);
    if (!this.sounding) this.startNext();
  }

  private think(thought: number): void {
    const { talk, options } = this;
    const { firstPieceMs, pieceMs } = this.times;
    this.thoughts.add(thought);
    options.reply.forEach((word, i) =>
      talk.after(firstPieceMs + i * pieceMs, () => {
        if (this.thoughts.has(thought))
          talk.happen({ kind: 'piece', thought, text: i === 0 ? word : ` ${word}` });
      }),
    );
    talk.after(firstPieceMs + options.reply.length * pieceMs, () => {
      if (this.thoughts.delete(thought)) talk.happen({ kind: 'thoughtDone', thought });
    });
  }

  private doErrand(run: number): void {
    const { outcome } = this.options;
    if (outcome)
      this.talk.after(this.times.doingMs, () => this.talk.happen({ kind: 'errandDone', run, outcome }));
  }

  private synthesise(speech: number, text: string, pauseMs: number): void {
    const { words, audioMs: spokenMs } = (this.options.say ?? evenly)(text);
    const audioMs = spokenMs + pauseMs;
    this.lengths.set(speech, audioMs);
    this.talk.after(this.times.synthesisMs, () =>
      this.talk.happen({ kind: 'audio', speech, audioMs, words, estimated: false, done: true }),
    );
  }

  private startNext(): void {
    const speech = this.line.shift();
    if (speech === undefined) return;
    const fromMs = this.talk.nowMs + this.times.playingMs;
    this.sounding = { speech, fromMs };
    const lengthMs = this.lengths.get(speech)!;
    for (let ms = FIRST_REPORT_MS; ms < lengthMs + REPORT_MS; ms += REPORT_MS) {
      const playedMs = Math.min(ms, lengthMs);
      const isLast = playedMs === lengthMs;
      this.talk.at(fromMs + playedMs, () => {
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
    const playedMs = Math.max(0, this.talk.nowMs - sounding.fromMs);
    this.talk.after(FLUSH_MS, () => this.reportPlayed(sounding.speech, playedMs, true));
  }

  private reportPlayed(speech: number, playedMs: number, flushed: boolean): void {
    this.talk.happen({ kind: 'played', speech, playedMs, atMs: this.talk.nowMs, flushed });
  }
}
