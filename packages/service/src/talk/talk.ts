/**
 * The shell around the conductor: turns sound, engines and timers into happenings, and carries the orders out.
 * It decides nothing about the conversation.
 */
import {
  Conductor,
  Ear,
  msOfSamples,
  toPcm16,
  type Happening,
  type Order,
  type OrderOf,
  type Unstamped,
} from '@verbalon/core';
import type { ServiceMessage } from '@verbalon/protocol';
import { isProblemCode, ProblemError, PROBLEMS } from '../problems.js';
import { Axis, MOST_FUTURE_MS } from './axis.js';
import { CallerSound } from './caller-sound.js';
import type { TalkContext } from './context.js';
import { HeardLane } from './heard-lane.js';
import { Hearings } from './hearings.js';
import { Pacer, type PacedFrame } from './pacer.js';
import { Speaking } from './speaking.js';
import { Thoughts } from './thoughts.js';

/** A message before its time is put to it. */
type Untimed = ServiceMessage extends infer M ? (M extends ServiceMessage ? Omit<M, 'atMs'> : never) : never;

/** Where a talk's words and sound are kept; what it gives back does not matter. */
export interface TalkRecord {
  journal(entry: {
    index: number;
    atMs: number;
    side: 'happening' | 'order';
    kind: string;
    body: Happening | Order;
  }): unknown;
  audio(side: 'caller' | 'assistant', firstSample: number, samples: Int16Array): unknown;
  turn(report: Extract<ServiceMessage, { kind: 'turn' }>['report']): unknown;
}

export interface TalkOptions extends Omit<TalkContext, 'happen' | 'fail'> {
  record: TalkRecord;
  mayEcho: boolean;
  clock?: () => number;
  send: (message: ServiceMessage) => void;
  sendSound: (frame: PacedFrame) => void;
  /** The conductor has ended the talk. */
  hangUp: (why: string) => void;
  /** Something went wrong that nobody foresaw: this talk cannot go on. */
  failed: () => void;
  /** The talk has begun. @returns what is to be done at its end */
  begun?: () => () => void;
}

export class Talk {
  private readonly conductor = new Conductor();
  private readonly ear = new Ear();
  private readonly axis: Axis;
  private readonly sound: CallerSound;
  private readonly pacer: Pacer;
  private readonly lane = new HeardLane();
  private readonly hearings: Hearings;
  private readonly thoughts: Thoughts;
  private readonly speaking: Speaking;
  private readonly timers = new Map<number, NodeJS.Timeout>();
  private entries = 0;
  private ended = false;
  /** The caller has left; it is over when that is worked off. */
  private ending = false;
  private readonly mailbox: Unstamped[] = [];
  private working = false;
  private atEnd: () => void = () => undefined;

  constructor(private readonly options: TalkOptions) {
    const clock = options.clock ?? (() => performance.now());
    const context: TalkContext = {
      ...options,
      happen: (what) => this.happen(what),
      fail: (error) => this.fail(error),
    };
    this.axis = new Axis(clock);
    this.sound = new CallerSound(options.rateHz);
    this.pacer = new Pacer(options.rateHz, clock, (frame) => this.guarded(() => options.sendSound(frame)));
    this.hearings = new Hearings(context, this.sound);
    this.thoughts = new Thoughts(context);
    this.speaking = new Speaking(context, this.pacer, this.lane);
  }

  begin(): void {
    this.happen({ kind: 'joined', plan: this.options.plan });
    if (!this.ended) this.atEnd = this.options.begun?.() ?? (() => undefined);
  }

  /** Something happened. What happens while something is worked on waits until that is done: no order is cut off by its own effects. */
  happen(unstamped: Unstamped): void {
    if (this.ended) return;
    this.mailbox.push(unstamped);
    if (this.working) return;
    this.working = true;
    for (let next = this.mailbox.shift(); next && !this.ended; next = this.mailbox.shift()) this.workOn(next);
    this.working = false;
    if (this.ending && !this.ended) this.stop();
  }

  /** The conductor is asked, everything is written down, the orders are carried out. */
  private workOn(unstamped: Unstamped): void {
    this.guarded(() => {
      const happening = { ...unstamped, nowMs: Math.round(this.axis.nowMs() * 10) / 10 } as Happening;
      const orders = this.conductor.conduct(happening);
      this.write('happening', happening.nowMs, happening);
      for (const order of orders) this.write('order', happening.nowMs, order);
      for (const order of orders) this.carryOut(order, happening.nowMs);
    }, unstamped);
  }

  /** Whatever is thrown while something is worked on ends this talk, and no other. */
  private guarded(work: () => void, on?: Unstamped): void {
    if (this.ended) return;
    try {
      work();
    } catch (error) {
      this.fail(error, on);
    }
  }

  private fail(error: unknown, on?: Unstamped): void {
    if (this.ended) return;
    const { id, log } = this.options;
    log.error(
      { talk: id, on: on?.kind, err: error },
      'a talk came upon something that nobody foresaw; it ends',
    );
    this.stop();
    this.options.failed();
  }

  /** Sound has come: `firstSample` on the caller's axis at the line's rate. */
  hear(firstSample: number, samples: Int16Array): void {
    this.guarded(() => {
      const arrival = this.sound.take(firstSample, samples);
      if (!arrival) return;
      this.axis.learn(this.sound.capturedMs);
      if (arrival.skipped > 0) {
        this.ear.skip(arrival.skipped);
        this.sound.skip(arrival.skipped);
      }
      this.options.record.audio('caller', arrival.from, arrival.samples);
      const own = this.options.mayEcho ? this.lane.playingAt(arrival.from, arrival.floats.length) : null;
      const events = this.ear.hear(arrival.floats, own);
      const clean = toPcm16(this.ear.clean);
      this.sound.keep(clean);
      this.hearings.push(clean);
      for (const event of events) this.happen(event);
    });
  }

  /** @throws ProblemError `played-too-far` */
  played(speech: number, sample: number, capture: number, flushed: boolean): void {
    const atMs = this.moment(capture);
    this.guarded(() => {
      const playedMs = msOfSamples(sample, this.options.rateHz);
      this.pacer.heard(speech, sample);
      const heard = this.lane.played(speech, playedMs, atMs);
      if (heard) this.options.record.audio('assistant', heard.firstSample, heard.samples);
      this.happen({ kind: 'played', speech, playedMs, atMs, flushed });
    });
  }

  /** A key went down or up, or the line ducked by itself, when the line had captured `capture` samples. @throws ProblemError `played-too-far` */
  key(kind: 'pressed' | 'released' | 'ducked', capture: number): void {
    this.happen({ kind, atMs: this.moment(capture) });
  }

  /** What the line says of its own axis, in ms: it cannot lie ahead of now. */
  private moment(capture: number): number {
    const atMs = msOfSamples(capture, this.options.rateHz);
    const nowMs = this.axis.nowMs();
    if (atMs <= nowMs + MOST_FUTURE_MS) return atMs;
    throw new ProblemError(
      'played-too-far',
      `"capture" is ${capture}, which is ${Math.round((atMs - nowMs) / 1000)} s ahead of now`,
    );
  }

  end(why: string): void {
    if (this.ended || this.ending) return;
    this.ending = true;
    this.happen({ kind: 'left', why });
  }

  private stop(): void {
    if (this.ended) return;
    this.ended = true;
    for (const timer of this.timers.values()) clearTimeout(timer);
    this.atEnd();
    this.hearings.end();
    this.thoughts.end();
    this.speaking.end();
    this.options.spending.close();
  }

  private write(side: 'happening' | 'order', atMs: number, body: Happening | Order): void {
    this.options.record.journal({ index: this.entries++, atMs, side, kind: body.kind, body });
  }

  private send(message: Untimed): void {
    this.options.send({ ...message, atMs: Math.round(this.axis.nowMs()) } as ServiceMessage);
  }

  private carryOut(order: Order, nowMs: number): void {
    switch (order.kind) {
      case 'openRecognition':
        return this.hearings.open(order);
      case 'closeRecognition':
        return this.hearings.close(order.recognition);
      case 'dropRecognition':
        return this.hearings.drop(order.recognition);
      case 'think':
        return this.running(this.thoughts.think(order));
      case 'dropThought':
        return this.thoughts.drop(order.thought);
      case 'synthesise':
        return this.running(this.speaking.synthesise(order));
      case 'dropSynthesis':
        return this.speaking.drop(order.speech);
      case 'play':
        return this.speaking.play(order.speech);
      case 'duck':
      case 'unduck':
        this.lane.duck(order.kind === 'duck');
        return this.send({ kind: order.kind });
      case 'hush':
        this.speaking.hush();
        return this.send({ kind: 'hush' });
      case 'hangUp':
        return this.options.hangUp(order.reason);
      case 'setTimer':
        return this.setTimer(order.timer, order.afterMs);
      case 'clearTimer':
        clearTimeout(this.timers.get(order.timer));
        this.timers.delete(order.timer);
        return;
      case 'tell':
        return this.tell(order, nowMs);
      case 'ignore':
        return;
    }
  }

  private running(work: Promise<void>): void {
    work.catch((error: unknown) => this.fail(error));
  }

  private setTimer(timer: number, afterMs: number): void {
    const ring = () => {
      this.timers.delete(timer);
      this.happen({ kind: 'rang', timer });
    };
    this.timers.set(timer, setTimeout(ring, afterMs));
  }

  private tell({ message }: OrderOf<'tell'>, nowMs: number): void {
    if (message.kind === 'trouble') {
      const { title, remedy } = PROBLEMS[isProblemCode(message.code) ? message.code : 'internal'];
      this.options.log.warn({ talk: this.options.id, code: message.code, detail: message.detail }, title);
      return this.send({ ...message, title, remedy });
    }
    if (message.kind === 'turn') {
      this.options.record.turn(message.report);
      this.lane.clear();
      this.options.spending.closeTurn(message.report.turn);
      const sums = this.options.spending.sums();
      this.options.send({ ...message, atMs: nowMs } as ServiceMessage);
      return sums.length > 0 ? this.send({ kind: 'spent', sums }) : undefined;
    }
    this.options.send({ ...message, atMs: nowMs } as ServiceMessage);
  }
}
