/** Ajv at the doors: one validator a schema, and errors in words for a person. */
import { Ajv, type ErrorObject, type ValidateFunction } from 'ajv';
import type { Static, TSchema } from '@sinclair/typebox';

const ajv = new Ajv({ allErrors: true, discriminator: false, verbose: true });
const validators = new WeakMap<TSchema, ValidateFunction>();

/** So many things that are wrong are told at once. */
export const MOST_TOLD = 20;
/** … out of so many that are looked at: a file may be wrong in every line. */
const MOST_LOOKED_AT = 500;

/** One thing that is wrong; `path` is a JSON Pointer (RFC 6901) to it. */
export interface Wrong {
  path: string;
  detail: string;
}

/** `path` and `detail` say what is most telling, `wrong` that and what else is wrong, `count` how much there is in all. */
export type Checked<T> =
  { ok: true; value: T } | { ok: false; path: string; detail: string; wrong: Wrong[]; count: number };

/** Is this value what the schema says, and are all its texts ones that can be kept and sent? */
export function check<S extends TSchema>(schema: S, value: unknown): Checked<Static<S>> {
  let validate = validators.get(schema);
  if (!validate) {
    validate = ajv.compile(schema);
    validators.set(schema, validate);
  }
  if (!validate(value)) return refused(validate.errors ?? []);
  const broken = brokenText(value);
  if (broken === null) return { ok: true, value: value as Static<S> };
  return { ok: false, ...broken, wrong: [broken], count: 1 };
}

function refused(errors: ErrorObject[]): Extract<Checked<never>, { ok: false }> {
  const all = telling(errors.slice(0, MOST_LOOKED_AT));
  const wrong = all
    .slice(0, MOST_TOLD)
    .map((error) => ({ path: error.instancePath, detail: wordsFor(error) }));
  const first = wrong[0] ?? { path: '', detail: 'it does not fit its schema' };
  return { ok: false, ...first, wrong, count: Math.max(all.length, errors.length - MOST_LOOKED_AT) };
}

/** A text with a NUL or with half of a surrogate pair: no database keeps it and no engine can be sent it. */
function brokenText(value: unknown): Wrong | null {
  const open: [unknown, string][] = [[value, '']];
  for (let next = open.pop(); next; next = open.pop()) {
    const [one, path] = next;
    if (typeof one === 'string' && (!one.isWellFormed() || one.includes('\0')))
      return { path, detail: `${shownPath(path)} holds a NUL or half of a character (a lone surrogate)` };
    if (one === null || typeof one !== 'object' || ArrayBuffer.isView(one)) continue;
    for (const [key, inner] of Object.entries(one))
      open.push([inner, `${path}/${escaped(key)}`], [key, path]);
  }
  return null;
}

/** The errors that say most first: in the branch of a union that was meant (it differs in the fewest fixed values), the deepest ones. */
function telling(errors: ErrorObject[]): ErrorObject[] {
  const branches = new Map<string, ErrorObject[]>();
  for (const error of errors.filter(({ keyword }) => keyword !== 'anyOf')) {
    const branch = /^#\/anyOf\/\d+/.exec(error.schemaPath)?.[0] ?? '';
    branches.set(branch, [...(branches.get(branch) ?? []), error]);
  }
  const strange = (branch: ErrorObject[]) => branch.filter(({ keyword }) => keyword === 'const').length;
  const meant = [...branches.values()].sort((a, b) => strange(a) - strange(b) || a.length - b.length)[0];
  // A name that is not known says more than the one that is missing for it.
  const isTypo = ({ keyword }: ErrorObject) => Number(keyword === 'additionalProperties');
  const sorted = [...(meant ?? errors)].sort(
    (a, b) => b.instancePath.length - a.instancePath.length || isTypo(b) - isTypo(a),
  );
  // A name that was mistyped is also one that is missing.
  const meantNames = new Set(sorted.filter((one) => isTypo(one) > 0).map((one) => `${one.instancePath}/${bestOf(one) ?? ''}`)); // prettier-ignore
  // Of one place only the first is told, but for names, which are each a mistake of their own; what holds it is not at fault.
  const places = new Set<string>();
  return sorted.filter((error) => {
    const { instancePath, keyword } = error;
    const isName = keyword === 'additionalProperties' || keyword === 'required';
    const missing = (error.params as { missingProperty?: string }).missingProperty;
    const isTold = missing !== undefined && meantNames.has(`${instancePath}/${missing}`);
    const known = (places.has(instancePath) && !isName) || isTold;
    for (let path = instancePath; path !== ''; path = path.slice(0, path.lastIndexOf('/'))) places.add(path);
    places.add('');
    return !known;
  });
}

const escaped = (key: string) => key.replaceAll('~', '~0').replaceAll('/', '~1');
const shownPath = (path: string) => (path === '' ? 'it' : `"${path.slice(1).replaceAll('/', '.')}"`);

function wordsFor(error: ErrorObject): string {
  const where = shownPath(error.instancePath);
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
  const best = bestOf(error);
  return best === null ? `; known are ${knownTo(error).join(', ')}` : `; "${best}" was probably meant`;
}

function knownTo(error: ErrorObject): string[] {
  return Object.keys((error.parentSchema as { properties?: object } | undefined)?.properties ?? {});
}

function bestOf(error: ErrorObject): string | null {
  const wrong = String((error.params as { additionalProperty: string }).additionalProperty).slice(0, 80);
  const all = knownTo(error).map((name) => ({ name, far: distance(wrong, name) }));
  const best = all.sort((a, b) => a.far - b.far)[0];
  return best && best.far <= 3 ? best.name : null;
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
