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
import { isProblemCode, PROBLEMS } from '../problems.js';
import { Axis } from './axis.js';
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
    body: unknown;
  }): unknown;
  audio(side: 'caller' | 'assistant', firstSample: number, samples: Int16Array): unknown;
  turn(report: Extract<ServiceMessage, { kind: 'turn' }>['report']): unknown;
}

export interface TalkOptions extends Omit<TalkContext, 'happen'> {
  record: TalkRecord;
  mayEcho: boolean;
  clock?: () => number;
  send: (message: ServiceMessage) => void;
  sendSound: (frame: PacedFrame) => void;
  /** The conductor has ended the talk. */
  hangUp: () => void;
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
  private atEnd: () => void = () => undefined;

  constructor(private readonly options: TalkOptions) {
    const clock = options.clock ?? (() => performance.now());
    const context: TalkContext = { ...options, happen: (what) => this.happen(what) };
    this.axis = new Axis(clock);
    this.sound = new CallerSound(options.rateHz);
    this.pacer = new Pacer(options.rateHz, clock, options.sendSound);
    this.hearings = new Hearings(context, this.sound);
    this.thoughts = new Thoughts(context);
    this.speaking = new Speaking(context, this.pacer, this.lane);
  }

  begin(): void {
    this.happen({ kind: 'joined', plan: this.options.plan });
    this.atEnd = this.options.begun?.() ?? (() => undefined);
  }

  /** Something happened: the conductor is asked, everything is written down, the orders are carried out. */
  happen(unstamped: Unstamped): void {
    if (this.ended) return;
    const happening = { ...unstamped, nowMs: Math.round(this.axis.nowMs() * 10) / 10 } as Happening;
    const orders = this.conductor.conduct(happening);
    this.write('happening', happening.nowMs, happening);
    for (const order of orders) this.write('order', happening.nowMs, order);
    for (const order of orders) this.carryOut(order, happening.nowMs);
  }

  /** Sound has come: `firstSample` on the caller's axis at the line's rate. */
  hear(firstSample: number, samples: Int16Array): void {
    const arrival = this.sound.take(firstSample, samples);
    if (!arrival || this.ended) return;
    this.axis.learn(this.sound.capturedMs);
    this.options.record.audio('caller', arrival.from, arrival.samples);
    const own = this.options.mayEcho ? this.lane.playingAt(arrival.from, arrival.floats.length) : null;
    const events = this.ear.hear(arrival.floats, own);
    const clean = toPcm16(this.ear.clean);
    this.sound.keep(clean);
    this.hearings.push(clean);
    for (const event of events) this.happen(event);
  }

  played(speech: number, sample: number, capture: number, flushed: boolean): void {
    const { rateHz } = this.options;
    const playedMs = msOfSamples(sample, rateHz);
    const atMs = msOfSamples(capture, rateHz);
    this.pacer.heard(speech, sample);
    const heard = this.lane.played(speech, playedMs, atMs);
    if (heard) this.options.record.audio('assistant', heard.firstSample, heard.samples);
    this.happen({ kind: 'played', speech, playedMs, atMs, flushed });
  }

  /** A key went down or up, or the line ducked by itself, when the line had captured `capture` samples. */
  key(kind: 'pressed' | 'released' | 'ducked', capture: number): void {
    this.happen({ kind, atMs: msOfSamples(capture, this.options.rateHz) });
  }

  end(why: string): void {
    if (this.ended) return;
    this.happen({ kind: 'left', why });
    this.ended = true;
    for (const timer of this.timers.values()) clearTimeout(timer);
    this.atEnd();
    this.hearings.end();
    this.thoughts.end();
    this.speaking.end();
    this.options.spending.closeTurn(null);
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
        return void this.thoughts.think(order);
      case 'dropThought':
        return this.thoughts.drop(order.thought);
      case 'synthesise':
        return void this.speaking.synthesise(order);
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
        return this.options.hangUp();
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
