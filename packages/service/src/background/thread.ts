/**
 * A kept worker thread for computations that take long, so that live sound is not kept waiting. One that ends
 * is replaced when it is next needed.
 */
import { Worker } from 'node:worker_threads';
import type { Computations } from './computations.js';
import type { Asked, Done } from './worker.js';

interface Waiting {
  resolve: (got: unknown) => void;
  reject: (error: Error) => void;
}

export class BackgroundThread {
  private worker: Worker | null = null;
  private readonly waiting = new Map<number, Waiting>();
  private lastId = 0;

  /** @throws what the computation throws */
  do<N extends keyof Computations>(
    name: N,
    ...given: Parameters<Computations[N]>
  ): Promise<ReturnType<Computations[N]>> {
    const worker = this.start();
    const id = ++this.lastId;
    return new Promise((resolve, reject) => {
      this.waiting.set(id, { resolve: resolve as Waiting['resolve'], reject });
      worker.postMessage({ id, name, given } satisfies Asked);
    });
  }

  async close(): Promise<void> {
    await this.worker?.terminate();
  }

  private start(): Worker {
    if (this.worker) return this.worker;
    const worker = new Worker(new URL('./worker.js', import.meta.url));
    this.worker = worker;
    worker.on('message', (done: Done) => {
      const waiting = this.waiting.get(done.id);
      this.waiting.delete(done.id);
      if ('error' in done) waiting?.reject(done.error);
      else waiting?.resolve(done.got);
    });
    worker.on('error', (error) => this.gone(worker, error));
    worker.on('exit', (code) => this.gone(worker, new Error(`the worker thread ended with code ${code}`)));
    worker.unref();
    return worker;
  }

  private gone(worker: Worker, error: unknown): void {
    if (worker !== this.worker) return;
    this.worker = null;
    for (const { reject } of this.waiting.values())
      reject(error instanceof Error ? error : new Error(String(error)));
    this.waiting.clear();
  }
}
