/**
 * A language model's place taken by answers that a developer wrote; where the file says so, a model is asked.
 */
import type { AnswerBook } from '@verbalon/core';
import {
  EngineFault,
  type LlmEngine,
  type LlmEvent,
  type LlmRequest,
  type Readiness,
} from '../common/contract.js';

export interface AnswersOptions {
  name: string;
  title: string;
  languages: readonly string[];
  seed: number;
  /** Asked anew each time: the file may have changed. It throws where there is none that can be used. */
  book: () => AnswerBook;
  /** The engine that is asked where the file says "pass". */
  passTo: (() => LlmEngine) | null;
}

export class AnswersEngine implements LlmEngine {
  readonly role = 'llm';
  readonly name: string;
  readonly title: string;
  readonly languages: readonly string[];

  constructor(private readonly options: AnswersOptions) {
    this.name = options.name;
    this.title = options.title;
    this.languages = options.languages;
  }

  /** Words that may be passed on go where they are passed to. */
  get where(): 'on-machine' | 'cloud' {
    return this.options.passTo?.().where ?? 'on-machine';
  }

  readiness(): Readiness {
    try {
      this.book();
      return this.options.passTo?.().readiness() ?? { state: 'ready' };
    } catch (error) {
      return { state: 'down', why: (error as Error).message };
    }
  }

  async warm(): Promise<void> {
    this.book();
    await this.options.passTo?.().warm();
  }

  private book(): AnswerBook {
    try {
      return this.options.book();
    } catch (error) {
      throw new EngineFault('engine-down', (error as Error).message);
    }
  }

  close(): Promise<void> {
    return Promise.resolve();
  }

  async *think(request: LlmRequest): AsyncIterable<LlmEvent> {
    const { seed, passTo } = this.options;
    const outcome = this.book().answer(request.messages, seed + hash(request.talk));
    if (outcome.kind === 'say') {
      yield { kind: 'piece', text: outcome.text };
      return yield { kind: 'usage', inputTokens: 0, outputTokens: 0 };
    }
    // Such a file is refused when it is read; but the file may be newer than the card that this engine was
    // opened with.
    if (!passTo)
      throw new EngineFault(
        'engine-down',
        `its answers pass on, and the card ${this.name} names no engine to pass to`,
      );
    yield* passTo().think(request);
  }
}

/** Spreads conversations over the replies; FNV-1a, 32 bits. */
function hash(text: string): number {
  let value = 0x811c9dc5;
  for (const letter of text) value = Math.imul(value ^ letter.codePointAt(0)!, 0x01000193) >>> 0;
  return value % 100_000;
}
