/**
 * Does errands, each run once: it is written down before it is tried, and after that again with what came of it. What a killed service
 * left in the middle is looked up, or told as unsure; it is never done again by itself.
 */
import { isThisMachine, type OrderOf, type RunOutcome, type SlotValue, type Stay } from '@verbalon/core';
import type { ErrandFile } from '@verbalon/protocol';
import type { Logger } from 'pino';
import type { RunRow, RunStore } from '../database/run-store.js';
import { insideOf } from '../project/inside.js';
import type { StageWorkers } from '../stages/workers.js';
import { doneByProgram } from './by-program.js';
import { writtenIntoTable } from './into-table.js';
import { doneOverHttp, wasDone, type HttpAround } from './over-http.js';
import { givenBy } from './result.js';

const USUAL_MODULE_DEADLINE_MS = 8_000;
/** An outcome that cannot be written is tried again after this, so often, in ms. */
const WRITE_AGAIN_MS = 1_000;
const MOST_WRITES = 60;

export interface RunnerOptions {
  folder: string;
  errand: (name: string) => ErrandFile | undefined;
  standins: Readonly<Record<string, string>>;
  secrets: Readonly<Record<string, string | undefined>>;
  workers: StageWorkers;
  store: RunStore;
  serviceId: string;
  log: Logger;
}

/** For whom something is done. */
export interface RunFor {
  conversation: string;
  assistant: string;
  stay: Stay | null;
}

export class ErrandRunner {
  private readonly aborts = new Map<string, AbortController>();
  private closed = false;

  constructor(private readonly options: RunnerOptions) {}

  /** Never throws: what goes wrong is the outcome. */
  async run(
    { run, errand, slots }: Pick<OrderOf<'doErrand'>, 'run' | 'errand' | 'slots'>,
    whom: RunFor,
  ): Promise<RunOutcome> {
    const { store, log } = this.options;
    const id = runId(whom.conversation, run);
    const file = this.options.errand(errand);
    if (!file) return this.failed(id, errand, `there is no errands/${errand}.yaml any more`);
    const row = { id, conversation: whom.conversation, run, errand, assistant: whom.assistant, slots: { ...slots }, service: this.options.serviceId }; // prettier-ignore
    try {
      if (!(await store.begin(row))) return this.failed(id, errand, 'this run was tried before');
    } catch (error) {
      return this.failed(id, errand, `it cannot be written down, and so is not tried: ${String(error)}`);
    }
    const abort = new AbortController();
    this.aborts.set(id, abort);
    let outcome: RunOutcome;
    try {
      outcome = await this.doIt(file, id, errand, slots, whom.stay, abort.signal);
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
          { run: row.id, why: String(error) },
          'that an errand was left could not be written down',
        ),
      );
  }

  stop(conversation: string, run: number): void {
    this.aborts.get(runId(conversation, run))?.abort();
  }

  /** What an earlier service of this data folder was doing when it ended. */
  async recover(): Promise<void> {
    const { store, serviceId, log } = this.options;
    for (const { id, errand, slots } of await store.leftDoing(serviceId)) {
      const file = this.options.errand(errand);
      const http = file && 'http' in file.does ? file.does.http : null;
      const known = http && (await wasDone(http, { ...slots, run: id }, this.around(id, errand, null, new AbortController().signal))); // prettier-ignore
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

  private async doIt(
    { does, slots: shapes }: ErrandFile,
    id: string,
    errand: string,
    slots: Readonly<Record<string, SlotValue>>,
    stay: Stay | null,
    signal: AbortSignal,
  ): Promise<RunOutcome> {
    const { folder, workers } = this.options;
    const tell = this.teller(id, errand);
    const values = { ...slots, run: id };
    if ('http' in does) return doneOverHttp(does.http, values, this.around(id, errand, stay, signal));
    if ('program' in does)
      return doneByProgram(does.program, { errand, run: id, slots }, does.deadlineMs, {
        folder,
        signal,
        tell,
      });
    if ('table' in does) {
      const columns = Object.fromEntries(Object.keys(shapes).map((name) => [name, slots[name]]));
      return writtenIntoTable(
        folder,
        does.table,
        { at: new Date().toISOString(), run: id, ...columns },
        tell,
      );
    }
    if ('module' in does) {
      const path = insideOf(folder, does.module);
      if (path === null) {
        tell(`${does.module} is no file of the project`);
        return { ending: 'failed', given: {} };
      }
      try {
        const given = await workers.call(
          path,
          'run',
          { errand, run: id, slots },
          does.deadlineMs ?? USUAL_MODULE_DEADLINE_MS,
        );
        return { ending: 'done', ...givenBy(given) };
      } catch (error) {
        const { message } = error as Error;
        tell(`${does.module}: ${message}`);
        return { ending: /longer than/.test(message) ? 'unsure' : 'failed', given: {} };
      }
    }
    return { ending: 'done', given: {} };
  }

  private around(id: string, errand: string, stay: Stay | null, signal: AbortSignal): HttpAround {
    const { standins, secrets } = this.options;
    return {
      standins,
      secrets,
      signal,
      forbids: (host) =>
        stay === 'on-machine' && !isThisMachine(host)
          ? `${host} is elsewhere, and this assistant stays on the machine`
          : null,
      tell: this.teller(id, errand),
    };
  }

  private teller(run: string, errand: string) {
    return (why: string) => this.options.log.warn({ run, errand, why }, 'an errand did not go as it should');
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
