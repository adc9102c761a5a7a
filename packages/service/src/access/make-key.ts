/** A key for a service that does not run: how the first one is made, and how one gets in again. */
import { pino } from 'pino';
import type { KeyRequest, NewKey } from '@verbalon/protocol';
import { takeDataFolder } from '../common/data-folder.js';
import { startCluster } from '../database/cluster.js';
import { openStore } from '../database/store.js';
import { KeyRing } from './key-ring.js';

/** @throws ProblemError `key-name-taken`, or what is in the way of the database */
export async function makeKeyIn(
  dataFolder: string,
  databaseUrl: string | undefined,
  request: KeyRequest,
): Promise<NewKey> {
  const data = takeDataFolder(dataFolder);
  const cluster = databaseUrl ? undefined : await startCluster(data.path);
  try {
    const log = pino({ level: 'silent' });
    const store = await openStore(databaseUrl || cluster!.url, log);
    const who = {
      who: 'the data folder',
      address: '',
      what: 'makeKey',
      about: `${request.name}: ${request.scopes.join(', ')}`,
      status: 200,
    };
    try {
      const keys = await KeyRing.open(store.access, log);
      const made = await keys.make(request).finally(() => keys.stop());
      await store.access.note({ at: new Date(), ...who });
      return made;
    } finally {
      await store.close();
    }
  } finally {
    await cluster?.stop();
    data.release();
  }
}
