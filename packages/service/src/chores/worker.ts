/** Runs in a worker thread: one chore after the other. */
import { parentPort } from 'node:worker_threads';
import { CHORES, type Chores } from './chores.js';

export interface Asked {
  id: number;
  name: keyof Chores;
  given: unknown[];
}
export type Done = { id: number; got: unknown } | { id: number; error: Error };

parentPort!.on('message', ({ id, name, given }: Asked) => {
  const tell = (done: Done) => parentPort!.postMessage(done);
  try {
    tell({ id, got: (CHORES[name] as (...given: unknown[]) => unknown)(...given) });
  } catch (error) {
    tell({ id, error: error as Error });
  }
});
