/** Says back what was heard: for trying ears and voice without a model. */
import type { LlmEngine, LlmEvent, LlmRequest, Readiness } from '../contract.js';

export class EchoEngine implements LlmEngine {
  readonly role = 'llm';
  readonly where = 'on-machine';

  constructor(
    readonly name: string,
    readonly title: string,
    readonly languages: readonly string[],
  ) {}

  readiness(): Readiness {
    return { state: 'ready' };
  }

  warm(): Promise<void> {
    return Promise.resolve();
  }

  close(): Promise<void> {
    return Promise.resolve();
  }

  async *think({ messages }: LlmRequest): AsyncIterable<LlmEvent> {
    yield { kind: 'piece', text: messages.at(-1)?.text ?? '' };
    yield await Promise.resolve({ kind: 'usage' as const, inputTokens: 0, outputTokens: 0 });
  }
}
