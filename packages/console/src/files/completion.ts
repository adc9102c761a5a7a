/**
 * What can be written at a place of a YAML file, out of its JSON Schema: keys that are not there yet, and
 * fixed values.
 */

export interface Schema {
  properties?: Record<string, Schema>;
  items?: Schema;
  anyOf?: Schema[];
  const?: unknown;
  type?: string;
  description?: string;
}

export interface Place {
  /** Keys that lead to it. */
  path: string[];
  /** After `key:` a value is written; elsewhere a key. */
  valueOf: string | null;
  /** What has been written of it. */
  from: number;
  /** Keys that its mapping has already. */
  siblings: string[];
}

const indentOf = (line: string) => /^\s*/.exec(line)![0].length;
const keyOf = (line: string) => /^\s*([\w-]+):/.exec(line)?.[1];

/** The place of a cursor: `lines` of the file, the line's index, and how far into it. */
export function placeAt(lines: readonly string[], index: number, column: number): Place {
  const before = lines[index]!.slice(0, column);
  const value = /^(\s*)([\w-]+):\s*(\S*)$/.exec(before);
  const indent = indentOf(before);
  const path: string[] = [];
  let within = indent;
  for (let i = index - 1; i >= 0 && within > 0; i--) {
    const key = keyOf(lines[i]!);
    if (key === undefined || indentOf(lines[i]!) >= within) continue;
    path.unshift(key);
    within = indentOf(lines[i]!);
  }
  const siblings = lines
    .filter((line, i) => i !== index && indentOf(line) === indent && sameBlock(lines, index, i, indent))
    .flatMap((line) => keyOf(line) ?? []);
  if (value) return { path, valueOf: value[2]!, from: column - value[3]!.length, siblings };
  return { path, valueOf: null, from: column - /[\w-]*$/.exec(before)![0].length, siblings };
}

/** No line between them is indented less. */
function sameBlock(lines: readonly string[], a: number, b: number, indent: number): boolean {
  return lines
    .slice(Math.min(a, b), Math.max(a, b))
    .every((line) => line.trim() === '' || indentOf(line) >= indent);
}

function schemaAt(schema: Schema, path: readonly string[]): Schema | null {
  return path.reduce<Schema | null>((one, key) => (one ? (propertiesOf(one)[key] ?? null) : null), schema);
}

/** The keys of a mapping, or of what a list holds; of several shapes, those of all. */
function propertiesOf(schema: Schema): Record<string, Schema> {
  if (schema.properties) return schema.properties;
  if (schema.items) return propertiesOf(schema.items);
  const all: Record<string, Schema> = {};
  for (const branch of schema.anyOf ?? [])
    for (const [key, one] of Object.entries(propertiesOf(branch))) {
      const known = all[key];
      all[key] =
        known?.const === undefined || known.const === one.const ? (known ?? one) : { anyOf: [known, one] };
      if (known?.anyOf && one.const !== undefined && !known.anyOf.some((other) => other.const === one.const))
        all[key] = { anyOf: [...known.anyOf, one] };
    }
  return all;
}

export interface Suggestion {
  label: string;
  detail: string;
  insert: string;
}

export function suggestions(schema: Schema, place: Place): Suggestion[] {
  const around = schemaAt(schema, place.path);
  if (!around) return [];
  if (place.valueOf !== null)
    return valuesOf(propertiesOf(around)[place.valueOf]).map((value) => ({
      label: value,
      detail: '',
      insert: value,
    }));
  return Object.entries(propertiesOf(around))
    .filter(([key]) => !place.siblings.includes(key))
    .map(([key, one]) => ({
      label: key,
      detail: one.description ?? kindOf(one),
      insert: one.properties ? `${key}:\n${' '.repeat(2 * (place.path.length + 1))}` : `${key}: `,
    }));
}

function valuesOf(schema: Schema | undefined): string[] {
  if (!schema) return [];
  if (schema.type === 'boolean') return ['true', 'false'];
  return [schema, ...(schema.anyOf ?? [])].flatMap((one) =>
    one.const === undefined ? [] : [String(one.const)],
  );
}

function kindOf(schema: Schema): string {
  const values = valuesOf(schema);
  return values.length > 0 ? values.join(' | ') : (schema.type ?? '');
}
