/**
 * Written by hand, to compare what a card does with it:
 * A language model behind our own small streaming protocol (docs/stand-in-llm.md): one POST, answered by a
 * body of newline-delimited JSON. Closing the request cancels it.
 */
import {
  EngineFault,
  type LlmEngine,
  type LlmEvent,
  type LlmRequest,
  type Readiness,
} from '@verbalon/engines';

/** Between checks whether an engine that was down has come back, in ms. */
const LOOK_AGAIN_MS = 2_000;

export interface LinesOptions {
  name: string;
  title: string;
  where: 'on-machine' | 'cloud';
  languages: readonly string[];
  address: string;
  patienceMs: number;
}

type Line = { say: string } | { finished: { read: number; wrote: number } } | { trouble: string };

export class LinesEngine implements LlmEngine {
  readonly role = 'llm';
  readonly name: string;
  readonly title: string;
  readonly where: 'on-machine' | 'cloud';
  readonly languages: readonly string[];
  private state: Readiness = { state: 'loading' };
  private readonly watch: NodeJS.Timeout;

  constructor(private readonly options: LinesOptions) {
    this.name = options.name;
    this.title = options.title;
    this.where = options.where;
    this.languages = options.languages;
    this.watch = setInterval(() => void this.warm().catch(() => undefined), LOOK_AGAIN_MS);
    this.watch.unref();
  }

  readiness(): Readiness {
    return this.state;
  }

  private url(what: string): URL {
    return new URL(what, `${this.options.address.replace(/\/$/, '')}/`);
  }

  async warm(): Promise<void> {
    try {
      const answer = await fetch(this.url('health'), {
        signal: AbortSignal.timeout(this.options.patienceMs),
      });
      if (!answer.ok) throw new Error(`it answers ${answer.status}`);
      this.state = { state: 'ready' };
    } catch (error) {
      this.state = { state: 'down', why: `${this.options.address}: ${reasonOf(error)}` };
      throw new EngineFault('engine-down', this.state.why);
    }
  }

  close(): Promise<void> {
    clearInterval(this.watch);
    return Promise.resolve();
  }

  async *think(request: LlmRequest): AsyncIterable<LlmEvent> {
    const { signal, messages, ...rest } = request;
    const talkSoFar = messages.map(({ role, text }) => ({ by: role, words: text }));
    const silence = new AbortController();
    const both = AbortSignal.any([signal, silence.signal]);
    const { patienceMs } = this.options;
    let timer = setTimeout(() => silence.abort(), patienceMs);
    try {
      const answer = await fetch(this.url('think'), {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ ...rest, talkSoFar }),
        signal: both,
      });
      if (!answer.ok || !answer.body)
        throw new EngineFault('engine-refused', `${this.name} answers ${answer.status}`);
      for await (const line of linesOf(answer.body)) {
        clearTimeout(timer);
        timer = setTimeout(() => silence.abort(), patienceMs);
        if ('say' in line) yield { kind: 'piece', text: line.say };
        else if ('trouble' in line) throw new EngineFault('engine-refused', `${this.name}: ${line.trouble}`);
        else
          return yield { kind: 'usage', inputTokens: line.finished.read, outputTokens: line.finished.wrote };
      }
      throw new EngineFault(
        'engine-down',
        `${this.name} closed the connection before its answer was complete`,
      );
    } catch (error) {
      if (signal.aborted) return;
      if (error instanceof EngineFault) throw error;
      if (silence.signal.aborted)
        throw new EngineFault('engine-late', `${this.name} was silent for ${patienceMs} ms`);
      this.state = { state: 'down', why: `${this.options.address}: ${reasonOf(error)}` };
      throw new EngineFault('engine-down', this.state.why);
    } finally {
      clearTimeout(timer);
    }
  }
}

async function* linesOf(body: ReadableStream<Uint8Array>): AsyncIterable<Line> {
  const decoder = new TextDecoder();
  let rest = '';
  for await (const bytes of body) {
    const lines = (rest + decoder.decode(bytes, { stream: true })).split('\n');
    rest = lines.pop() ?? '';
    for (const line of lines) if (line.trim() !== '') yield readLine(line);
  }
}

function readLine(text: string): Line {
  try {
    const line = JSON.parse(text) as Partial<Record<'say' | 'trouble' | 'finished', unknown>>;
    if (typeof line.say === 'string' || typeof line.trouble === 'string' || line.finished !== undefined)
      return line as Line;
  } catch {
    // Told below, together with JSON of another shape.
  }
  throw new EngineFault('engine-garbled', `this line is not part of the protocol: ${text.slice(0, 80)}`);
}

/**
 * Written by hand, to compare what a card does with it: Node's fetch hides what went wrong in `cause`. */
function reasonOf(error: unknown): string {
  const cause = error instanceof Error ? (error.cause as { code?: string } | undefined) : undefined;
  if (cause?.code === 'ECONNREFUSED') return 'nothing listens there';
  return cause?.code ?? (error instanceof Error ? error.message : String(error));
}
