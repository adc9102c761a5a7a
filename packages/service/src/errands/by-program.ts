/**
 * An errand that a program of the project does: it is given the run as JSON on standard input, and answers on
 * standard output.
 */
import { spawn } from 'node:child_process';
import type { RunOutcome } from '@verbalon/core';
import { childEnvironment } from '@verbalon/engines';
import { givenBy, MOST_ANSWER_BYTES } from './result.js';

const USUAL_DEADLINE_MS = 10_000;

export interface ProgramAround {
  /** Its working folder: the project's. */
  folder: string;
  signal: AbortSignal;
  tell(what: string): void;
}

/** Ended with 0 it is done; with another number it is not; ended by us, nobody can tell. */
export function doneByProgram(
  command: readonly string[],
  input: unknown,
  deadlineMs: number | undefined,
  { folder, signal, tell }: ProgramAround,
): Promise<RunOutcome> {
  const [program, ...args] = command as [string, ...string[]];
  return new Promise((resolve) => {
    const child = spawn(program, args, {
      cwd: folder,
      env: childEnvironment(),
      stdio: ['pipe', 'pipe', 'pipe'],
    });
    let out = '';
    let errors = '';
    let cut = false;
    const kill = () => {
      cut = true;
      child.kill('SIGKILL');
    };
    const timer = setTimeout(kill, deadlineMs ?? USUAL_DEADLINE_MS);
    signal.addEventListener('abort', kill, { once: true });
    child.stdout.setEncoding('utf8').on('data', (text: string) => {
      if (out.length + text.length <= MOST_ANSWER_BYTES) out += text;
    });
    child.stderr.setEncoding('utf8').on('data', (text: string) => (errors = (errors + text).slice(-500)));
    const over = (outcome: RunOutcome) => {
      clearTimeout(timer);
      signal.removeEventListener('abort', kill);
      resolve(outcome);
    };
    child.on('error', (error) => {
      tell(`${program} cannot be started: ${error.message}`);
      over({ ending: 'failed', given: {} });
    });
    child.on('close', (code) => {
      if (code === 0) return over({ ending: 'done', ...givenBy(parsed(out.trim())) });
      tell(
        cut
          ? `${program} was ended: it took too long, or was called off`
          : `${program} ended with ${code}: ${errors.trim()}`,
      );
      over({ ending: cut ? 'unsure' : 'failed', ...(cut ? { given: {} } : givenBy(parsed(out.trim()))) });
    });
    child.stdin.on('error', () => undefined);
    child.stdin.end(`${JSON.stringify(input)}\n`);
  });
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return text === '' ? undefined : text;
  }
}
