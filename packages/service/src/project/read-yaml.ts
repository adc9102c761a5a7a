/** Reads YAML and checks it against its schema; what is wrong is told with file and line. */
import { readFileSync } from 'node:fs';
import { isNode, LineCounter, parseDocument, type Document } from 'yaml';
import { Fault } from '@verbalon/core';
import { check } from '@verbalon/protocol';
import { ProblemError, type ProblemCode } from '../problems.js';

type Schema = Parameters<typeof check>[0];

/** @throws ProblemError `code` with `file:line: what is wrong` */
export function readYaml<T>(file: string, schema: Schema, code: ProblemCode): T {
  return parseYaml<T, T>(readText(file, code), file, schema, code, (value) => value);
}

/** @throws ProblemError `code` */
export function readText(file: string, code: ProblemCode): string {
  try {
    return readFileSync(file, 'utf8');
  } catch {
    throw new ProblemError(code, `${file} cannot be read`);
  }
}

/**
 * @param make makes of the checked value what is wanted; a Fault with a path is told at its line
 * @throws ProblemError `code` with `name:line: what is wrong`
 */
export function parseYaml<T, U>(
  text: string,
  name: string,
  schema: Schema,
  code: ProblemCode,
  make: (value: T) => U,
): U {
  const lines = new LineCounter();
  const document = parseDocument(text, { lineCounter: lines, prettyErrors: false });
  const wrong = (line: number, detail: string) => new ProblemError(code, `${name}:${line}: ${detail}`, line);
  const error = document.errors[0];
  if (error) throw wrong(lines.linePos(error.pos[0]).line, error.message);
  const checked = check(schema, document.toJS());
  if (!checked.ok) throw wrong(lineOf(document, lines, checked.path), checked.detail);
  try {
    return make(checked.value as T);
  } catch (fault) {
    if (!(fault instanceof Fault)) throw fault;
    throw wrong(lineOf(document, lines, fault.path), fault.detail);
  }
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
