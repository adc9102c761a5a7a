/**
 * Many rows in one statement with one parameter: a list in JSON, which PostgreSQL takes apart. A parameter a
 * value would take the event loop hundreds of milliseconds for some thousand rows, and PostgreSQL takes only
 * 65,535 of them. Sound goes beside its list, as bytes.
 */
import { getTableColumns, sql } from 'drizzle-orm';
import type { NodePgDatabase } from 'drizzle-orm/node-postgres';
import * as tables from './schema.js';
import { Json, type KeptTable, type Rows, type SoundRow } from './waiting.js';

export async function insertRows<N extends KeptTable>(
  db: NodePgDatabase,
  name: N,
  rows: Rows[N],
): Promise<void> {
  if (rows.length === 0) return;
  if (name === 'audio') return insertSound(db, rows as SoundRow[]);
  const table = tables[name];
  // The database numbers the rows itself.
  const columns = Object.entries(getTableColumns(table)).filter(([key]) => key !== 'row');
  const list = rows.map((row) => {
    const values = columns.map(
      ([key, { name: column }]) => `"${column}":${written(row[key as keyof typeof row])}`,
    );
    return `{${values.join()}}`;
  });
  const names = sql.join(
    columns.map(([, column]) => sql.identifier(column.name)),
    sql`, `,
  );
  await db.execute(
    sql`insert into ${table} (${names}) select ${names} from jsonb_populate_recordset(null::${table}, ${`[${list.join()}]`}::jsonb)`,
  );
}

function written(value: unknown): string {
  return value instanceof Json ? value.text : JSON.stringify(value ?? null);
}

/** One parameter for all samples; PostgreSQL cuts the rows out of it. */
async function insertSound(db: NodePgDatabase, rows: readonly SoundRow[]): Promise<void> {
  let at = 1;
  const list = rows.map(({ conversation, side, firstSample, bytes }) => {
    const row = { conversation, side, first: firstSample, at, bytes };
    at += bytes;
    return row;
  });
  const all = Buffer.concat(rows.flatMap(({ parts }) => parts));
  await db.execute(sql`
    insert into ${tables.audio} (conversation, side, first_sample, samples)
    select conversation, side, first, substring(${all}::bytea from at for bytes)
    from jsonb_to_recordset(${JSON.stringify(list)}::jsonb) as cut(conversation uuid, side text, first bigint, at int, bytes int)`);
}
