/** An exchange over HTTP: the body may still be sent while the answer comes. */
import { request as overHttp, Agent, type IncomingMessage } from 'node:http';
import { request as overHttps, Agent as SecureAgent } from 'node:https';
import { EngineFault } from '../contract.js';
import { cutInto, reasonOf, refusedWith, type Exchange, type Incoming } from './exchange.js';

/** Connections are kept: a caller does not wait for another handshake. */
const agents = { 'http:': new Agent({ keepAlive: true }), 'https:': new SecureAgent({ keepAlive: true }) };

export interface HttpCall {
  name: string;
  method: string;
  url: URL;
  headers: Record<string, string>;
  form: 'lines' | 'events' | 'whole' | 'sound';
  signal: AbortSignal;
}

export function overHttpExchange({ name, method, url, headers, form, signal }: HttpCall): Exchange {
  const open = url.protocol === 'https:' ? overHttps : overHttp;
  const agent = agents[url.protocol as keyof typeof agents];
  const outgoing = open(url, { method, headers, agent });
  const destroy = () => outgoing.destroy();
  signal.addEventListener('abort', destroy, { once: true });
  const answered = new Promise<IncomingMessage>((resolve, reject) => {
    outgoing.once('response', resolve);
    outgoing.once('error', (error) =>
      reject(new EngineFault('engine-down', `${name} at ${url.host}: ${reasonOf(error)}`)),
    );
  });
  answered.catch(() => undefined);
  outgoing.flushHeaders();
  return {
    send: (data) => void (outgoing.writable && outgoing.write(data)),
    finish: () => void outgoing.end(),
    incoming: read(),
  };

  async function* read(): AsyncIterable<Incoming> {
    let sound = false;
    try {
      const answer = await answered;
      const status = answer.statusCode ?? 0;
      if (status < 200 || status > 299)
        throw refusedWith(name, status, await textOf(answer), answer.headers['retry-after']);
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
    }
  }
}

async function* chunksOf(answer: IncomingMessage): AsyncIterable<Buffer> {
  for await (const chunk of answer as AsyncIterable<Buffer>) yield chunk;
  // A body that was cut in the middle ends like a whole one.
  if (!answer.complete) throw Object.assign(new Error('cut'), { code: 'ECONNRESET' });
}

async function textOf(answer: IncomingMessage): Promise<string> {
  let text = '';
  for await (const chunk of answer as AsyncIterable<Buffer>)
    if (text.length < 2_000) text += chunk.toString('utf8');
  return text;
}
