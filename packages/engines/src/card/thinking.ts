/** A language model, or a whole-answer dialogue system, that is described by its card. */
import type { Entry } from '@verbalon/core';
import type { WiredCard } from '@verbalon/protocol';
import { EngineFault, type LlmEngine, type LlmEvent, type LlmRequest } from '../contract.js';
import { CardedEngine } from './carded.js';
import type { Exchange } from './exchange.js';
import { Reader } from './reader.js';

type ThinkingCard = Extract<WiredCard, { role: 'llm' }>;

/** No answer to a caller is longer. */
const MOST_CHARACTERS = 50_000;

export class CardedThinking extends CardedEngine<ThinkingCard> implements LlmEngine {
  readonly role = 'llm';

  async *think({ signal, ...request }: LlmRequest): AsyncIterable<LlmEvent> {
    const { receive } = this.options.card;
    const abort = new AbortController();
    const reader = new Reader(this.name, receive, this.hide);
    let characters = 0;
    let ended = false;
    try {
      const exchange = this.ask(request, AbortSignal.any([signal, abort.signal]));
      for await (const incoming of exchange.incoming) {
        if ('bytes' in incoming)
          throw new EngineFault('engine-garbled', `${this.name} sent bytes where its card says text`);
        for (const text of incoming.texts)
          for (const found of reader.read(text)) {
            if (found.kind === 'end') ended = true;
            else if (found.kind === 'usage')
              yield { kind: 'usage', piecesIn: found.tokensIn ?? 0, piecesOut: found.tokensOut ?? 0 };
            else if (found.kind === 'closes') yield found;
            else if (found.kind === 'piece') {
              characters += found.text.length;
              if (characters > MOST_CHARACTERS)
                throw new EngineFault('engine-garbled', `${this.name} does not end its answer`);
              yield found;
            }
          }
        if (ended) break;
      }
      if (signal.aborted) return;
      if (characters === 0) throw reader.nothing('words');
      const wantsEnd = (receive.read ?? []).some((rule) => rule.end) || receive.endMark !== undefined;
      if (wantsEnd && !ended)
        throw new EngineFault(
          'engine-down',
          `${this.name} closed the connection before its answer was complete`,
        );
      this.answered();
    } catch (error) {
      if (!signal.aborted) throw this.told(error);
    } finally {
      abort.abort();
    }
  }

  private ask(request: Omit<LlmRequest, 'signal'>, signal: AbortSignal): Exchange {
    const messages = named(request.persona, request.messages, this.options.card.send.roles);
    const last = request.messages.findLast(({ role }) => role === 'caller')?.text ?? '';
    const { persona, talk, language, answers } = request;
    const values = this.values({ persona, talk, language, answers, messages, last });
    const exchange = this.exchange(values, signal);
    this.openWith(exchange, values);
    exchange.finish();
    return exchange;
  }
}

/** The messages with the engine's own names of the sides. */
function named(persona: string, messages: readonly Entry[], roles: ThinkingCard['send']['roles']) {
  const { caller = 'caller', assistant = 'assistant' } = roles ?? {};
  const first = roles?.persona === undefined ? [] : [{ role: roles.persona, text: persona }];
  return [
    ...first,
    ...messages.map(({ role, text }) => ({ role: role === 'caller' ? caller : assistant, text })),
  ];
}
