/**
 * A program that is kept running: started, started again when it ends, after pauses that grow, and stopped
 * with the service.
 */
import type { ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { GrowingPause } from './growing-pause.js';

const FIRST_REST_MS = 500;
const MOST_REST_MS = 10_000;
/** One that ran for this long was well: it is started again after the shortest pause, in ms. */
const WELL_AFTER_MS = 20_000;
const STOP_PATIENCE_MS = 3_000;

export interface KeptProcessOptions {
  start: () => ChildProcess;
  /** It runs, and is the current one. */
  started?: (child: ChildProcess) => void;
  /** It ended by itself, by a signal or with a code, and is started again after so many ms. */
  ended?: (how: string, againInMs: number) => void;
  /** How it is told to stop: by these signals, one after the other, each given so many ms. */
  signals?: readonly NodeJS.Signals[];
  patienceMs?: number;
  /** Gets a signal to it, where it is not the child itself. */
  tell?: (signal: NodeJS.Signals) => void;
}

export class KeptProcess {
  private running: ChildProcess | null = null;
  private stopped = false;
  private timer: NodeJS.Timeout | undefined;
  private readonly rest = new GrowingPause(FIRST_REST_MS, MOST_REST_MS);

  constructor(private readonly options: KeptProcessOptions) {}

  /** The process that runs, or ran last; null before the first start. */
  get child(): ChildProcess | null {
    return this.running;
  }

  /** It is to run, and that process is the current one. */
  isCurrent(child: ChildProcess): boolean {
    return !this.stopped && child === this.running;
  }

  start(): void {
    const startedMs = performance.now();
    const child = this.options.start();
    this.running = child;
    child.once('close', (code, signal) => {
      if (this.stopped) return;
      if (performance.now() - startedMs > WELL_AFTER_MS) this.rest.reset();
      const againInMs = this.rest.take();
      this.timer = setTimeout(() => this.start(), againInMs);
      this.options.ended?.(signal ?? `code ${code}`, againInMs);
    });
    this.options.started?.(child);
  }

  /** Resolves when it has ended. */
  async stop(): Promise<void> {
    this.stopped = true;
    clearTimeout(this.timer);
    const { running: child } = this;
    if (!child || child.pid === undefined || child.exitCode !== null || child.signalCode !== null) return;
    const {
      signals = ['SIGTERM', 'SIGKILL'],
      patienceMs = STOP_PATIENCE_MS,
      tell = (signal) => child.kill(signal),
    } = this.options;
    const gone = once(child, 'close');
    const timers = signals.map((signal, i) => setTimeout(() => tell(signal), i * patienceMs));
    await gone;
    timers.forEach(clearTimeout);
  }
}
