/** Ajv at the doors: one validator a schema, and errors in words for a person. */
import { Ajv, type ErrorObject, type ValidateFunction } from 'ajv';
import type { Static, TSchema } from '@sinclair/typebox';

/** Each start compiles them anew: passes that make what is compiled shorter take a quarter of that. */
const ajv = new Ajv({ allErrors: true, discriminator: false, verbose: true, code: { optimize: false } });
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

/**
 * `path` and `detail` say what is most telling, `wrong` that and what else is wrong, `count` how much there
 * is in all.
 */
export type Checked<T> =
  { ok: true; value: T } | { ok: false; path: string; detail: string; wrong: Wrong[]; count: number };

/** Is this value what the schema says, and are all its texts ones that can be kept and sent? */
export function check<S extends TSchema>(schema: S, value: unknown): Checked<Static<S>> {
  const meant = branchMeant(schema, value);
  if ('wrong' in meant) {
    // With the name put right that was nearest to what is written there, what else is wrong is told as well.
    const others = meant.nearest === null ? [] : othersIn(schema, { ...(value as object), ...meant.nearest });
    const wrong = [meant.wrong, ...others].slice(0, MOST_TOLD);
    return { ok: false, ...meant.wrong, wrong, count: 1 + others.length };
  }
  let validate = validators.get(meant.schema);
  if (!validate) {
    validate = ajv.compile(meant.schema);
    validators.set(meant.schema, validate);
  }
  if (!validate(value)) return refused(validate.errors ?? []);
  const broken = brokenText(value);
  if (broken === null) return { ok: true, value: value as Static<S> };
  return { ok: false, ...broken, wrong: [broken], count: 1 };
}

function othersIn(schema: TSchema, value: object): Wrong[] {
  const checked = check(schema, value);
  return checked.ok ? [] : checked.wrong;
}

interface Branch extends TSchema {
  properties?: Record<string, { const?: unknown }>;
}

/**
 * Of several shapes the one that the value means, by the names that tell them apart (`role` and `wire` of a
 * card, `kind` of a message), so that what is wrong is told against that one alone.
 */
function branchMeant(
  schema: TSchema,
  value: unknown,
): { schema: TSchema } | { wrong: Wrong; nearest: Record<string, unknown> | null } {
  const branches = schema.anyOf as Branch[] | undefined;
  if (!branches || value === null || typeof value !== 'object') return { schema };
  const names = Object.keys(branches[0]?.properties ?? {});
  const telling = names.filter((name) =>
    branches.every(({ properties }) => properties?.[name]?.const !== undefined),
  );
  let left = branches;
  const known: string[] = [];
  for (const name of telling) {
    const given = (value as Record<string, unknown>)[name];
    const fitting = left.filter(({ properties }) => properties![name]!.const === given);
    if (fitting.length === 0) {
      const values = [...new Set(left.map(({ properties }) => properties![name]!.const))];
      const allowed = values.map((one) => JSON.stringify(one)).join(', ');
      const near = typeof given === 'string' ? nearestOf(given, values.map(String)) : null;
      const nearest = near === null ? null : { [name]: near };
      const where = known.length > 0 ? ` where ${known.join(' and ')}` : '';
      return given === undefined
        ? { wrong: { path: '', detail: `it lacks "${name}": one of ${allowed}${where}` }, nearest: null }
        : {
            wrong: { path: `/${escaped(name)}`, detail: `"${name}" must be one of ${allowed}${where}` },
            nearest,
          };
    }
    known.push(`"${name}" is ${JSON.stringify(given)}`);
    left = fitting;
  }
  return { schema: left.length === 1 ? left[0]! : schema };
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

/**
 * Within a value of several shapes, told apart by their keys or by their kind, only what is wrong with the
 * shape that is written.
 */
function ofBranchesMeant(errors: ErrorObject[]): ErrorObject[] {
  return errors
    .filter(
      ({ keyword, schemaPath, parentSchema }) =>
        keyword === 'anyOf' && schemaPath !== '#/anyOf' && parentSchema,
    )
    .reduce((left, union) => {
      const fitting = fittingBranches(union);
      if (fitting === null) return left;
      const place = union.schemaPath;
      // What is within none of the shapes is said of the union itself.
      return left.filter(({ schemaPath }) => {
        const branch = schemaPath.startsWith(`${place}/`)
          ? Number(schemaPath.slice(place.length + 1).split('/')[0])
          : null;
        return branch === null || fitting.includes(branch);
      });
    }, errors);
}

interface Shape {
  type?: string;
  const?: unknown;
  properties?: Record<string, unknown>;
}

/** The shapes of a union that a value may be meant as, by their numbers; null where all of them may. */
function fittingBranches({ data, parentSchema }: ErrorObject): number[] | null {
  const shapes = (parentSchema as { anyOf: Shape[] }).anyOf;
  const kind = Array.isArray(data) ? 'array' : data === null ? 'null' : typeof data;
  const all = shapes.map((shape, i) => ({ shape, i }));
  const ofKind = all.filter(
    ({ shape }) => shape.type === kind || (kind === 'number' && shape.type === 'integer'),
  );
  if (kind !== 'object') return ofKind.length === 0 ? null : ofKind.map(({ i }) => i);
  const keys = Object.keys(data as object);
  const known = ofKind.map(({ shape, i }) => ({
    i,
    count: keys.filter((key) => Object.hasOwn(shape.properties ?? {}, key)).length,
  }));
  const most = Math.max(0, ...known.map(({ count }) => count));
  if (known.length === 0) return null;
  return most === 0 && known.length > 1 ? [] : known.filter(({ count }) => count === most).map(({ i }) => i);
}

/**
 * The errors that say most first: in the branch of a union that was meant (it differs in the fewest fixed
 * values), the deepest ones.
 */
function telling(errors: ErrorObject[]): ErrorObject[] {
  const branches = new Map<string, ErrorObject[]>();
  // A choice of texts is told as one; what else has shapes is told by its nearest shape.
  const choices = new Set(
    errors
      .filter((error) => error.keyword === 'anyOf' && (constsOf(error) || keysOf(error)))
      .map((one) => one.instancePath),
  );
  const told = ofBranchesMeant(errors).filter(
    ({ keyword, instancePath }) => (keyword === 'anyOf') === choices.has(instancePath),
  );
  for (const error of told) {
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
  const meantNames = new Set(
    sorted.filter((one) => isTypo(one) > 0).map((one) => `${one.instancePath}/${bestOf(one) ?? ''}`),
  );
  // Of one place only the first is told, but for names, which are each a mistake of their own; what holds it
  // is not at fault.
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
    case 'pattern': {
      const { description } = (error.parentSchema ?? {}) as { description?: string };
      return `${where} ${description === undefined ? `does not have the form ${String(params.pattern)}` : `must be ${description}`}`;
    }
    case 'anyOf': {
      const allowed = constsOf(error);
      if (allowed) return `${where} must be one of ${allowed.join(', ')}`;
      const keys = keysOf(error);
      if (keys) return `${where} must have one of ${keys.join(', ')}`;
      return `${where} ${error.message ?? 'does not fit'}`;
    }
    case 'type':
      return `${where} must be ${params.type === 'array' ? listWords(error) : (KINDS[String(params.type)] ?? String(params.type))}`;
    default: {
      const words = LIMITS[error.keyword];
      return `${where} ${words ? words(Number(params.limit)) : (error.message ?? 'does not fit')}`;
    }
  }
}

const KINDS: Record<string, string> = {
  object: 'keys with values (key: value)',
  array: 'a list',
  string: 'a text',
  number: 'a number',
  integer: 'a whole number',
  boolean: 'true or false',
};

const LIMITS: Record<string, (limit: number) => string> = {
  minLength: (n) => (n === 1 ? 'must not be empty' : `must have at least ${n} characters`),
  maxLength: (n) => `must have at most ${n} characters`,
  minItems: (n) => `must have at least ${n} in its list`,
  maxItems: (n) => `must have at most ${n} in its list`,
  minProperties: (n) => `must have at least ${n} key${n === 1 ? '' : 's'}`,
  maxProperties: (n) => `must have at most ${n} keys`,
  minimum: (n) => `must be >= ${n}`,
  maximum: (n) => `must be <= ${n}`,
  exclusiveMinimum: (n) => `must be > ${n}`,
  exclusiveMaximum: (n) => `must be < ${n}`,
};

/** "a list of "Monday", "Tuesday" …, such as [Monday]". */
function listWords({ parentSchema }: ErrorObject): string {
  const { items } = (parentSchema ?? {}) as { items?: Shape & { anyOf?: Shape[] } };
  const values = items?.anyOf?.flatMap((one) => (typeof one.const === 'string' ? [one.const] : [])) ?? [];
  if (values.length > 0) return `a list of ${values.join(', ')}: write [${values[0]}]`;
  if (items?.type === 'string') return 'a list of texts: write [text, text]';
  return items?.type === 'object' ? 'a list: each of its entries begins with "- "' : 'a list';
}

/**
 * The keys of which one must be there, where no shape of a union fits at all; null for a union of another
 * kind.
 */
function keysOf(error: ErrorObject): string[] | null {
  const shapes = (error.parentSchema as { anyOf?: Shape[] } | undefined)?.anyOf;
  const data: unknown = error.data;
  if (!shapes?.every(({ type }) => type === 'object') || data === null || typeof data !== 'object')
    return null;
  const keys = [...new Set(shapes.flatMap(({ properties }) => Object.keys(properties ?? {}).slice(0, 1)))];
  const isMeant = Object.keys(data).some((key) =>
    shapes.some(({ properties }) => Object.hasOwn(properties ?? {}, key)),
  );
  return isMeant ? null : keys;
}

/** The texts of which one must be written; null where it is something else. */
function constsOf(error: ErrorObject): string[] | null {
  const { anyOf } = (error.parentSchema ?? {}) as { anyOf?: { const?: unknown }[] };
  if (!anyOf?.every((one) => one.const !== undefined)) return null;
  return anyOf.map((one) => JSON.stringify(one.const));
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
  return nearestOf(
    String((error.params as { additionalProperty: string }).additionalProperty),
    knownTo(error),
  );
}

/** The name that was probably meant. */
function nearestOf(wrong: string, names: readonly string[]): string | null {
  const all = names.map((name) => ({ name, far: distance(wrong.slice(0, 80), name) }));
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
