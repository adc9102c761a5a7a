/** A tryout as a table (RFC 4180). */
import { csvCell } from '../common/csv-cell.js';
import type { Tryout } from '@verbalon/protocol';

const COLUMNS = [
  'item',
  'group',
  'given',
  'got',
  'firstMs',
  'endMs',
  'flicker',
  'realTimeFactor',
  'rate',
  'levelDb',
  'audioMs',
  'cost',
  'rating',
  'problem',
] as const;
const ERRORS = ['words', 'substituted', 'deleted', 'inserted', 'rate'] as const;

export function csvOf({ engines }: Tryout): string {
  const head = ['engine', ...COLUMNS, ...ERRORS.map((name) => (name === 'rate' ? 'wordErrorRate' : name))];
  const rows = engines.flatMap(({ engine, items }) =>
    items.map((item) => [
      engine,
      ...COLUMNS.map((name) => item[name]),
      ...ERRORS.map((name) => item.errors?.[name] ?? null),
    ]),
  );
  return [head, ...rows].map((row) => row.map(cell).join(',')).join('\r\n') + '\r\n';
}

function cell(value: string | number | null): string {
  if (value === null) return '';
  return typeof value === 'number' ? String(Math.round(value * 1e6) / 1e6) : csvCell(value);
}
