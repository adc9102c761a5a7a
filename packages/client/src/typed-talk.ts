/**
 * A talk of typed turns, one after the other, without a microphone or a loudspeaker: the line "plays" every
 * sound at once.
 */
import { CallerEnd } from './caller-end.js';
import { HOUSE_RATE_HZ, type EngineRole } from '@verbalon/core';
import type { Frame, ServiceMessage, ServiceMessageOf } from '@verbalon/protocol';
import type { Arrive } from './line.js';
import type { PageHooks } from './page-hooks.js';
import { nodeSocket } from './node-socket.js';

const PATIENCE_MS = 30_000;
/** Without a message for so long, nothing is under way, in ms. */
const QUIET_MS = 200;
/** Playing is reported so often, in samples. */
const REPORT_SAMPLES = HOUSE_RATE_HZ / 5;
type Report = ServiceMessageOf<'turn'>['report'];

export interface TypedOptions extends Partial<
  Pick<Arrive, 'caller' | 'pass' | 'line' | 'language' | 'join'>
> {
  key?: string;
  hooks?: PageHooks | undefined;
  onMessage?: ((message: ServiceMessage) => void) | undefined;
  /** A speech has begun to be heard, or goes on. */
  onPlayed?: ((speech: number, atMs: number) => void) | undefined;
}

export class TypedTalk {
  readonly messages: ServiceMessage[] = [];
  /** Whatever is to be opened, shown or filled is. */
  hasScreen = false;
  private readonly reports: Report[] = [];
  private waiting: (() => void)[] = [];
  private readonly end: CallerEnd;

  private isClosed = false;

  private constructor(
    hooks: PageHooks | undefined,
    private readonly told: Pick<TypedOptions, 'onMessage' | 'onPlayed'>,
  ) {
    this.end = new CallerEnd(
      HOUSE_RATE_HZ,
      {
        add: (frame) => this.play(frame),
        duck: () => undefined,
        unduck: () => undefined,
        flush: () => undefined,
      },
      {
        message: (message) => this.take(message),
        closed: () => {
          this.isClosed = true;
          this.wake();
        },
        screen: () => this.hasScreen,
        hooks,
      },
    );
  }

  static async begin(
    address: string,
    assistant: string | undefined,
    { key, hooks, onMessage, onPlayed, ...arrive }: TypedOptions = {},
  ): Promise<TypedTalk> {
    const talk = new TypedTalk(hooks, { onMessage, onPlayed });
    const named = assistant === undefined ? {} : { assistant };
    await talk.end.connect(address, nodeSocket(key), { line: 'web', ...named, ...arrive });
    await talk.until(
      () => talk.isClosed || talk.messages.some(({ kind }) => kind === 'admitted' || kind === 'joined'),
    );
    return talk;
  }

  get conversation(): string {
    return (this.messages.find(({ kind }) => kind === 'admitted') as ServiceMessageOf<'admitted'>)
      .conversation;
  }

  /** How its errands stood last, the newest message of each run. */
  get errands(): ServiceMessageOf<'errand'>[] {
    const told = this.messages.filter((one): one is ServiceMessageOf<'errand'> => one.kind === 'errand');
    return [...new Map(told.map((one) => [one.run, one])).values()];
  }

  /** Types it. @returns the report of the turn: what was heard of the answer stands in it */
  async says(text: string): Promise<Report> {
    const before = this.reports.length;
    this.end.type(text);
    // What was still being said is reported too: a turn is known by its words.
    await this.until(
      () => this.isClosed || this.reports.slice(before).some((report) => report.source === 'typed'),
    );
    const own = this.reports.slice(before).find((report) => report.source === 'typed');
    if (!own) throw new Error('the talk ended before it was answered');
    return own;
  }

  /** Writes a value into the form of the errand that goes on. */
  writes(slot: string, value: string | number | boolean): void {
    this.end.write(slot, value);
  }

  /** Types it and goes on at once. */
  types(text: string): void {
    this.end.type(text);
  }

  /** The talk has ended. */
  get isOver(): boolean {
    return this.isClosed;
  }

  /** Asks for another engine. */
  swaps(role: EngineRole, engine: string): void {
    this.end.send({ kind: 'swap', role, engine });
  }

  /** Asks for another language to be spoken. */
  speaks(tag: string): void {
    this.end.send({ kind: 'language', speaks: tag });
  }

  hush(): void {
    this.end.hush();
  }

  fresh(): void {
    this.end.fresh();
  }

  /** Nothing more is to come: it is the caller's turn, and has been for a moment. */
  async quiet(): Promise<void> {
    const isCallersTurn = () => {
      const state = this.messages.findLast((one) => one.kind === 'state');
      return state?.kind === 'state' && (state.state === 'listening' || state.state === 'resting');
    };
    for (let seen = -1; !this.isClosed && (seen !== this.messages.length || !isCallersTurn());) {
      seen = this.messages.length;
      await new Promise((done) => setTimeout(done, QUIET_MS));
    }
  }

  leave(): void {
    this.end.leave();
  }

  async until(holds: () => boolean): Promise<void> {
    const deadline = Date.now() + PATIENCE_MS;
    while (!holds()) {
      if (Date.now() > deadline)
        throw new Error(`it was waited for in vain; last came ${JSON.stringify(this.messages.slice(-3))}`);
      await new Promise<void>((done) => {
        const timer = setTimeout(done, 500);
        this.waiting.push(() => (clearTimeout(timer), done()));
      });
    }
  }

  private play({ epoch, firstSample, samples, last }: Frame): void {
    const sample = firstSample + samples.length;
    this.told.onPlayed?.(epoch, this.messages.at(-1)?.atMs ?? 0);
    if (last || sample % REPORT_SAMPLES < samples.length)
      this.end.played({ speech: epoch, sample, capture: Math.max(1, this.end.captured) });
  }

  private take(message: ServiceMessage): void {
    this.messages.push(message);
    this.told.onMessage?.(message);
    if (message.kind === 'turn') this.reports.push(message.report);
    this.wake();
  }

  private wake(): void {
    for (const one of this.waiting.splice(0)) one();
  }
}
