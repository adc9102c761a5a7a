/**
 * What a run of tests shares: one PostgreSQL, with a template of our tables, of which a service under test
 * gets a copy of its own; and a folder where services are noted that several files of tests use. Where
 * scripts/test.mjs has begun the run, Jest finds it all there.
 */
import { chmodSync, mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';

const TEMPLATE = 'template_of_tests';

async function ask(url, text) {
  const client = new pg.Client(url);
  await client.connect();
  await client.query(text);
  await client.end();
}

export default async function start() {
  if (process.env.VERBALON_TEST_RUN) return;
  // Two seconds of loading, for whoever begins the run.
  const { bringUpToDate, startCluster } = await import('../packages/service/dist/index.js');
  const folder = mkdtempSync(join(tmpdir(), 'verbalon-tests-'));
  // The database's user must be able to enter it.
  chmodSync(folder, 0o755);
  const cluster = await startCluster(folder);
  await ask(cluster.url, `create database ${TEMPLATE}`);
  const template = new URL(cluster.url);
  template.pathname = `/${TEMPLATE}`;
  await bringUpToDate(template.href);
  process.env.VERBALON_TEST_POSTGRES = cluster.url;
  process.env.VERBALON_TEST_RUN = folder;
  // The end comes in the same process.
  globalThis.runOfTests = { cluster, folder };
}
