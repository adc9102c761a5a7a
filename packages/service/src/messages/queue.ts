/** The queue of deliveries, kept in PostgreSQL: it works again by itself when the database was away. */
import { Logger as QueueLogger, run, runMigrations, type Runner } from 'graphile-worker';
import type { Logger } from 'pino';
import { causeOf } from '../database/connection.js';

/** After it ended by itself, so much later it begins again, in ms. */
const REST_MS = 2_000;
/** Deliveries at once. */
const AT_ONCE = 3;
const LOOK_EVERY_MS = 2_000;

export interface Job {
  id: string;
  /** From 1. */
  attempt: number;
  /** It is not tried again. */
  last: boolean;
}

export class Queue {
  private runner: Runner | null = null;
  private timer: NodeJS.Timeout | undefined;
  private closed = false;

  /** @param work a job that is to be tried again throws */
  constructor(
    private readonly url: string,
    private readonly task: string,
    private readonly work: (job: Job) => Promise<void>,
    private readonly log: Logger,
  ) {}

  /** Makes its tables. */
  prepare(): Promise<void> {
    return runMigrations({ connectionString: this.url, logger: told(this.log) });
  }

  async start(): Promise<void> {
    try {
      this.runner = await run({
        connectionString: this.url,
        maxPoolSize: AT_ONCE + 1,
        concurrency: AT_ONCE,
        pollInterval: LOOK_EVERY_MS,
        noHandleSignals: true,
        logger: told(this.log),
        taskList: {
          [this.task]: (payload, { job }) =>
            this.work({
              id: (payload as { id: string }).id,
              attempt: job.attempts,
              last: job.attempts >= job.max_attempts,
            }),
        },
      });
      void this.runner.promise.then(
        () => this.ended(),
        () => this.ended(),
      );
    } catch (error) {
      this.log.warn({ why: causeOf(error) }, 'the queue of messages does not begin');
      this.ended();
    }
  }

  private ended(): void {
    this.runner = null;
    if (this.closed) return;
    this.timer = setTimeout(() => void this.start(), REST_MS);
  }

  async stop(): Promise<void> {
    this.closed = true;
    clearTimeout(this.timer);
    await this.runner?.stop().catch(() => undefined);
  }
}

/** What the queue says, where it is more than chatter. */
function told(log: Logger): QueueLogger {
  return new QueueLogger(() => (level, message) => {
    if (level === 'error' || level === 'warning')
      log.debug({ queue: message.slice(0, 300) }, 'the queue of messages');
  });
}
