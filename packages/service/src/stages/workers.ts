/**
 * Worker threads for the modules of a project that stand between the stages: one a module, shared by all
 * talks. One that ends, whatever the reason, or does not answer any more is replaced when it is next needed.
 */
import { statSync } from 'node:fs';
import { pathToFileURL } from 'node:url';
import { Worker } from 'node:worker_threads';
import { childEnvironment } from '@verbalon/engines';
import type { Logger } from 'pino';

export type ToStageWorker =
  { kind: 'call'; id: number; name: string; passed: unknown } | { kind: 'areYouThere'; id: number };
export type FromStageWorker =
  | { kind: 'given'; id: number; given: unknown }
  | { kind: 'failed'; id: number; why: string }
  | { kind: 'alive'; id: number };

/** A worker that missed a deadline and does not even say that it is there in this time is ended, in ms. */
const HEED_MS = 500;
const LIMITS = { maxOldGenerationSizeMb: 128, maxYoungGenerationSizeMb: 16, stackSizeMb: 4 };
/** Calls that one worker has not answered; more are refused. */
const MOST_CALLS = 1_000;

export class StageWorkers {
  private readonly workers = new Map<string, StageWorker>();

  constructor(private readonly log: Logger) {}

  /** Loads a module ahead, so that its first call is not late. @param path an absolute one */
  prepare(path: string): void {
    this.of(path).start();
  }

  /** What the module's function gives back. @throws Error with the reason when it fails or is late */
  call(path: string, name: string, passed: unknown, deadlineMs: number): Promise<unknown> {
    return this.of(path).call(name, passed, deadlineMs);
  }

  async close(): Promise<void> {
    await Promise.all([...this.workers.values()].map((one) => one.end()));
  }

  /** A module that has changed is another one. */
  private of(path: string): StageWorker {
    const url = `${pathToFileURL(path).href}?changed=${statSync(path).mtimeMs}`;
    const known = this.workers.get(path);
    if (known?.url === url) return known;
    void known?.end();
    const worker = new StageWorker(url, this.log);
    this.workers.set(path, worker);
    return worker;
  }
}

interface Call {
  resolve: (given: unknown) => void;
  reject: (error: Error) => void;
  timer: NodeJS.Timeout;
}

class StageWorker {
  private worker: Worker | null = null;
  private readonly calls = new Map<number, Call>();
  private lastId = 0;
  private heed: NodeJS.Timeout | undefined;

  constructor(
    readonly url: string,
    private readonly log: Logger,
  ) {}

  start(): Worker {
    if (this.worker) return this.worker;
    const { url } = this;
    const worker = new Worker(new URL('./worker.js', import.meta.url), {
      workerData: { url },
      env: childEnvironment(),
      resourceLimits: LIMITS,
      stdin: false,
    });
    this.worker = worker;
    worker.on('message', (message: FromStageWorker) => this.hear(message));
    worker.on('error', (error) =>
      this.gone(worker, error instanceof Error ? error.message : `it threw ${String(error)}`),
    );
    worker.on('exit', (code) => this.gone(worker, `it ended with code ${code}`));
    worker.unref();
    return worker;
  }

  call(name: string, passed: unknown, deadlineMs: number): Promise<unknown> {
    if (this.calls.size >= MOST_CALLS)
      return Promise.reject(new Error(`${MOST_CALLS} calls of it are not answered`));
    const worker = this.start();
    const id = ++this.lastId;
    return new Promise((resolve, reject) => {
      const timer = setTimeout(() => {
        this.calls.delete(id);
        reject(new Error(`it took longer than ${deadlineMs} ms`));
        this.isAlive(worker);
      }, deadlineMs);
      this.calls.set(id, { resolve, reject, timer });
      this.post(worker, { kind: 'call', id, name, passed });
    });
  }

  async end(): Promise<void> {
    clearTimeout(this.heed);
    await this.worker?.terminate();
  }

  private post(worker: Worker, message: ToStageWorker): void {
    worker.postMessage(message);
  }

  private hear(message: FromStageWorker): void {
    clearTimeout(this.heed);
    const call = this.calls.get(message.id);
    if (!call || message.kind === 'alive') return;
    this.calls.delete(message.id);
    clearTimeout(call.timer);
    if (message.kind === 'given') call.resolve(message.given);
    else call.reject(new Error(message.why));
  }

  /** One that is only slow may go on; one in an endless loop may not. */
  private isAlive(worker: Worker): void {
    if (worker !== this.worker) return;
    clearTimeout(this.heed);
    this.heed = setTimeout(() => void worker.terminate(), HEED_MS);
    this.post(worker, { kind: 'areYouThere', id: 0 });
  }

  private gone(worker: Worker, why: string): void {
    if (worker !== this.worker) return;
    this.worker = null;
    clearTimeout(this.heed);
    this.log.warn({ module: this.url, why }, 'the worker of a stage has ended; the next call starts another');
    for (const { reject, timer } of this.calls.values()) {
      clearTimeout(timer);
      reject(new Error(why));
    }
    this.calls.clear();
  }
}
