/** An exchange over HTTP: the body may still be sent while the answer comes. */
import { request as overHttp, Agent, type ClientRequest, type IncomingMessage } from 'node:http';
import { request as overHttps, Agent as SecureAgent } from 'node:https';
import { EngineFault } from '../common/contract.js';
import {
  cutInto,
  MOST_ANSWER_BYTES,
  MOST_REFUSAL_BYTES,
  reasonOf,
  refusedWith,
  type Exchange,
  type Incoming,
} from './exchange.js';
import type { Hide } from './secrecy.js';

/** Connections are kept: a caller does not wait for another handshake. */
const agents = { 'http:': new Agent({ keepAlive: true }), 'https:': new SecureAgent({ keepAlive: true }) };

/**
 * What is left of an answer after its end mark must come within this time, or the connection is not kept, in
 * ms.
 */
const REST_MS = 200;

export interface HttpCall {
  name: string;
  method: string;
  url: URL;
  headers: Record<string, string>;
  form: 'lines' | 'events' | 'whole' | 'sound';
  /** The body goes out as it comes; else when it is whole, with its length, as small servers want it. */
  streamed: boolean;
  hide: Hide;
  signal: AbortSignal;
}

export function overHttpExchange(call: HttpCall): Exchange {
  const { name, method, url, headers, form, streamed, hide, signal } = call;
  const open = url.protocol === 'https:' ? overHttps : overHttp;
  /** Null where none could be made: a header that cannot be sent. */
  let outgoing: ClientRequest | null = null;
  /** What was sent, until the answer begins. */
  let sent: (string | Buffer)[] | null = [];
  let finished = false;
  const destroy = () => outgoing?.destroy();
  signal.addEventListener('abort', destroy, { once: true });
  let send = (): void => undefined;
  const answered = new Promise<IncomingMessage>((resolve, reject) => {
    const begin = (agent: Agent | SecureAgent | false): void => {
      const length = (sent ?? []).reduce((sum, data) => sum + Buffer.byteLength(data), 0);
      const sized = streamed || length === 0 ? {} : { 'content-length': length };
      const one = open(url, { method, headers: { ...headers, ...sized }, agent });
      outgoing = one;
      one.once('response', (answer) => {
        sent = null;
        resolve(answer);
      });
      one.on('error', (error) => {
        if (one !== outgoing) return;
        // The engine has closed the connection that was kept: that tells nothing of the engine.
        if (one.reusedSocket && sent && !signal.aborted) return begin(false);
        reject(new EngineFault('engine-down', `${name} at ${url.host}: ${reasonOf(error)}`));
      });
      if (streamed) one.flushHeaders();
      for (const data of sent ?? []) one.write(data);
      if (finished) one.end();
    };
    send = () => begin(agents[url.protocol as keyof typeof agents]);
    if (streamed) send();
  });
  answered.catch(() => undefined);
  return {
    send: (data) => {
      sent?.push(data);
      if (outgoing?.writable) outgoing.write(data);
    },
    finish: () => {
      finished = true;
      if (outgoing) outgoing.end();
      else if (!signal.aborted) send();
    },
    incoming: read(),
  };

  async function* read(): AsyncIterable<Incoming> {
    let sound = false;
    try {
      const answer = await answered;
      const status = answer.statusCode ?? 0;
      if (status < 200 || status > 299)
        throw refusedWith(name, status, await textOf(answer), hide, answer.headers['retry-after']);
      sound = true;
      yield* cutInto(form, name, chunksOf(answer));
    } catch (error) {
      if (error instanceof EngineFault || signal.aborted) throw error;
      throw new EngineFault(
        'engine-down',
        `${name}: ${sound ? 'its answer broke off: ' : ''}${reasonOf(error)}`,
      );
    } finally {
      signal.removeEventListener('abort', destroy);
      const timer = setTimeout(destroy, REST_MS);
      outgoing?.once('close', () => clearTimeout(timer));
      timer.unref();
    }
  }
}

async function* chunksOf(answer: IncomingMessage): AsyncIterable<Buffer> {
  try {
    for await (const chunk of answer.iterator({ destroyOnReturn: false })) yield chunk as Buffer;
  } finally {
    // Whoever has met the end mark reads no further; the connection is kept only if all of the answer is
    // read.
    answer.resume();
  }
  // A body that was cut in the middle ends like a whole one.
  if (!answer.complete) throw Object.assign(new Error('cut'), { code: 'ECONNRESET' });
}

async function textOf(answer: IncomingMessage): Promise<string> {
  const chunks: Buffer[] = [];
  let bytes = 0;
  for await (const chunk of answer as AsyncIterable<Buffer>) {
    if (bytes < MOST_REFUSAL_BYTES) chunks.push(chunk);
    bytes += chunk.length;
    if (bytes > MOST_ANSWER_BYTES) break;
  }
  return Buffer.concat(chunks).subarray(0, MOST_REFUSAL_BYTES).toString('utf8');
}
