/** Exchanges over WebSockets. One connection an exchange; the next one is opened ahead, so that no caller waits for it. */
import type { IncomingMessage } from 'node:http';
import { WebSocket } from 'ws';
import { EngineFault } from '../contract.js';
import { EventQueue } from '../event-queue.js';
import {
  MOST_MESSAGE_BYTES, MOST_REFUSAL_BYTES, reasonOf, refusedWith, type Exchange, type Incoming,
} from './exchange.js'; // prettier-ignore
import type { Hide } from './secrecy.js';

/** A connection that is opened ahead is kept so long, in ms. */
const SPARE_MS = 20_000;

export interface SocketCall {
  name: string;
  url: URL;
  headers: Record<string, string>;
  hide: Hide;
  keepAlive?: { everyMs: number; message: string } | undefined;
  /** Sent when the exchange is cancelled. */
  cancel: readonly string[];
  signal: AbortSignal;
}

type Door = Pick<SocketCall, 'name' | 'url' | 'headers' | 'hide'>;

export class Sockets {
  private spare: { key: string; socket: WebSocket; timer: NodeJS.Timeout } | null = null;

  /** Opens the next connection ahead. @throws EngineFault */
  async warm(door: Door): Promise<void> {
    if (this.spare?.key === keyOf(door)) return;
    const socket = connect(door);
    await opened(door, socket);
    this.keep(door, socket);
  }

  open({ name, url, headers, hide, keepAlive, cancel, signal }: SocketCall): Exchange {
    const door = { name, url, headers, hide };
    const socket = this.take(door) ?? connect(door);
    const queue = new EventQueue<Incoming>();
    const waiting: (string | Buffer)[] = [];
    let told = false;
    const fail = (fault: EngineFault) => {
      told = true;
      queue.fail(fault);
    };
    const ready = opened(door, socket).then(
      () => waiting.splice(0).forEach((data) => socket.send(data)),
      (fault: EngineFault) => fail(fault),
    );
    const timer = keepAlive && setInterval(() => socket.readyState === socket.OPEN && socket.send(keepAlive.message), keepAlive.everyMs); // prettier-ignore
    const stop = () => {
      told = true;
      if (socket.readyState === socket.OPEN) for (const message of cancel) socket.send(message);
      socket.close();
      queue.end();
    };
    signal.addEventListener('abort', stop, { once: true });
    socket.on('message', (data: Buffer, isBinary) =>
      queue.push(isBinary ? { bytes: Buffer.from(data) } : { texts: [data.toString('utf8')] }),
    );
    socket.on('error', (error) => fail(new EngineFault('engine-garbled', `${name}: ${reasonOf(error)}`)));
    socket.on('close', (code) => {
      clearInterval(timer);
      signal.removeEventListener('abort', stop);
      if (!told && code !== 1000)
        fail(new EngineFault('engine-down', `${name} cut the connection (${code})`));
      queue.end();
    });
    return {
      send: (data) => {
        if (socket.readyState === socket.OPEN) socket.send(data);
        else if (socket.readyState === socket.CONNECTING) waiting.push(data);
      },
      finish: () => undefined,
      incoming: this.reading(queue, socket, door, ready),
    };
  }

  close(): void {
    if (this.spare) clearTimeout(this.spare.timer);
    this.spare?.socket.terminate();
    this.spare = null;
  }

  private async *reading(queue: EventQueue<Incoming>, socket: WebSocket, door: Door, ready: Promise<void>) {
    try {
      yield* queue;
    } finally {
      await ready;
      socket.close();
      void this.warm(door).catch(() => undefined);
    }
  }

  private keep(door: Door, socket: WebSocket): void {
    this.close();
    const timer = setTimeout(() => this.close(), SPARE_MS);
    timer.unref();
    this.spare = { key: keyOf(door), socket, timer };
    socket.once('close', () => this.spare?.socket === socket && this.close());
    socket.on('error', () => undefined);
  }

  private take(door: Door): WebSocket | null {
    const { spare } = this;
    if (!spare || spare.key !== keyOf(door) || spare.socket.readyState !== WebSocket.OPEN) return null;
    clearTimeout(spare.timer);
    this.spare = null;
    return spare.socket;
  }
}

const keyOf = ({ url, headers }: Door) => JSON.stringify([url.href, headers]);

function connect({ url, headers }: Door): WebSocket {
  return new WebSocket(url, { headers, perMessageDeflate: false, maxPayload: MOST_MESSAGE_BYTES });
}

function opened({ name, url, hide }: Door, socket: WebSocket): Promise<void> {
  if (socket.readyState === WebSocket.OPEN) return Promise.resolve();
  return new Promise((resolve, reject) => {
    socket.once('open', () => {
      socket.off('unexpected-response', refused);
      resolve();
    });
    const refused = (_: unknown, answer: IncomingMessage) => {
      const chunks: Buffer[] = [];
      answer.on('data', (chunk: Buffer) => chunks.length < MOST_REFUSAL_BYTES && chunks.push(chunk));
      const tell = () => {
        const body = Buffer.concat(chunks).subarray(0, MOST_REFUSAL_BYTES).toString('utf8');
        reject(refusedWith(name, answer.statusCode ?? 0, body, hide, answer.headers['retry-after']));
      };
      answer.once('end', tell).once('close', tell).once('error', tell);
      socket.on('error', () => undefined);
    };
    socket.once('unexpected-response', refused);
    socket.once('error', (error) =>
      reject(new EngineFault('engine-down', `${name} at ${url.host}: ${reasonOf(error)}`)),
    );
    socket.once('close', () =>
      reject(new EngineFault('engine-down', `${name} at ${url.host} closed at once`)),
    );
  });
}
