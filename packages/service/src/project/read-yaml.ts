/** Reads YAML and checks it against its schema; what is wrong is told with file and line. */
import { existsSync, readdirSync } from 'node:fs';
import { basename } from 'node:path';
import { isNode, LineCounter, parseDocument, visit, type Document } from 'yaml';
import { Fault } from '@verbalon/core';
import { check, type Wrong } from '@verbalon/protocol';
import { yamlNestsTooDeep } from '../common/nesting.js';
import { ProblemError, type ProblemCode } from '../problems/problems.js';
import { readRegular } from './inside.js';

type Schema = Parameters<typeof check>[0];

/** A file of a project is not larger, in bytes. */
const MOST_FILE_BYTES = 500_000;
/** What aliases of YAML may stand for in all. */
const MOST_ALIASES = 100;

/** Names of the files of a folder with this ending, without it; none where there is no folder. */
export function namesIn(folder: string, ending = '.yaml'): string[] {
  if (!existsSync(folder)) return [];
  return readdirSync(folder)
    .filter((file) => file.endsWith(ending))
    .map((file) => basename(file, ending))
    .sort();
}

/** @throws ProblemError `code` */
export function readText(file: string, code: ProblemCode): string {
  const bytes = readRegular(file, MOST_FILE_BYTES);
  if (bytes) return bytes.toString('utf8');
  throw new ProblemError(
    code,
    `${file} cannot be read: it is not there, no regular file, or larger than ${MOST_FILE_BYTES} bytes`,
  );
}

/**
 * @param make makes of the checked value what is wanted; a Fault with a path is told at its line
 * @param mistakes what else is wrong with a value that fits its schema: all of it is told
 * @throws ProblemError `code` with `name:line: what is wrong`, and up to 20 such things
 */
export function parseYaml<T, U>(
  text: string,
  name: string,
  schema: Schema,
  code: ProblemCode,
  make: (value: T) => U,
  mistakes: (value: T) => Fault[] = () => [],
): U {
  if (text.length > MOST_FILE_BYTES)
    throw new ProblemError(code, `${name}: it is larger than ${MOST_FILE_BYTES} bytes`, 1);
  if (yamlNestsTooDeep(text))
    throw new ProblemError(code, `${name}: brackets, or lists, stand within each other a hundred deep`, 1);
  const lines = new LineCounter();
  const document = parseDocument(text, { lineCounter: lines, prettyErrors: false });
  const wrong = (line: number, detail: string) => new ProblemError(code, `${name}:${line}: ${detail}`, line);
  const many = (found: readonly Wrong[], count: number) => {
    const all = found.map(({ path, detail }) => ({ line: lineOf(document, lines, path), detail }));
    const [first, ...others] = all;
    const told = others.map(({ line, detail }) => `line ${line}: ${detail}`);
    const left = count - all.length;
    const words = [first!.detail, ...told, ...(left > 0 ? [`and ${left} more`] : [])].join('; ');
    return new ProblemError(code, `${name}:${first!.line}: ${words}`, first!.line, all);
  };
  const error = document.errors[0];
  if (error) throw wrong(lines.linePos(error.pos[0]).line, yamlWords(error));
  const checked = check(schema, plainOf(document, lines, wrong));
  if (!checked.ok) throw many(checked.wrong, checked.count);
  const found = mistakes(checked.value as T);
  if (found.length > 0) throw many(found, found.length);
  try {
    return make(checked.value as T);
  } catch (fault) {
    if (fault instanceof ProblemError) throw fault;
    if (fault instanceof Fault) throw wrong(lineOf(document, lines, fault.path), fault.detail);
    // Whatever it is that cannot be made of it: only this file suffers.
    throw wrong(1, `it cannot be used: ${(fault as Error).message}`);
  }
}

/** What the reader of YAML says, in our words where a mistake is a common one. */
function yamlWords({ code, message }: { code: string; message: string }): string {
  const known: Record<string, string> = {
    TAB_AS_INDENT: 'it is indented with a tab: use spaces',
    BAD_INDENT: 'it is indented differently from what stands beside it',
    DUPLICATE_KEY: 'a key stands here twice',
    MISSING_CHAR: 'something is missing here: a quote or a bracket that closes, or a space after a colon',
  };
  return known[code] ?? `it is not YAML here: ${message.split('\n')[0]}`;
}

/**
 * The document's value, with its aliases filled in: known ones, and not so many that they grow without
 * bounds.
 */
function plainOf(
  document: Document,
  lines: LineCounter,
  wrong: (line: number, detail: string) => ProblemError,
): unknown {
  let firstAlias = 1;
  visit(document, {
    Alias: (_, alias) => {
      const line = alias.range ? lines.linePos(alias.range[0]).line : 1;
      if (firstAlias === 1) firstAlias = line;
      if (alias.resolve(document)) return;
      throw wrong(line, `"*${alias.source}" stands for nothing here; text that begins with * wants quotes`);
    },
  });
  try {
    return document.toJS({ maxAliasCount: MOST_ALIASES });
  } catch {
    throw wrong(firstAlias, `its aliases (*name) stand for more than ${MOST_ALIASES} things`);
  }
}

/** The line, in a YAML file, of what a JSON Pointer names; null where it cannot be read. */
export function lineIn(text: string, pointer: string): number | null {
  const lines = new LineCounter();
  const document = parseDocument(text.slice(0, MOST_FILE_BYTES), { lineCounter: lines, prettyErrors: false });
  return document.errors.length > 0 ? null : lineOf(document, lines, pointer);
}

/** The line of what a JSON Pointer names, or of the nearest thing around it. */
function lineOf(document: Document, lines: LineCounter, pointer: string): number {
  const path = pointer
    .split('/')
    .slice(1)
    .map((step) => step.replaceAll('~1', '/').replaceAll('~0', '~'))
    .map((step) => (/^\d+$/.test(step) ? Number(step) : step));
  for (let depth = path.length; depth >= 0; depth--) {
    const node = depth === 0 ? document.contents : document.getIn(path.slice(0, depth), true);
    if (isNode(node) && node.range) return lines.linePos(node.range[0]).line;
  }
  return 1;
}
