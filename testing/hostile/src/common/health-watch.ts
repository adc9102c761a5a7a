/**
 * Runs in a worker thread: asks for the health of a service all the time, undisturbed by what the campaign
 * does.
 */
import { parentPort, workerData } from 'node:worker_threads';

const EVERY_MS = 100;
const { address } = workerData as { address: string };

async function look(): Promise<void> {
  const fromMs = performance.now();
  const answer = await fetch(`${address}/healthz`).catch(() => null);
  await answer?.text().catch(() => undefined);
  if (answer?.ok) parentPort!.postMessage(performance.now() - fromMs);
}

setInterval(() => void look(), EVERY_MS);
