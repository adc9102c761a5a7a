/**
 * What the caller's own page takes part in during a talk: it may change what passes from stage to stage, and
 * be the model. It is asked over the talk's line, and never waited for longer than a stage or an engine is.
 */
import { EngineFault, EventQueue, type LlmEvent, type LlmRequest } from '@verbalon/engines';
import {
  MOST_ANSWER_CHARACTERS,
  type CallerMessageOf,
  type Part,
  type Passed,
  type StageName,
} from '@verbalon/protocol';
import type { Untimed } from '../session/told.js';

interface Answering {
  events: EventQueue<LlmEvent>;
  characters: number;
}

export class CallerPage {
  private readonly parts: ReadonlySet<Part>;
  private readonly waiting = new Map<number, (passed: Passed | null) => void>();
  private readonly answering = new Map<number, Answering>();
  private count = 0;

  constructor(
    parts: readonly Part[],
    private readonly send: (message: Untimed) => void,
  ) {
    this.parts = new Set(parts);
  }

  takesPart(part: Part): boolean {
    return this.parts.has(part);
  }

  /** What the page makes of it; null where it takes no part in this stage. @throws Error when it is late */
  pass(stage: StageName, passed: Passed, deadlineMs: number): Promise<Passed | null> {
    if (!this.takesPart(stage)) return Promise.resolve(null);
    const call = ++this.count;
    return new Promise((resolve, reject) => {
      const over = () => {
        clearTimeout(timer);
        this.waiting.delete(call);
      };
      const timer = setTimeout(
        () => (over(), reject(new Error(`the page gave nothing back in ${deadlineMs} ms`))),
        deadlineMs,
      );
      this.waiting.set(call, (given) => (over(), resolve(given)));
      this.send({ kind: 'pass', call, stage, ...passed });
    });
  }

  /** What the page says. */
  take(message: CallerMessageOf<'passed' | 'piece' | 'thought'>): void {
    if (message.kind === 'passed') this.passedOn(message);
    else if (message.kind === 'piece') this.piece(message);
    else this.thought(message);
  }

  private passedOn({ call, ...passed }: CallerMessageOf<'passed'>): void {
    this.waiting.get(call)?.(passed);
  }

  /** The page's answer. @throws EngineFault where it has none */
  async *think({ turn = 0, messages, language, signal }: LlmRequest): AsyncIterable<LlmEvent> {
    const thought = ++this.count;
    const answering = { events: new EventQueue<LlmEvent>(), characters: 0 };
    const stop = () => answering.events.end();
    this.answering.set(thought, answering);
    signal.addEventListener('abort', stop, { once: true });
    try {
      const said = messages.map(({ role, text }) => ({ role, text }));
      this.send({ kind: 'think', thought, turn, text: said.at(-1)?.text ?? '', messages: said, language });
      yield* answering.events;
    } finally {
      signal.removeEventListener('abort', stop);
      if (this.answering.delete(thought)) this.send({ kind: 'dropThought', thought });
    }
  }

  /** What comes of an answer that is not wanted any more goes nowhere. */
  private piece({ thought, text }: CallerMessageOf<'piece'>): void {
    const answering = this.answering.get(thought);
    if (!answering) return;
    answering.characters += text.length;
    if (answering.characters <= MOST_ANSWER_CHARACTERS) answering.events.push({ kind: 'piece', text });
    else
      answering.events.fail(
        new EngineFault(
          'engine-garbled',
          `the page’s answer has more than ${MOST_ANSWER_CHARACTERS} characters`,
        ),
      );
  }

  private thought({ thought, trouble }: CallerMessageOf<'thought'>): void {
    const answering = this.answering.get(thought);
    this.answering.delete(thought);
    if (trouble === undefined) answering?.events.end();
    else answering?.events.fail(new EngineFault('engine-down', `the page has no answer: ${trouble}`));
  }

  /** The talk is over: nobody is waited for. */
  end(): void {
    for (const give of [...this.waiting.values()]) give(null);
    for (const { events } of this.answering.values()) events.end();
    this.answering.clear();
  }
}
