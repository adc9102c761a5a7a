/** Ajv at the doors: one validator a schema, and errors in words for a person. */
import { Ajv, type ErrorObject, type ValidateFunction } from 'ajv';
import type { Static, TSchema } from '@sinclair/typebox';

const ajv = new Ajv({ allErrors: true, discriminator: false, verbose: true });
const validators = new WeakMap<TSchema, ValidateFunction>();

export type Checked<T> = { ok: true; value: T } | { ok: false; path: string; detail: string };

/** Is this value what the schema says? `path` is a JSON Pointer to what is wrong. */
export function check<S extends TSchema>(schema: S, value: unknown): Checked<Static<S>> {
  let validate = validators.get(schema);
  if (!validate) {
    validate = ajv.compile(schema);
    validators.set(schema, validate);
  }
  if (validate(value)) return { ok: true, value: value as Static<S> };
  const error = telling(validate.errors ?? []);
  return {
    ok: false,
    path: error?.instancePath ?? '',
    detail: error ? wordsFor(error) : 'it does not fit its schema',
  };
}

/** The error that says most: in the branch of a union that was meant (it differs in the fewest fixed values), the deepest one. */
function telling(errors: ErrorObject[]): ErrorObject | undefined {
  const branches = new Map<string, ErrorObject[]>();
  for (const error of errors.filter(({ keyword }) => keyword !== 'anyOf')) {
    const branch = /^#\/anyOf\/\d+/.exec(error.schemaPath)?.[0] ?? '';
    branches.set(branch, [...(branches.get(branch) ?? []), error]);
  }
  const strange = (branch: ErrorObject[]) => branch.filter(({ keyword }) => keyword === 'const').length;
  const meant = [...branches.values()].sort((a, b) => strange(a) - strange(b) || a.length - b.length)[0];
  // A name that is not known says more than the one that is missing for it.
  const isTypo = ({ keyword }: ErrorObject) => Number(keyword === 'additionalProperties');
  return [...(meant ?? errors)].sort(
    (a, b) => b.instancePath.length - a.instancePath.length || isTypo(b) - isTypo(a),
  )[0];
}

function wordsFor(error: ErrorObject): string {
  const where = error.instancePath === '' ? 'it' : `"${error.instancePath.slice(1).replaceAll('/', '.')}"`;
  const params = error.params as Record<string, unknown>;
  switch (error.keyword) {
    case 'additionalProperties':
      return `${where} has "${String(params.additionalProperty)}", which is not known here${nearest(error)}`;
    case 'required':
      return `${where} lacks "${String(params.missingProperty)}"`;
    case 'const':
      return `${where} must be ${JSON.stringify(params.allowedValue)}`;
    case 'pattern':
      return `${where} does not have the form ${String(params.pattern)}`;
    default:
      return `${where} ${error.message ?? 'does not fit'}`;
  }
}

/** Names the property that was probably meant. */
function nearest(error: ErrorObject): string {
  const wrong = String((error.params as { additionalProperty: string }).additionalProperty);
  const known = Object.keys((error.parentSchema as { properties?: object } | undefined)?.properties ?? {});
  const best = known.map((name) => ({ name, far: distance(wrong, name) })).sort((a, b) => a.far - b.far)[0];
  return best && best.far <= 3 ? `; "${best.name}" was probably meant` : `; known are ${known.join(', ')}`;
}

function distance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, j) => j);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++) {
      next.push(Math.min(row[j]! + 1, next[j - 1]! + 1, row[j - 1]! + (a[i - 1] === b[j - 1] ? 0 : 1)));
    }
    row = next;
  }
  return row[b.length]!;
}
