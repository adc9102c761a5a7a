/** What every engine has that needs no preparation and holds nothing. */
import type { Readiness } from './contract.js';

export abstract class AlwaysReady {
  readiness(): Readiness {
    return { state: 'ready' };
  }

  warm(): Promise<void> {
    return Promise.resolve();
  }

  close(): Promise<void> {
    return Promise.resolve();
  }
}
