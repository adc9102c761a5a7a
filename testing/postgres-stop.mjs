/** The end of the PostgreSQL of a run of tests. */
import { rmSync } from 'node:fs';

export default async function stop() {
  const { cluster, folder } = globalThis.postgresOfTests;
  await cluster.stop();
  rmSync(folder, { recursive: true, force: true });
}
