/** Whatever the service refuses or reports, as it is thrown and as it is told (RFC 9457). */
import type { Problem } from '@verbalon/protocol';
import { PROBLEMS } from './catalogue.js';

export { PROBLEMS };

export type ProblemCode = keyof typeof PROBLEMS;

/** Thrown once, with a code from the catalogue; told to whoever can do something about it. */
export class ProblemError extends Error {
  constructor(
    readonly code: ProblemCode,
    readonly detail: string,
    /** Of a file: where it is wrong, from 1. */
    readonly line?: number,
    /** Of a file in which several things are wrong: all of them. */
    readonly all?: readonly { line: number; detail: string }[],
  ) {
    super(`${PROBLEMS[code].title}: ${detail}`);
    this.name = 'ProblemError';
  }
}

export function isProblemCode(code: string): code is ProblemCode {
  return Object.hasOwn(PROBLEMS, code);
}

/** RFC 9457. */
export function problemOf(code: ProblemCode, detail: string, line?: number): Problem {
  const { status, title, remedy } = PROBLEMS[code];
  const problem = { type: `urn:verbalon:problem:${code}`, title, status, detail, code, remedy };
  return line === undefined ? problem : { ...problem, line };
}
