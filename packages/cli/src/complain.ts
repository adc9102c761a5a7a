/** Ends a command with what is wrong and what to do, in plain words. */
import { Fault } from '@verbalon/core';
import { ServiceError } from '@verbalon/client';
import { isProblemCode, ProblemError, PROBLEMS } from '@verbalon/service/problems';
import { terminal } from './terminal.js';

/** What went wrong as `code: words` and a remedy; what nobody foresaw is passed on. */
function describe(error: unknown): { code: string; words: string; remedy: string } {
  if (error instanceof ServiceError) {
    const { code, title, detail, remedy } = error.problem;
    return { code, words: `${title}: ${detail}`, remedy };
  }
  if (error instanceof ProblemError)
    return { code: error.code, words: error.message, remedy: PROBLEMS[error.code].remedy };
  if (error instanceof Fault && isProblemCode(error.code)) {
    const { title, remedy } = PROBLEMS[error.code];
    return { code: error.code, words: `${title}: ${error.detail}`, remedy };
  }
  const { code, message } = error as NodeJS.ErrnoException;
  if (code === 'ENOENT')
    return { code: 'file-missing', words: `There is no such file: ${message}`, remedy: 'Check its name.' };
  throw error;
}

/** In a line or two. */
export function complaint(error: unknown): string {
  const { code, words, remedy } = describe(error);
  return `${words} [${code}]\n${remedy === '' ? '' : `→ ${remedy}\n`}`;
}

/** How a command ends: `usage` where it was called wrongly, `away` where no service answers. */
export const EXIT = { failed: 1, usage: 2, away: 3 } as const;

export function exitCodeOf(error: unknown): number {
  return error instanceof ServiceError && error.problem.code === 'unreachable' ? EXIT.away : EXIT.failed;
}

/** A command has failed, and has said so. */
export class CommandFailed extends Error {
  constructor(readonly exitCode: number) {
    super(`the command failed with ${exitCode}`);
  }
}

/** @throws CommandFailed when it has been told */
export function complain(error: unknown): never {
  terminal.stderr.write(`verbalon: ${complaint(error)}`);
  throw new CommandFailed(exitCodeOf(error));
}
