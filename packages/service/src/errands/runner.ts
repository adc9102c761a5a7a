/**
 * Does errands, each run once: it is written down before it is tried, and after that again with what came of
 * it. What a killed service left in the middle is looked up, or told as unsure; it is never done again by
 * itself.
 */
import type { OrderOf, RunOutcome, Stay } from '@verbalon/core';
import type { ErrandFile } from '@verbalon/protocol';
import type { Logger } from 'pino';
import { causeOf } from '../database/connection.js';
import type { RunRow, RunStore } from '../database/run-store.js';
import type { Doing, RunFor } from './doing.js';

/** An outcome that cannot be written is tried again after this, so often, in ms. */
const WRITE_AGAIN_MS = 1_000;
const MOST_WRITES = 60;

export interface RunnerOptions {
  errand: (name: string) => ErrandFile | undefined;
  doing: Doing;
  /** Where the words of an assistant may go. */
  stayOf: (assistant: string) => Stay | null;
  store: RunStore;
  serviceId: string;
  log: Logger;
}

export class ErrandRunner {
  private readonly aborts = new Map<string, AbortController>();
  private closed = false;

  constructor(private readonly options: RunnerOptions) {}

  /**
   * Never throws: what goes wrong is the outcome.
   * @param here does it where the caller is, instead of here
   */
  async run(
    { run, errand, slots }: Pick<OrderOf<'doErrand'>, 'run' | 'errand' | 'slots'>,
    whom: RunFor,
    here?: (file: ErrandFile) => Promise<RunOutcome> | null,
  ): Promise<RunOutcome> {
    const { store, log, doing, serviceId: service } = this.options;
    const id = runId(whom.conversation, run);
    const file = this.options.errand(errand);
    if (!file) return this.failed(id, errand, `there is no errands/${errand}.yaml any more`);
    const { conversation, assistant } = whom;
    try {
      if (!(await store.begin({ id, conversation, run, errand, assistant, slots: { ...slots }, service })))
        return this.failed(id, errand, 'this run was tried before');
    } catch (error) {
      return this.failed(id, errand, `it cannot be written down, and so is not tried: ${causeOf(error)}`);
    }
    const abort = new AbortController();
    this.aborts.set(id, abort);
    let outcome: RunOutcome;
    try {
      outcome = await (here?.(file) ?? doing.do(file, { id, errand, slots }, whom, abort.signal));
    } catch (error) {
      log.error({ run: id, errand, err: error }, 'an errand came upon something that nobody foresaw');
      outcome = { ending: 'unsure', given: {} };
    } finally {
      this.aborts.delete(id);
    }
    log.info({ run: id, errand, outcome: outcome.code ?? outcome.ending }, 'an errand is over');
    void this.write(id, outcome);
    return outcome;
  }

  /** A run that ended without being done: the caller left it, or a person has it. */
  async note(row: Omit<RunRow, 'service' | 'begunAt' | 'endedAt' | 'code' | 'given'>): Promise<void> {
    await this.options.store
      .note({ ...row, service: this.options.serviceId })
      .catch((error: unknown) =>
        this.options.log.warn(
          { run: row.id, why: causeOf(error) },
          'that an errand was left could not be written down',
        ),
      );
  }

  stop(conversation: string, run: number): void {
    this.aborts.get(runId(conversation, run))?.abort();
  }

  /** What an earlier service of this data folder was doing when it ended. */
  async recover(): Promise<void> {
    const { store, serviceId, doing, stayOf, log } = this.options;
    for (const { id, errand, slots, assistant } of await store.leftDoing(serviceId)) {
      const file = this.options.errand(errand);
      const known = file && (await doing.lookedUp(file, { id, errand, slots }, stayOf(assistant)));
      const outcome: RunOutcome = known ?? { ending: 'unsure', given: {} };
      await store.end(id, outcome);
      log.warn(
        { run: id, errand, outcome: outcome.ending },
        'the service ended while an errand was being done; it is not done again',
      );
    }
  }

  close(): void {
    this.closed = true;
  }

  private failed(run: string, errand: string, why: string): RunOutcome {
    this.options.log.error({ run, errand, why }, 'an errand was not tried');
    return { ending: 'failed', given: {} };
  }

  /** What came of it is known, and must not be lost while the database is away for a while. */
  private async write(id: string, outcome: RunOutcome): Promise<void> {
    for (let i = 0; i < MOST_WRITES && !this.closed; i++) {
      try {
        return await this.options.store.end(id, outcome);
      } catch {
        await new Promise((done) => setTimeout(done, WRITE_AGAIN_MS).unref());
      }
    }
    this.options.log.error({ run: id, outcome }, 'what came of an errand could not be written down');
  }
}

export const runId = (conversation: string, run: number): string => `${conversation}-${run}`;
