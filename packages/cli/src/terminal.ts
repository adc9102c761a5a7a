/** Where a command reads and writes: the streams and variables of its process, or others. */
export interface Terminal {
  stdout: NodeJS.WritableStream & { isTTY?: boolean; columns?: number };
  stderr: NodeJS.WritableStream & { isTTY?: boolean };
  stdin: NodeJS.ReadableStream & { isTTY?: boolean };
  env: Readonly<Record<string, string | undefined>>;
}

/** The terminal of the command that runs, and how the command ends. One runs at a time. */
export const terminal: Terminal & { exitCode: number } = {
  stdout: process.stdout,
  stderr: process.stderr,
  stdin: process.stdin,
  env: process.env,
  exitCode: 0,
};

export function useTerminal(one: Terminal): void {
  Object.assign(terminal, one, { exitCode: 0 });
}
