/** The thoughts of a talk. */
import { acts, type Entry, type OrderOf, type TurnReport, type Waste } from '@verbalon/core';
import { troubleOf, type TalkContext } from './context.js';

/** Of an engine that does not count its tokens: so many for a word, about. */
const TOKENS_A_WORD = 1.3;

/** What a thought that is dropped was spent on. */
const WASTE = {
  answer: 'cancelled',
  relief: 'cancelled',
  speculative: 'head start',
  hedge: 'second engine',
} as const satisfies Record<OrderOf<'think'>['purpose'], Waste>;

export class Thoughts {
  /** Engines that act, by the turn for which they were asked. */
  private readonly asked = new Map<number, string>();
  private readonly running = new Map<number, { abort: AbortController; waste: Waste }>();

  constructor(private readonly talk: TalkContext) {}

  async think(order: OrderOf<'think'>): Promise<void> {
    const { thought, turn, attempt, engine, alone, persona, answerLength, language, purpose, functions } =
      order;
    const { talk } = this;
    const abort = new AbortController();
    const waste = WASTE[purpose];
    this.running.set(thought, { abort, waste });
    if (acts(talk.plan, engine)) this.asked.set(turn, engine);
    const used = { in: null as number | null, out: null as number | null, words: 0 };
    let closes: 'end' | 'hand over' | undefined;
    let failed = false;
    /** It was given to the engine: what is cancelled before that costs nothing. */
    let asked = false;
    let messages = order.messages;
    try {
      messages = await talk.stages.asked(messages);
      if (abort.signal.aborted) return;
      asked = true;
      const { stay } = talk;
      const request = {
        persona,
        messages,
        answerLength,
        language,
        ...(functions ? { functions } : {}),
        talk: talk.id,
        turn,
        attempt,
        certain: purpose !== 'speculative',
        ...(talk.caller ? { caller: talk.caller } : {}),
        alone,
        stay,
        signal: abort.signal,
      };
      for await (const event of talk.engines.of('llm', engine).think(request)) {
        if (abort.signal.aborted) break;
        if (event.kind === 'piece') {
          used.words += event.text.split(/\s+/).filter(Boolean).length;
          talk.happen({ kind: 'piece', thought, text: event.text });
        } else if (event.kind === 'usage') [used.in, used.out] = [event.inputTokens, event.outputTokens];
        else if (event.kind === 'late') talk.happen({ kind: 'thoughtLate', thought });
        else if (event.kind === 'call') talk.happen({ kind: 'called', thought, call: event.call });
        else closes = event.how;
      }
      if (!abort.signal.aborted) talk.happen({ kind: 'thoughtDone', thought, ...(closes ? { closes } : {}) });
    } catch (error) {
      failed = true;
      if (!abort.signal.aborted)
        talk.happen({ kind: 'thoughtTrouble', thought, ...troubleOf(error, talk.log) });
    } finally {
      this.running.delete(thought);
      if (asked) this.book(order, messages, used, abort.signal.aborted ? waste : failed ? 'failed' : null);
    }
  }

  private book(
    { engine, persona }: OrderOf<'think'>,
    messages: readonly Entry[],
    used: { in: number | null; out: number | null; words: number },
    waste: Waste | null,
  ): void {
    const read = [persona, ...messages.map(({ text }) => text)].join(' ').split(/\s+/).length;
    const tokensIn = used.in ?? Math.round(read * TOKENS_A_WORD);
    const tokensOut = used.out ?? Math.round(used.words * TOKENS_A_WORD);
    this.talk.spending.add('llm', engine, { tokensIn, tokensOut, requests: 1 }, waste);
  }

  /** An engine that wants to know is told what was heard of its answer. */
  heard({ turn, heard, interrupted }: TurnReport): void {
    const { talk } = this;
    const engine = this.asked.get(turn);
    this.asked.delete(turn);
    if (engine === undefined) return;
    const answer = { talk: talk.id, turn, text: heard, whole: interrupted === null };
    const told = talk.engines.of('llm', engine).heard?.(answer);
    told?.catch((error: unknown) =>
      talk.log.warn({ engine, error: String(error) }, 'it could not be told what was heard'),
    );
  }

  drop(thought: number): void {
    const running = this.running.get(thought);
    this.running.delete(thought);
    running?.abort.abort();
  }

  end(): void {
    for (const thought of [...this.running.keys()]) this.drop(thought);
  }
}
