/**
 * Recordings of any usual format as sound. Each is decoded in a process of its own, which is ended when it
 * takes more memory or gives nothing for longer than any good file needs: whatever a file does to its
 * decoder, nobody else notices.
 */
import type { ChildProcess } from 'node:child_process';
import pLimit from 'p-limit';
import { Fault, type FaultCode } from '@verbalon/core';
import { EventQueue, spawnLimited } from '@verbalon/engines';

export type ToDecodeHost = { kind: 'decode'; file: string } | { kind: 'more' };
export type FromDecodeHost =
  | { kind: 'piece'; samples: Float32Array; share: number; narrow: boolean }
  | { kind: 'fault'; code: FaultCode; detail: string }
  | { kind: 'end' };

/** Recordings that are decoded at once; others wait. */
const MOST_AT_ONCE = 4;
/** A piece takes no longer than this, in ms: thousands of times what one needs. */
const PIECE_PATIENCE_MS = 5_000;
/** Pieces that are asked for ahead. */
const AHEAD = 3;
const room = pLimit(MOST_AT_ONCE);

export interface DecodedSound {
  /** At HOUSE_RATE_HZ. */
  samples: Float32Array;
  /** How much of the file has been read, 0 to 1. */
  share: number;
  /** There is nothing above 4 kHz. */
  narrow: boolean;
}

/** @throws Fault with a `sound-…` code */
export async function* decodedSound(file: string, signal: AbortSignal): AsyncIterable<DecodedSound> {
  let leave = (): void => undefined;
  await new Promise<void>((enter, refuse) => {
    void room(() => {
      if (signal.aborted) return refuse(signal.reason as Error);
      enter();
      return new Promise<void>((left) => (leave = left));
    });
  });
  const host = new DecodeHost(file);
  signal.addEventListener('abort', host.end, { once: true });
  try {
    yield* host.pieces();
    signal.throwIfAborted();
  } finally {
    signal.removeEventListener('abort', host.end);
    host.end();
    leave();
  }
}

class DecodeHost {
  private readonly queue = new EventQueue<DecodedSound>();
  private readonly child: ChildProcess;
  private timer: NodeJS.Timeout | undefined;
  /** All of it has come, or what is wrong with it. */
  private over = false;

  constructor(file: string) {
    this.child = spawnLimited(new URL('./decode-host.js', import.meta.url), true);
    this.child.stderr?.resume();
    this.child.on('message', (message: FromDecodeHost) => this.hear(message));
    this.child.once('error', (error) =>
      this.fail('sound-damaged', `it cannot be decoded here: ${error.message}`),
    );
    // Comes after everything that it has sent, unlike its exit.
    this.child.once('disconnect', () =>
      this.fail('sound-damaged', 'decoding it took more memory or time than any good file does'),
    );
    this.post({ kind: 'decode', file });
    for (let i = 0; i < AHEAD; i++) this.post({ kind: 'more' });
    this.waitForNext();
  }

  async *pieces(): AsyncIterable<DecodedSound> {
    for await (const piece of this.queue) {
      yield piece;
      // Whoever reads slowly is not to be waited for: time counts only while something is asked for.
      this.post({ kind: 'more' });
      this.waitForNext();
    }
  }

  readonly end = (): void => {
    clearTimeout(this.timer);
    this.queue.end();
    this.child.kill('SIGKILL');
  };

  private post(message: ToDecodeHost): void {
    if (this.child.connected) this.child.send(message, () => undefined);
  }

  private waitForNext(): void {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => {
      this.fail('sound-damaged', `decoding it gave nothing for ${PIECE_PATIENCE_MS / 1000} s`);
      this.child.kill('SIGKILL');
    }, PIECE_PATIENCE_MS);
  }

  private hear(message: FromDecodeHost): void {
    clearTimeout(this.timer);
    if (message.kind === 'piece') return this.queue.push(message);
    if (message.kind === 'fault') return this.fail(message.code, message.detail);
    this.over = true;
    this.queue.end();
  }

  private fail(code: FaultCode, detail: string): void {
    clearTimeout(this.timer);
    if (!this.over) this.queue.fail(new Fault(code, detail));
    this.over = true;
  }
}
