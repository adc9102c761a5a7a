/** Runs in a worker thread: one computation after the other. */
import { parentPort } from 'node:worker_threads';
import { COMPUTATIONS, type Computations } from './computations.js';

export interface Asked {
  id: number;
  name: keyof Computations;
  given: unknown[];
}
export type Done = { id: number; got: unknown } | { id: number; error: Error };

parentPort!.on('message', ({ id, name, given }: Asked) => {
  const tell = (done: Done) => parentPort!.postMessage(done);
  try {
    tell({ id, got: (COMPUTATIONS[name] as (...given: unknown[]) => unknown)(...given) });
  } catch (error) {
    tell({ id, error: error as Error });
  }
});
