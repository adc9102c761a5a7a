/** A talk of typed turns, one after the other, without a loudspeaker: the line "plays" every sound at once. For tests and benches. */
import { CallerEnd } from './caller-end.js';
import { HOUSE_RATE_HZ } from '@verbalon/core';
import type { Frame, ServiceMessage, ServiceMessageOf } from '@verbalon/protocol';
import type { Arrive } from './line.js';
import type { PageHooks } from './page-hooks.js';
import { nodeSocket } from './node-socket.js';

const PATIENCE_MS = 30_000;
/** Playing is reported so often, in samples. */
const REPORT_SAMPLES = HOUSE_RATE_HZ / 5;
type Report = ServiceMessageOf<'turn'>['report'];

export class TypedTalk {
  readonly messages: ServiceMessage[] = [];
  /** Whatever is to be opened, shown or filled is. */
  hasScreen = false;
  private readonly reports: Report[] = [];
  private waiting: (() => void)[] = [];
  private readonly end: CallerEnd;

  private constructor(hooks: PageHooks | undefined) {
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
        closed: () => this.wake(),
        screen: () => this.hasScreen,
        hooks,
      },
    );
  }

  static async begin(
    address: string,
    assistant: string,
    { key, hooks, ...arrive }: Pick<Arrive, 'caller' | 'pass'> & { key?: string; hooks?: PageHooks } = {},
  ): Promise<TypedTalk> {
    const talk = new TypedTalk(hooks);
    await talk.end.connect(address, nodeSocket(key), { line: 'web', assistant, ...arrive });
    await talk.until(() => talk.messages.some(({ kind }) => kind === 'admitted'));
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
    await this.until(() => this.reports.slice(before).some((report) => report.source === 'typed'));
    return this.reports.slice(before).find((report) => report.source === 'typed')!;
  }

  /** Writes a value into the form of the errand that goes on. */
  writes(slot: string, value: string | number | boolean): void {
    this.end.write(slot, value);
  }

  /** Types it and goes on at once. */
  types(text: string): void {
    this.end.type(text);
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
    if (last || sample % REPORT_SAMPLES < samples.length)
      this.end.played({ speech: epoch, sample, capture: Math.max(1, this.end.captured) });
  }

  private take(message: ServiceMessage): void {
    this.messages.push(message);
    if (message.kind === 'turn') this.reports.push(message.report);
    this.wake();
  }

  private wake(): void {
    for (const one of this.waiting.splice(0)) one();
  }
}
