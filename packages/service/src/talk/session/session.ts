/**
 * One live talk: the shell around the conductor. It turns sound, engines and timers into happenings, works
 * each of them to its end before the next, and carries the orders out. It decides nothing about the
 * conversation.
 */
import {
  Conductor,
  Ear,
  inWords,
  msOfSamples,
  toPcm16,
  type EngineRole,
  type ErrandTold,
  type Happening,
  type Leaving,
  type Order,
  type OrderOf,
  type RunOutcome,
  type Unstamped,
} from '@verbalon/core';
import type { CallerMessageOf, ServiceMessageOf } from '@verbalon/protocol';
import { ProblemError } from '../../problems/problems.js';
import { Axis, MOST_FUTURE_MS } from './axis.js';
import { CallerSound } from './caller-sound.js';
import { REAL_CLOCK, type SessionClock } from './clock.js';
import type { TalkContext } from './context.js';
import type { EngineChoice } from './engine-choice.js';
import { HeardLane } from './heard-lane.js';
import { Hearings } from './hearings.js';
import type { LinePort } from './line-port.js';
import { Pacer } from './pacer.js';
import { Speaking } from './speaking.js';
import { Thoughts } from './thoughts.js';
import { messageOf, type Untimed } from './told.js';

/** Where a talk's words and sound are kept; what it gives back does not matter. */
export interface SessionRecord {
  journal(entry: {
    index: number;
    atMs: number;
    side: 'happening' | 'order';
    kind: string;
    body: Happening | Order;
  }): unknown;
  audio(side: 'caller' | 'assistant', firstSample: number, samples: Int16Array): unknown;
  turn(report: ServiceMessageOf<'turn'>['report']): unknown;
}

/** Has the line do something on the caller's screen. */
export type OnScreen = (run: number, what: Screened, deadlineMs: number) => Promise<RunOutcome>;
type Screened = Omit<ServiceMessageOf<'screen'>, 'kind' | 'atMs' | 'run'>;

export interface SessionErrands {
  /** Never throws. */
  run(order: OrderOf<'doErrand'>, screen: OnScreen): Promise<RunOutcome>;
  stop(run: number): void;
  note(told: ErrandTold): void;
}

export interface SessionOptions extends Omit<TalkContext, 'happen' | 'fail'> {
  line: LinePort;
  record: SessionRecord;
  choice: Pick<EngineChoice, 'swap' | 'languageSet'>;
  /** Does errands; what it is told of runs that were left is written down. */
  errands: SessionErrands;
  /** Of the IANA database: where the caller's days and times are meant. */
  zone: string;
  mayEcho: boolean;
  clock?: SessionClock;
  /** The talk has begun. @returns what is to be done at its end */
  begun?: () => () => void;
}

export class Session {
  private readonly conductor = new Conductor();
  private readonly ear = new Ear();
  private readonly axis: Axis;
  private readonly sound: CallerSound;
  private readonly pacer: Pacer;
  private readonly lane = new HeardLane();
  private readonly hearings: Hearings;
  private readonly thoughts: Thoughts;
  private readonly speaking: Speaking;
  private readonly clock: SessionClock;
  /** Runs that wait for the caller's screen. */
  private readonly screens = new Map<number, (outcome: RunOutcome) => void>();
  /** How to forget each. */
  private readonly timers = new Map<number, () => void>();
  private entries = 0;
  private ended = false;
  /** The caller has left; it is over when that is worked off. */
  private ending = false;
  private readonly mailbox: Unstamped[] = [];
  private working = false;
  private atEnd: () => void = () => undefined;

  constructor(private readonly options: SessionOptions) {
    this.clock = options.clock ?? REAL_CLOCK;
    const context: TalkContext = {
      ...options,
      happen: (what) => this.happen(what),
      fail: (error) => this.fail(error),
    };
    this.axis = new Axis(() => this.clock.nowMs());
    this.sound = new CallerSound(options.rateHz);
    this.pacer = new Pacer(options.rateHz, this.clock, (frame) =>
      this.guarded(() => options.line.play(frame)),
    );
    this.hearings = new Hearings(context, this.sound);
    this.thoughts = new Thoughts(context);
    this.speaking = new Speaking(context, this.pacer, this.lane);
  }

  begin(): void {
    const clock = { unixMs: this.clock.unixMs(), zone: this.options.zone };
    this.happen({ kind: 'joined', plan: this.options.plan, clock });
    if (!this.ended) this.atEnd = this.options.begun?.() ?? (() => undefined);
  }

  /**
   * Something happened. What happens while something is worked on waits until that is done: no order is cut
   * off by its own effects.
   */
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
    this.options.line.close(inWords({ kind: 'left', how: 'failed' }), true);
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
      if (heard) {
        this.options.record.audio('assistant', heard.firstSample, heard.samples);
        this.options.line.heard?.(speech, playedMs, atMs, heard.samples);
      }
      this.happen({ kind: 'played', speech, playedMs, atMs, flushed });
    });
  }

  /**
   * What a person said in the assistant's place: `firstSample` on the caller's axis, both at HOUSE_RATE_HZ.
   */
  beside(firstSample: number, samples: Int16Array): void {
    this.options.record.audio('assistant', firstSample, samples);
  }

  /**
   * A key went down or up, or the line ducked by itself, when the line had captured `capture` samples. @param
   * by whoever pressed it, where it is not the caller @throws ProblemError `played-too-far`
   */
  key(kind: 'pressed' | 'released' | 'ducked', capture: number, by?: string): void {
    const atMs = this.moment(capture);
    this.happen(kind === 'pressed' && by !== undefined ? { kind, atMs, by } : { kind, atMs });
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

  /**
   * Another engine is to serve from the next segment, thought or phrase on. @param freely any, and not only
   * what callers are offered @throws ProblemError
   */
  swap(role: EngineRole, engine: string, freely: boolean): void {
    const ready = this.options.choice.swap(role, engine, freely);
    this.running(ready.then((swapped) => (swapped ? this.happen(swapped) : undefined)));
  }

  /**
   * It hears, or speaks, another language from the next segment, thought and phrase on. @param freely as
   * above @throws ProblemError
   */
  setLanguage(wanted: { hears?: string | undefined; speaks?: string | undefined }, freely: boolean): void {
    this.happen(this.options.choice.languageSet(wanted, freely));
  }

  /** The caller has left. */
  end(how: Leaving): void {
    if (this.ended || this.ending) return;
    this.ending = true;
    this.happen({ kind: 'left', how });
  }

  private stop(): void {
    if (this.ended) return;
    this.ended = true;
    for (const over of this.screens.values()) over({ ending: 'unsure', given: {} });
    for (const forget of this.timers.values()) forget();
    this.atEnd();
    this.hearings.end();
    this.thoughts.end();
    this.speaking.end();
    this.options.spending.close();
  }

  private write(side: 'happening' | 'order', atMs: number, body: Happening | Order): void {
    this.options.record.journal({ index: this.entries++, atMs, side, kind: body.kind, body });
  }

  /** Says this to the line. */
  send(message: Untimed): void {
    this.sendAt(message, Math.round(this.axis.nowMs()));
  }

  private sendAt(message: Untimed, atMs: number): void {
    this.options.line.send({ ...message, atMs } as Parameters<LinePort['send']>[0]);
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
      case 'doErrand':
        return this.running(this.doErrand(order));
      case 'stopErrand':
        return this.options.errands.stop(order.run);
      case 'duck':
      case 'unduck':
        this.lane.duck(order.kind === 'duck');
        return this.send({ kind: order.kind });
      case 'hush':
        this.speaking.hush();
        return this.send({ kind: 'hush' });
      case 'hangUp':
        return this.options.line.close(inWords(order.cause), false);
      case 'setTimer':
        return this.setTimer(order.timer, order.afterMs);
      case 'clearTimer':
        this.timers.get(order.timer)?.();
        this.timers.delete(order.timer);
        return;
      case 'tell':
        return this.tell(order, nowMs);
      case 'ignore':
        return;
    }
  }

  /** What came of it is written down also when the talk has ended in the meantime. */
  private async doErrand(order: OrderOf<'doErrand'>): Promise<void> {
    const { run } = order;
    this.happen({ kind: 'errandDone', run, outcome: await this.options.errands.run(order, this.onScreen) });
  }

  private readonly onScreen: OnScreen = (run, what, deadlineMs) => {
    if (this.ended) return Promise.resolve({ ending: 'failed', given: {} });
    return new Promise((resolve) => {
      const over = (outcome: RunOutcome) => {
        forget();
        this.screens.delete(run);
        resolve(outcome);
      };
      const forget = this.clock.after(deadlineMs, () => over({ ending: 'unsure', given: {} }));
      this.screens.set(run, over);
      this.send({ kind: 'screen', run, ...what });
    });
  };

  /** The line says what came of it on the caller's screen. */
  screened({ run, done, values }: CallerMessageOf<'screen'>): void {
    this.screens.get(run)?.({ ending: done ? 'done' : 'failed', given: values ?? {} });
  }

  private running(work: Promise<void>): void {
    work.catch((error: unknown) => this.fail(error));
  }

  private setTimer(timer: number, afterMs: number): void {
    const ring = () => {
      this.timers.delete(timer);
      this.happen({ kind: 'rang', timer });
    };
    this.timers.set(timer, this.clock.after(afterMs, ring));
  }

  private tell({ message: told, cause }: OrderOf<'tell'>, nowMs: number): void {
    const { id, log, record, spending } = this.options;
    const message = messageOf(told);
    if (message.kind === 'trouble')
      log.warn({ talk: id, code: message.code, detail: message.detail }, message.title);
    if (told.kind === 'turn') this.thoughts.heard(told.report);
    // What was done is written down by whoever does it.
    if (told.kind === 'errand' && cause.kind === 'errandOver') this.options.errands.note(told);
    if (message.kind !== 'turn') return this.sendAt(message, nowMs);
    record.turn(message.report);
    this.lane.clear();
    spending.closeTurn(message.report.turn);
    this.sendAt(message, nowMs);
    const sums = spending.sums();
    if (sums.length > 0) this.send({ kind: 'spent', sums });
  }
}
