/**
 * Runs in a worker thread: one module of the project, whose functions are called by name. Whatever it does
 * stays here.
 */
import { parentPort, workerData } from 'node:worker_threads';
import type { FromStageWorker, ToStageWorker } from './workers.js';

type Stage = (passed: unknown) => unknown;

const tell = (message: FromStageWorker) => parentPort!.postMessage(message);
const loading = import((workerData as { url: string }).url) as Promise<Record<string, unknown>>;
loading.catch(() => undefined);

async function call({ id, name, passed }: Extract<ToStageWorker, { kind: 'call' }>): Promise<void> {
  try {
    const module = await loading;
    const stage = Object.hasOwn(module, name) ? module[name] : undefined;
    if (typeof stage !== 'function') throw new Error(`it exports no function "${name}"`);
    tell({ kind: 'given', id, given: await (stage as Stage)(passed) });
  } catch (error) {
    // Anything can be thrown, and not everything can be sent.
    tell({ kind: 'failed', id, why: error instanceof Error ? error.message : `it threw ${String(error)}` });
  }
}

parentPort!.on('message', (message: ToStageWorker) => {
  if (message.kind === 'call') void call(message);
  else tell({ kind: 'alive', id: message.id });
});
