/** One PostgreSQL for a run of tests, with a template of our tables: a service under test gets a copy of its own. */
import { chmodSync, mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { bringUpToDate, startCluster } from '../packages/service/dist/index.js';

const TEMPLATE = 'template_of_tests';
async function ask(url, text) {
  const client = new pg.Client(url);
  await client.connect();
  await client.query(text);
  await client.end();
}

export default async function start() {
  const folder = mkdtempSync(join(tmpdir(), 'verbalon-postgres-'));
  // The database's user must be able to enter it.
  chmodSync(folder, 0o755);
  const cluster = await startCluster(folder);
  await ask(cluster.url, `create database ${TEMPLATE}`);
  const template = new URL(cluster.url);
  template.pathname = `/${TEMPLATE}`;
  await bringUpToDate(template.href);
  process.env.VERBALON_TEST_POSTGRES = cluster.url;
  // Jest runs the end in the same process.
  globalThis.postgresOfTests = { cluster, folder };
}
