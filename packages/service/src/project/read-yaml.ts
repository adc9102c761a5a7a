/** Reads one YAML file and checks it against its schema; what is wrong is told with file and line. */
import { readFileSync } from 'node:fs';
import { isNode, LineCounter, parseDocument } from 'yaml';
import { check } from '@verbalon/protocol';
import { ProblemError, type ProblemCode } from '../problems.js';

type Schema = Parameters<typeof check>[0];

/** @throws ProblemError `code` with `file:line: what is wrong` */
export function readYaml<T>(file: string, schema: Schema, code: ProblemCode): T {
  let text: string;
  try {
    text = readFileSync(file, 'utf8');
  } catch {
    throw new ProblemError(code, `${file} cannot be read`);
  }
  const lines = new LineCounter();
  const document = parseDocument(text, { lineCounter: lines, prettyErrors: false });
  const error = document.errors[0];
  if (error) throw new ProblemError(code, `${file}:${lines.linePos(error.pos[0]).line}: ${error.message}`);
  const checked = check(schema, document.toJS());
  if (checked.ok) return checked.value as T;
  throw new ProblemError(code, `${file}:${lineOf(checked.path)}: ${checked.detail}`);

  function lineOf(pointer: string): number {
    const path = pointer
      .split('/')
      .slice(1)
      .map((step) => step.replaceAll('~1', '/').replaceAll('~0', '~'));
    for (let depth = path.length; depth >= 0; depth--) {
      const node = depth === 0 ? document.contents : document.getIn(path.slice(0, depth), true);
      if (isNode(node) && node.range) return lines.linePos(node.range[0]).line;
    }
    return 1;
  }
}
