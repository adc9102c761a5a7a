/** Says back what was heard: for trying ears and voice without a model. */
import type { LlmEngine, LlmEvent, LlmRequest } from '../common/contract.js';
import { AlwaysReady } from '../common/always-ready.js';

export class EchoEngine extends AlwaysReady implements LlmEngine {
  readonly role = 'llm';
  readonly where = 'on-machine';

  constructor(
    readonly name: string,
    readonly title: string,
    readonly languages: readonly string[],
  ) {
    super();
  }

  async *think({ messages }: LlmRequest): AsyncIterable<LlmEvent> {
    yield { kind: 'piece', text: messages.at(-1)?.text ?? '' };
    yield await Promise.resolve({ kind: 'usage' as const, inputTokens: 0, outputTokens: 0 });
  }
}
