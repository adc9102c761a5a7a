/** A language model, or a whole-answer dialogue system, that is described by its card. */
import { withoutCalls, type Entry } from '@verbalon/core';
import type { WiredCard } from '@verbalon/protocol';
import {
  EngineFault,
  type HeardAnswer,
  type LlmEngine,
  type LlmEvent,
  type LlmRequest,
} from '../common/contract.js';
import { CardedEngine } from './carded.js';
import { Reader, type Found } from './reader.js';
import { fill, namesIn, textOf, type Values } from './template.js';

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
    /** Null for what is nothing to whoever asked. */
    const event = (found: Found): LlmEvent | null => {
      if (found.kind === 'end') ended = true;
      if (found.kind === 'closes') return found;
      if (found.kind === 'usage')
        return { kind: 'usage', inputTokens: found.tokensIn ?? 0, outputTokens: found.tokensOut ?? 0 };
      if (found.kind !== 'piece' || found.text === '') return null;
      characters += found.text.length;
      if (characters > MOST_CHARACTERS)
        throw new EngineFault('engine-garbled', `${this.name} does not end its answer`);
      return found;
    };
    try {
      const both = AbortSignal.any([signal, abort.signal]);
      for await (const texts of this.textsOf(request, both)) {
        for (const found of texts.flatMap((text) => reader.read(text))) {
          const one = event(found);
          if (one) yield one;
        }
        if (ended) break;
      }
      if (signal.aborted) return;
      const calls = reader.called();
      if (characters === 0 && calls.length === 0) throw reader.nothing('words');
      if (this.wantsEnd && !ended)
        throw new EngineFault(
          'engine-down',
          `${this.name} closed the connection before its answer was complete`,
        );
      // Only of an answer that is whole: half of what was to be called is not called.
      for (const call of calls) yield { kind: 'call', call };
      this.answered();
    } catch (error) {
      if (!signal.aborted) throw this.told(error);
    } finally {
      abort.abort();
    }
  }

  /** The messages of the answer, those that came together in one list. @throws EngineFault */
  private async *textsOf(request: Omit<LlmRequest, 'signal'>, signal: AbortSignal): AsyncIterable<string[]> {
    for await (const incoming of this.answerTo(this.valuesOf(request), signal)) {
      if ('bytes' in incoming)
        throw new EngineFault('engine-garbled', `${this.name} sent bytes where its card says text`);
      yield incoming.texts;
    }
  }

  /** Its card says how an answer ends. */
  private get wantsEnd(): boolean {
    const { read, endMark } = this.options.card.receive;
    return (read ?? []).some((rule) => rule.end) || endMark !== undefined;
  }

  /** Where the card says how: a second request. @throws EngineFault */
  async heard(answer: HeardAnswer): Promise<void> {
    const { heard } = this.options.card.send;
    if (!heard) return;
    const values = { ...answer, request: `${answer.talk}-${answer.turn}` };
    try {
      await this.tell(heard.path, (known) => textOf(fill(heard.message, known)), values);
    } catch (error) {
      throw this.told(error);
    }
  }

  /**
   * Its card says where functions go, or how it calls them: then it also sees what was called, and what came
   * of it.
   */
  private get knowsCalls(): boolean {
    const { send, receive } = this.options.card;
    return namesIn(send).includes('functions') || (receive.read ?? []).some(({ call }) => call !== undefined);
  }

  private valuesOf(request: Omit<LlmRequest, 'signal'>): Values {
    const {
      persona,
      talk,
      language,
      answerLength,
      functions = [],
      turn,
      attempt,
      certain = true,
      caller,
    } = request;
    const { send } = this.options.card;
    const said = this.knowsCalls ? request.messages : withoutCalls(request.messages);
    const messages = entriesFor(persona, said, send.roles);
    const last = request.messages.findLast(({ role }) => role === 'caller')?.text ?? '';
    return {
      persona,
      talk,
      language,
      answerLength,
      messages,
      last,
      turn,
      attempt,
      certain,
      caller,
      // Made again for the same turn, it is the same request.
      request: turn === undefined ? talk : `${talk}-${turn}`,
      functions: functions.length === 0 ? undefined : functions,
    };
  }
}

/**
 * The messages with the engine's own names of the sides, and what stands in templates for calls and what they
 * gave.
 */
function entriesFor(
  persona: string,
  messages: readonly Entry[],
  roles: ThinkingCard['send']['roles'],
): Values[] {
  const { caller = 'caller', assistant = 'assistant', result = 'result' } = roles ?? {};
  const first = roles?.persona === undefined ? [] : [{ role: roles.persona, text: persona }];
  const value = (entry: Entry): Values => {
    if (entry.role === 'caller') return { role: caller, text: entry.text };
    if (entry.role === 'result')
      return { role: result, text: entry.text, call: entry.call, name: entry.name };
    if (!entry.calls) return { role: assistant, text: entry.text };
    const calls = entry.calls.map((call) => ({ ...call, argumentsText: JSON.stringify(call.arguments) }));
    return { role: assistant, text: entry.text === '' ? undefined : entry.text, calls };
  };
  return [...first, ...messages.map(value)];
}
