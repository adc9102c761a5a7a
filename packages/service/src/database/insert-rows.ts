/**
 * Many rows in one statement with one parameter: a list in JSON, which PostgreSQL takes apart. A parameter a value would take
 * the event loop hundreds of milliseconds for some thousand rows, and PostgreSQL takes only 65,535 of them.
 */
import { getTableColumns, sql } from 'drizzle-orm';
import type { NodePgDatabase } from 'drizzle-orm/node-postgres';
import * as tables from './schema.js';
import type { KeptTable, Rows } from './waiting.js';

export async function insertRows<N extends KeptTable>(
  db: NodePgDatabase,
  name: N,
  rows: Rows[N],
): Promise<void> {
  if (rows.length === 0) return;
  const table = tables[name];
  // The database numbers the rows itself.
  const columns = Object.entries(getTableColumns(table)).filter(([key]) => key !== 'row');
  const list = rows.map((row) =>
    Object.fromEntries(
      columns.map(([key, { name: column }]) => [column, written(row[key as keyof typeof row])]),
    ),
  );
  const names = sql.join(
    columns.map(([, column]) => sql.identifier(column.name)),
    sql`, `,
  );
  await db.execute(
    sql`insert into ${table} (${names}) select ${names} from jsonb_populate_recordset(null::${table}, ${JSON.stringify(list)}::jsonb)`,
  );
}

/** Bytes as PostgreSQL reads them in a text. */
function written(value: unknown): unknown {
  return Buffer.isBuffer(value) ? `\\x${value.toString('hex')}` : (value ?? null);
}
