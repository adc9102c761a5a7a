/** Errands, messages and what they need, put together. */
import type { DataFolder } from '../common/data-folder.js';
import type { Logger } from 'pino';
import { taskOf } from '../database/message-store.js';
import type { Store } from '../database/store.js';
import { Outbox } from '../messages/outbox.js';
import type { WayAround } from '../messages/ways.js';
import { Queue } from '../messages/queue.js';
import type { Project } from '../project/project.js';
import { stayIn } from '../project/stay.js';
import type { Secrets } from '../project/secrets.js';
import type { Standins } from '../project/standins.js';
import { zoneOf } from '../project/zone.js';
import type { StageWorkers } from '../stages/workers.js';
import { Doing } from './doing.js';
import { ListedValues } from './listed-values.js';
import { ErrandRunner } from './runner.js';

export interface ErrandParts {
  outbox: Outbox;
  queue: Queue;
  runner: ErrandRunner;
  values: ListedValues;
}

/** What an earlier service left undone is settled before anything new is begun. */
export async function startErrands({ runner, outbox, queue, values }: ErrandParts): Promise<void> {
  await queue.prepare();
  await runner.recover();
  await outbox.recover();
  await queue.start();
  await values.start();
}

export async function stopErrands({ runner, queue, values }: ErrandParts): Promise<void> {
  runner.close();
  values.stop();
  await queue.stop();
}

/** Whatever errands need: the runner, the messages and their queue, values that addresses give. */
export function errandParts(
  { projectFolder: folder, log }: { projectFolder: string; log: Logger },
  project: Project,
  { addresses: standins }: Standins,
  { values: secrets }: Secrets,
  workers: StageWorkers,
  store: Store,
  data: DataFolder,
  ring: WayAround['ring'],
): ErrandParts {
  const { serviceId } = data;
  const stayOf = (assistant: string) => stayIn(project, assistant);
  const around = { standins, secrets, ring };
  const outbox = new Outbox({
    store: store.messages(serviceId),
    contacts: () => project.errands.contacts,
    ways: () => project.file.messages ?? {},
    around,
    stayOf,
    log,
  });
  const errand = (name: string) => project.errands.get(name);
  const doing = new Doing({
    folder,
    errand,
    ...around,
    workers,
    outbox,
    zone: () => zoneOf(project.file),
    log,
  });
  const file = (name: string) => project.errands.files.get(name);
  return {
    outbox,
    queue: new Queue(store.url, taskOf(serviceId), (job) => outbox.deliver(job), log),
    runner: new ErrandRunner({ errand: file, doing, stayOf, store: store.runs, serviceId, log }),
    values: new ListedValues({ project, around, stayOf, log }),
  };
}
