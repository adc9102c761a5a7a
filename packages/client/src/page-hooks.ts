/**
 * What whoever has the caller's end takes part in during a talk: it may change, or hold back, what passes
 * from stage to stage, and be the model. The assistant's file must let it (docs/embedding.md).
 */
import {
  MOST_ANSWER_CHARACTERS,
  MOST_PIECE_CHARACTERS,
  type CallerMessage,
  type Part,
  type Passed,
  type ServiceMessage,
  type ServiceMessageOf,
  type StageName,
} from '@verbalon/protocol';

/**
 * Pieces of an answer that come faster than this go together, in ms: a line may not send too many messages.
 */
const PIECES_MS = 25;

type Later<T> = T | Promise<T>;
type Word = NonNullable<Passed['words']>[number];
/** Messages of a talk, oldest first. */
export type Messages = NonNullable<Passed['messages']>;

/** What the chat is asked. */
export interface Question {
  /** What the caller has said. */
  text: string;
  /** All that was said in this talk, and heard of the answers. */
  messages: Messages;
  /** BCP 47, in which to answer. */
  language: string;
  /** The answer is not wanted any more. */
  signal: AbortSignal;
}
/** Whole, or in pieces as they are written. */
export type Answer = string | AsyncIterable<string> | ReadableStream<string>;

export interface PageHooks {
  /** May change what was heard before it counts; null holds it back. Their times come with the words. */
  heard?: (text: string, words: readonly Word[]) => Later<string | null>;
  /** May change what the model is asked. */
  asked?: (messages: Messages) => Later<Messages>;
  /** May change a phrase before it is spoken; null holds it back. */
  spoken?: (text: string) => Later<string | null>;
  /**
   * Is the model: what it gives is spoken while it is written. What it throws says that there is no answer.
   */
  chat?: (question: Question) => Later<Answer>;
}

export class PageEnd {
  readonly parts: Part[];
  private readonly thinking = new Map<number, AbortController>();

  constructor(
    private readonly hooks: PageHooks,
    private readonly send: (message: CallerMessage) => void,
  ) {
    const { heard, asked, spoken, chat } = hooks;
    const taken: Record<Part, unknown> = { heard, asked, spoken, thinking: chat };
    this.parts = (Object.keys(taken) as Part[]).filter((part) => taken[part] !== undefined);
  }

  take(message: ServiceMessage): void {
    if (message.kind === 'pass') void this.pass(message);
    if (message.kind === 'think') void this.think(message);
    if (message.kind === 'dropThought') this.thinking.get(message.thought)?.abort();
  }

  /** The talk is over. */
  end(): void {
    for (const abort of this.thinking.values()) abort.abort();
  }

  private async pass({ call, stage, ...given }: ServiceMessageOf<'pass'>): Promise<void> {
    let passed: Passed = {};
    try {
      passed = await this.passedBy(stage, given);
    } catch (error) {
      // It passes on as it was; the page's developer looks there.
      // eslint-disable-next-line no-console
      console.error(error);
    }
    this.send({ kind: 'passed', call, ...passed });
  }

  private async passedBy(
    stage: StageName,
    { words = [], messages = [], text = '' }: Passed,
  ): Promise<Passed> {
    const { heard, asked, spoken } = this.hooks;
    if (stage === 'asked') return asked ? { messages: await asked(messages) } : {};
    const before = stage === 'heard' ? words.map(({ word }) => word).join(' ') : text;
    const after = stage === 'heard' ? await heard?.(before, words) : await spoken?.(before);
    if (after === undefined || after === before) return {};
    if (after === null) return { veto: true };
    return stage === 'heard' ? { words: inTime(after, words) } : { text: after };
  }

  private async think({ thought, text, messages, language }: ServiceMessageOf<'think'>): Promise<void> {
    const abort = new AbortController();
    this.thinking.set(thought, abort);
    const pieces = new Pieces((piece) => this.send({ kind: 'piece', thought, text: piece }));
    try {
      const answer = await this.hooks.chat?.({ text, messages, language, signal: abort.signal });
      for await (const piece of piecesOf(answer)) {
        if (abort.signal.aborted) return;
        pieces.add(piece);
      }
      pieces.flush();
      this.send({ kind: 'thought', thought });
    } catch (error) {
      const why = error instanceof Error ? error.message : String(error);
      if (!abort.signal.aborted)
        this.send({ kind: 'thought', thought, trouble: why.slice(0, 500) || 'it says nothing' });
    } finally {
      pieces.stop();
      this.thinking.delete(thought);
    }
  }
}

/**
 * Other words in the time of those that were heard: each keeps its own where there are as many, else all
 * share the whole.
 */
function inTime(text: string, heard: readonly Word[]): Word[] {
  const spoken = text.split(/\s+/).filter(Boolean);
  const fromMs = heard[0]?.fromMs ?? 0;
  const eachMs = ((heard.at(-1)?.toMs ?? fromMs) - fromMs) / spoken.length;
  return spoken.map((word, i) =>
    spoken.length === heard.length
      ? { ...heard[i]!, word }
      : { word, fromMs: fromMs + i * eachMs, toMs: fromMs + (i + 1) * eachMs },
  );
}

/** The first piece goes at once, those that follow too soon together. */
class Pieces {
  private waiting = '';
  private characters = 0;
  private timer: ReturnType<typeof setTimeout> | null = null;

  constructor(private readonly send: (text: string) => void) {}

  add(text: string): void {
    this.waiting += text;
    this.characters += text.length;
    if (this.characters > MOST_ANSWER_CHARACTERS)
      throw new Error(`the answer has more than ${MOST_ANSWER_CHARACTERS} characters`);
    if (this.timer === null && this.waiting !== '') this.next();
  }

  flush(): void {
    for (let at = 0; at < this.waiting.length; at += MOST_PIECE_CHARACTERS)
      this.send(this.waiting.slice(at, at + MOST_PIECE_CHARACTERS));
    this.waiting = '';
  }

  stop(): void {
    if (this.timer !== null) clearTimeout(this.timer);
    this.timer = null;
  }

  private next(): void {
    this.flush();
    this.timer = setTimeout(() => {
      this.timer = null;
      if (this.waiting !== '') this.next();
    }, PIECES_MS);
  }
}

async function* piecesOf(answer: Answer | undefined): AsyncIterable<string> {
  if (answer === undefined) return;
  if (typeof answer === 'string') return yield answer;
  if (!(answer instanceof ReadableStream)) return yield* answer;
  // Not every browser can iterate over a stream.
  const reader = answer.getReader();
  for (let next = await reader.read(); !next.done; next = await reader.read()) yield next.value;
}
