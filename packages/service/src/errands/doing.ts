/**
 * How an errand is done, by what its file says. Whether it may be done, and that it is done once, is the
 * runner's.
 */
import {
  fillIn,
  languageOf,
  momentIn,
  sayValue,
  unixMsOf,
  type NamedErrand,
  type RunOutcome,
  type SlotValue,
  type Stay,
} from '@verbalon/core';
import type { ErrandFile, ErrandMessage } from '@verbalon/protocol';
import type { Logger } from 'pino';
import type { Outbox, Sender } from '../messages/outbox.js';
import { insideOf } from '../project/inside.js';
import type { StageWorkers } from '../stages/workers.js';
import { doneByProgram } from './by-program.js';
import { writtenIntoTable } from './into-table.js';
import { doneOverHttp, wasDone, type HttpAround } from './over-http.js';
import { givenBy } from './result.js';

const USUAL_MODULE_DEADLINE_MS = 8_000;

/** For whom something is done. */
export interface RunFor {
  conversation: string;
  assistant: string;
  stay: Stay | null;
  sender: Sender;
  /** The name of whoever talks, as far as the line says. */
  caller: string;
}

/** What is to be done. `id`: the key of the run. */
export interface Task {
  id: string;
  errand: string;
  slots: Readonly<Record<string, SlotValue>>;
}

export interface DoingOptions {
  folder: string;
  errand: (name: string) => NamedErrand | undefined;
  standins: Readonly<Record<string, string>>;
  secrets: Readonly<Record<string, string | undefined>>;
  workers: StageWorkers;
  outbox: Outbox;
  zone: () => string;
  log: Logger;
}

export class Doing {
  constructor(private readonly options: DoingOptions) {}

  async do(
    { does, slots: shapes }: ErrandFile,
    task: Task,
    whom: RunFor,
    signal: AbortSignal,
  ): Promise<RunOutcome> {
    const { folder } = this.options;
    const { id, errand, slots } = task;
    const tell = this.teller(task);
    if ('http' in does)
      return doneOverHttp(does.http, { ...slots, run: id }, this.around(task, whom.stay, signal));
    if ('program' in does)
      return doneByProgram(does.program, { errand, run: id, slots }, does.deadlineMs, {
        folder,
        signal,
        tell,
      });
    if ('module' in does) return this.byModule(does, task);
    if ('message' in does) return this.byMessage(does.message, task, whom);
    if ('table' in does) {
      const columns = Object.fromEntries(Object.keys(shapes).map((name) => [name, slots[name]]));
      return writtenIntoTable(
        folder,
        does.table,
        { at: new Date().toISOString(), run: id, ...columns },
        tell,
      );
    }
    return { ending: 'done', given: {} };
  }

  /** What became of one that a killed service had begun; null where nobody can say. */
  async lookedUp({ does }: ErrandFile, task: Task, stay: Stay | null): Promise<RunOutcome | null> {
    if ('message' in does) {
      // Only what is sent has a message of its own; whether another one was changed or withdrawn by this run,
      // nobody can tell.
      const isSent = (does.message.does ?? 'send') === 'send';
      return isSent ? this.options.outbox.outcomeOf(task.id) : null;
    }
    if (!('http' in does)) return null;
    const around = this.around(task, stay, new AbortController().signal);
    return wasDone(does.http, { ...task.slots, run: task.id }, around);
  }

  private async byModule(
    { module, deadlineMs }: Extract<ErrandFile['does'], { module: string }>,
    task: Task,
  ): Promise<RunOutcome> {
    const tell = this.teller(task);
    const path = insideOf(this.options.folder, module);
    if (path === null) {
      tell(`${module} is no file of the project`);
      return { ending: 'failed', given: {} };
    }
    const { id: run, errand, slots } = task;
    try {
      const given = await this.options.workers.call(
        path,
        'run',
        { errand, run, slots },
        deadlineMs ?? USUAL_MODULE_DEADLINE_MS,
      );
      return { ending: 'done', ...givenBy(given) };
    } catch (error) {
      const { message } = error as Error;
      tell(`${module}: ${message}`);
      return { ending: /longer than/.test(message) ? 'unsure' : 'failed', given: {} };
    }
  }

  /** Slots stand in its text as they are said, and in all else as they are. */
  private async byMessage(
    { does = 'send', to, text = '', subject = '', at = '', when }: ErrandMessage,
    { id, errand, slots }: Task,
    { conversation, assistant, sender, caller }: RunFor,
  ): Promise<RunOutcome> {
    const values = Object.fromEntries(Object.entries(slots).map(([name, value]) => [name, String(value)]));
    const texts = { ...this.textsOf(errand, slots), caller };
    const dueAt = timeOf(raw(at, values), this.options.zone());
    return this.options.outbox.take({
      does,
      id,
      conversation,
      assistant,
      errand,
      sender,
      to: raw(to, values),
      subject: fillIn(subject, texts),
      text: fillIn(text, texts),
      dueAt,
      occasion: when === undefined ? null : raw(when, values),
    });
  }

  /** As they are said. */
  private textsOf(name: string, slots: Task['slots']): Record<string, string> {
    const errand = this.options.errand(name);
    const { errands: words } = languageOf('en');
    if (!errand || !words) return {};
    const now = momentIn(Date.now(), this.options.zone());
    return Object.fromEntries(
      Object.entries(slots).flatMap(([slot, value]) => {
        const shape = errand.slots[slot];
        // What was dictated stays as it is.
        return shape
          ? [[slot, shape.kind === 'text' ? String(value) : sayValue(shape, value, now, words)]]
          : [];
      }),
    );
  }

  private around(task: Task, stay: Stay | null, signal: AbortSignal): HttpAround {
    const { standins, secrets } = this.options;
    return {
      standins,
      secrets,
      signal,
      stay,
      tell: this.teller(task),
    };
  }

  private teller({ id: run, errand }: Task) {
    return (why: string) => this.options.log.warn({ run, errand, why }, 'an errand did not go as it should');
  }
}

/** Without capitals of its own: a key. */
const raw = (template: string, values: Readonly<Record<string, string>>): string =>
  template
    .replace(/\{([^}|]*)\}/g, (_, name: string) => (Object.hasOwn(values, name) ? values[name]! : ''))
    .trim();

/** A moment of a slot, or an instant (ISO 8601); null for none. */
function timeOf(text: string, zone: string): Date | null {
  const [day, clock] = text.split('T');
  if (!/^\d{4}-\d\d-\d\d$/.test(day ?? '') || !clock) return null;
  if (!/^\d\d:\d\d$/.test(clock)) return Number.isNaN(Date.parse(text)) ? null : new Date(text);
  const [hours, minutes] = clock.split(':').map(Number);
  return new Date(unixMsOf({ day: day!, minute: hours! * 60 + minutes! }, zone));
}
