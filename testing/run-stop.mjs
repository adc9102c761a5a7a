/** The end of what a run of tests shares, in the process that began it. */
import { readdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';

/** A service that several files used: it may be gone already. */
async function end(pid) {
  try {
    process.kill(pid, 'SIGTERM');
    for (;;) {
      process.kill(pid, 0);
      await new Promise((done) => setTimeout(done, 50));
    }
  } catch {
    // It has ended.
  }
}

export default async function stop() {
  if (!globalThis.runOfTests) return;
  const { cluster, folder } = globalThis.runOfTests;
  const shared = readdirSync(folder).filter((name) => name.startsWith('demo-'));
  await Promise.all(shared.map((name) => end(JSON.parse(readFileSync(join(folder, name), 'utf8')).pid)));
  await cluster.stop();
  rmSync(folder, { recursive: true, force: true });
}
