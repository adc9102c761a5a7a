/** One request to an engine and its answer, over whatever its card names. */
import { StringDecoder } from 'node:string_decoder';
import { createParser } from 'eventsource-parser';
import { EngineFault } from '../common/contract.js';
import type { Hide } from './secrecy.js';

export type Incoming = { texts: string[] } | { bytes: Buffer };

export interface Exchange {
  send(data: string | Buffer): void;
  /** Nothing more will be sent. */
  finish(): void;
  /** All of the answer has come: what follows on a connection that is kept is another one's. */
  done?(): void;
  /** Ends with the answer; throws EngineFault. */
  readonly incoming: AsyncIterable<Incoming>;
}

/** What one message, or all of an answer that is read as a whole, may have, in bytes. */
export const MOST_MESSAGE_BYTES = 8_000_000;
export const MOST_ANSWER_BYTES = 40_000_000;

/** Takes text as it comes, and gives what of it is whole. */
interface Cutter {
  take(text: string): string[];
  /** Nothing more comes. */
  end(): string[];
}

class Lines implements Cutter {
  private rest = '';

  constructor(private readonly name: string) {}

  take(text: string): string[] {
    this.rest += text;
    if (this.rest.length > MOST_MESSAGE_BYTES) throw tooMuch(this.name, this.rest.length);
    // Only what is new is searched: a line of megabytes comes in many chunks.
    if (!text.includes('\n')) return [];
    const lines = this.rest.split('\n');
    this.rest = lines.pop()!;
    return lines;
  }

  end(): string[] {
    return [this.rest];
  }
}

/** Everything is one text. */
class Whole implements Cutter {
  private all = '';

  constructor(private readonly name: string) {}

  take(text: string): string[] {
    this.all += text;
    if (this.all.length > MOST_MESSAGE_BYTES) throw tooMuch(this.name, this.all.length);
    return [];
  }

  end(): string[] {
    return [this.all];
  }
}

/** Of server-sent events only the data matter. */
class Events implements Cutter {
  private readonly found: string[] = [];
  /** Since the last event that was whole. */
  private length = 0;
  private readonly parser = createParser({
    onEvent: ({ data }) => {
      this.found.push(data);
      this.length = 0;
    },
  });

  constructor(private readonly name: string) {}

  take(text: string): string[] {
    this.length += text.length;
    this.parser.feed(text);
    if (this.length > MOST_MESSAGE_BYTES) throw tooMuch(this.name, this.length);
    return this.found.splice(0);
  }

  /** The last one counts, also where the empty line behind it is missing. */
  end(): string[] {
    return this.take('\n\n');
  }
}

const CUTTERS = { lines: Lines, events: Events, whole: Whole };

/** Bytes as they come, cut into what the card says they are. Messages that came together stay together. */
export async function* cutInto(
  form: keyof typeof CUTTERS | 'sound',
  name: string,
  chunks: AsyncIterable<Buffer>,
): AsyncIterable<Incoming> {
  const decoder = new StringDecoder('utf8');
  const cutter = form === 'sound' ? null : new CUTTERS[form](name);
  let all = 0;
  for await (const chunk of chunks) {
    all += chunk.length;
    if (all > MOST_ANSWER_BYTES) throw tooMuch(name, all);
    if (cutter) yield* given(cutter.take(decoder.write(chunk)));
    else yield { bytes: chunk };
  }
  if (cutter) yield* given([...cutter.take(decoder.end()), ...cutter.end()]);
}

function* given(texts: readonly string[]): Iterable<Incoming> {
  const filled = texts.filter((text) => text.trim() !== '');
  if (filled.length > 0) yield { texts: filled };
}

export function tooMuch(name: string, bytes: number): EngineFault {
  return new EngineFault('engine-garbled', `${name} sent ${bytes} bytes at once: more than any answer has`);
}

/** So much of a refusal is read, in bytes, and so much of that is shown, in characters. */
export const MOST_REFUSAL_BYTES = 4_000;
const SHOWN = 160;
/** The engine looked at the request and did not like it: that tells nothing of how well the engine is. */
const OF_THE_REQUEST = new Set([400, 413, 414, 415, 422]);

/** What the numbers of HTTP mean for an engine. */
export function refusedWith(
  name: string,
  status: number,
  body: string,
  hide: Hide,
  retryAfter?: string,
): EngineFault {
  const shown = hide(body.trim()).slice(0, SHOWN);
  const said = shown === '' ? '' : `: ${shown}`;
  if (status === 401 || status === 403)
    return new EngineFault('engine-key-wrong', `${name} answers ${status}${said}`);
  if (status === 429) {
    const when = retryAfter ? `; it wants ${retryAfter} s of peace` : '';
    return new EngineFault(
      'engine-busy',
      `${name} answers 429${when}${said}`,
      Number(retryAfter) * 1000 || null,
    );
  }
  if (status >= 500) return new EngineFault('engine-down', `${name} answers ${status}${said}`);
  const fault = new EngineFault('engine-refused', `${name} answers ${status}${said}`);
  fault.isOfRequest = OF_THE_REQUEST.has(status);
  return fault;
}

/** What went wrong with a connection, in words. */
export function reasonOf(error: unknown): string {
  const { code, message } = (error ?? {}) as { code?: string; message?: string };
  if (code === 'ECONNREFUSED') return 'nothing listens there';
  if (code === 'ENOTFOUND' || code === 'EAI_AGAIN') return 'no such host is known';
  if (code === 'ECONNRESET' || code === 'EPIPE') return 'it cut the connection';
  return message ?? code ?? String(error);
}
