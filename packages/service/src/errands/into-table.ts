/** An errand that is a row of a CSV file (RFC 4180) in the project. */
import { appendFileSync, existsSync, mkdirSync, realpathSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { RunOutcome } from '@verbalon/core';
import { csvCell } from '../common/csv-cell.js';
import { insideOf } from '../project/inside.js';

/** @param values in the order of the columns */
export function writtenIntoTable(
  folder: string,
  table: string,
  values: Readonly<Record<string, unknown>>,
  tell: (what: string) => void,
): RunOutcome {
  const file = join(folder, table);
  try {
    mkdirSync(dirname(file), { recursive: true });
    if (insideOf(folder, realpathSync(dirname(file))) === null)
      throw new Error('it lies outside of the project');
    const row = (cells: readonly unknown[]) =>
      `${cells.map((value) => csvCell(String(value ?? ''))).join(',')}\r\n`;
    const head = existsSync(file) ? '' : row(Object.keys(values));
    appendFileSync(file, head + row(Object.values(values)));
    return { ending: 'done', given: {} };
  } catch (error) {
    tell(`${table} cannot be written: ${(error as Error).message}`);
    return { ending: 'failed', given: {} };
  }
}
