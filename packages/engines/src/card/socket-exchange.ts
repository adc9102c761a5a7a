/**
 * Exchanges over WebSockets. One connection an exchange, and the next one is opened ahead, so that no caller
 * waits for it; or one that is kept for a whole talk.
 */
import type { IncomingMessage } from 'node:http';
import { WebSocket } from 'ws';
import { EngineFault } from '../common/contract.js';
import { EventQueue } from '../common/event-queue.js';
import {
  MOST_MESSAGE_BYTES,
  MOST_REFUSAL_BYTES,
  reasonOf,
  refusedWith,
  type Exchange,
  type Incoming,
} from './exchange.js';
import type { Hide } from './secrecy.js';

/**
 * A connection that is opened ahead is kept so long, and so is one of a talk in which nothing is asked, in
 * ms.
 */
const SPARE_MS = 20_000;
const KEPT_MS = 120_000;

export interface SocketCall {
  name: string;
  url: URL;
  headers: Record<string, string>;
  protocols: readonly string[];
  hide: Hide;
  /**
   * What the engine says first is handed to this; it returns the messages that answer it, or null for what is
   * no greeting.
   */
  greeted: ((text: string) => string[] | null) | null;
  /** The talk for which the connection is kept; null for one a request. */
  talk: string | null;
  /** Sent once a connection. */
  opening: readonly string[];
  keepAlive?: { everyMs: number; message: string } | undefined;
  /** Sent when the exchange is cancelled. */
  cancel: readonly string[];
  signal: AbortSignal;
}

type Door = Pick<SocketCall, 'name' | 'url' | 'headers' | 'protocols' | 'hide'>;

export class Sockets {
  private readonly kept = new Map<string, { socket: WebSocket; timer: NodeJS.Timeout }>();
  private spare: { key: string; socket: WebSocket; timer: NodeJS.Timeout } | null = null;

  /** Opens the next connection ahead. @throws EngineFault */
  async warm(door: Door): Promise<void> {
    if (this.spare?.key === keyOf(door)) return;
    const socket = connect(door);
    await opened(door, socket);
    this.keep(door, socket);
  }

  open(call: SocketCall): Exchange {
    const { name, talk, keepAlive, cancel, signal, greeted, opening } = call;
    const kept = talk === null ? undefined : this.takeKept(talk);
    const socket = kept ?? this.take(call) ?? connect(call);
    const queue = new EventQueue<Incoming>();
    /** Not sent yet: the connection is not open, or the engine has not greeted. */
    let waiting: (string | Buffer)[] | null = kept ? null : [...opening];
    let told = false;
    let whole = false;
    const fail = (fault: EngineFault) => {
      told = true;
      queue.fail(fault);
    };
    const begin = (first: readonly string[] = []) => {
      const all = [...first, ...(waiting ?? [])];
      waiting = null;
      if (socket.readyState === socket.OPEN) for (const data of all) socket.send(data);
    };
    const ready = opened(call, socket).then(() => !greeted && waiting && begin(), fail);
    const timer =
      keepAlive &&
      setInterval(
        () => socket.readyState === socket.OPEN && socket.send(keepAlive.message),
        keepAlive.everyMs,
      );
    const stop = () => {
      told = true;
      if (socket.readyState === socket.OPEN) for (const message of cancel) socket.send(message);
      socket.close();
      queue.end();
    };
    const hear = (data: Buffer, isBinary: boolean) => {
      if (isBinary) return queue.push({ bytes: Buffer.from(data) });
      const text = data.toString('utf8');
      const reply = greeted && waiting ? greeted(text) : null;
      if (reply) return begin(reply);
      queue.push({ texts: [text] });
    };
    const broken = (error: Error) => fail(new EngineFault('engine-garbled', `${name}: ${reasonOf(error)}`));
    const closed = (code: number) => {
      leave();
      if (!told && code !== 1000)
        fail(new EngineFault('engine-down', `${name} cut the connection (${code})`));
      queue.end();
    };
    const leave = () => {
      clearInterval(timer);
      signal.removeEventListener('abort', stop);
      socket.off('message', hear).off('close', closed);
    };
    signal.addEventListener('abort', stop, { once: true });
    socket.on('message', hear).on('error', broken).on('close', closed);
    return {
      send: (data) => {
        if (waiting) waiting.push(data);
        else if (socket.readyState === socket.OPEN) socket.send(data);
      },
      finish: () => undefined,
      done: () => (whole = true),
      incoming: this.reading(queue, socket, call, ready, () => {
        leave();
        if (talk === null || !whole || socket.readyState !== socket.OPEN) return false;
        this.keepFor(talk, socket);
        return true;
      }),
    };
  }

  /** The talk is over. */
  forget(talk: string): void {
    this.takeKept(talk)?.close();
  }

  close(): void {
    if (this.spare) clearTimeout(this.spare.timer);
    this.spare?.socket.terminate();
    this.spare = null;
  }

  closeAll(): void {
    this.close();
    for (const talk of [...this.kept.keys()]) this.forget(talk);
  }

  private keepFor(talk: string, socket: WebSocket): void {
    this.forget(talk);
    const timer = setTimeout(() => this.forget(talk), KEPT_MS);
    timer.unref();
    this.kept.set(talk, { socket, timer });
  }

  private takeKept(talk: string): WebSocket | undefined {
    const kept = this.kept.get(talk);
    if (!kept) return undefined;
    clearTimeout(kept.timer);
    this.kept.delete(talk);
    return kept.socket.readyState === WebSocket.OPEN ? kept.socket : undefined;
  }

  /** @param keep is it kept for what follows in its talk? */
  private async *reading(
    queue: EventQueue<Incoming>,
    socket: WebSocket,
    door: Door,
    ready: Promise<unknown>,
    keep: () => boolean,
  ) {
    try {
      yield* queue;
    } finally {
      await ready;
      if (!keep()) socket.close();
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

const keyOf = ({ url, headers, protocols }: Door) => JSON.stringify([url.href, headers, protocols]);

function connect({ url, headers, protocols }: Door): WebSocket {
  return new WebSocket(url, [...protocols], {
    headers,
    perMessageDeflate: false,
    maxPayload: MOST_MESSAGE_BYTES,
  });
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
