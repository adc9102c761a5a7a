/** An exchange with a program of this machine: one process a request, on its standard input and output. */
import { spawn } from 'node:child_process';
import { EngineFault } from '../common/contract.js';
import { childEnvironment } from '../hosts/environment.js';
import { cutInto, type Exchange, type Incoming } from './exchange.js';
import type { Hide } from './secrecy.js';

const COMPLAINT_CHARACTERS = 300;
/** So much of a complaint is kept until it is shown. */
const MOST_COMPLAINT_CHARACTERS = 4_000;

export interface ProcessCall {
  name: string;
  command: readonly string[];
  folder: string;
  form: 'lines' | 'events' | 'whole' | 'sound';
  hide: Hide;
  /** Variables that this program is given beside those that every program needs. */
  env: Record<string, string>;
  signal: AbortSignal;
}

export function withProcess({ name, command, folder, form, hide, env, signal }: ProcessCall): Exchange {
  const child = spawn(command[0]!, command.slice(1), {
    cwd: folder,
    stdio: ['pipe', 'pipe', 'pipe'],
    env: childEnvironment(env),
  });
  const kill = () => void child.kill('SIGKILL');
  signal.addEventListener('abort', kill, { once: true });
  let complaint = '';
  child.stderr.on(
    'data',
    (chunk: Buffer) => (complaint = (complaint + chunk.toString('utf8')).slice(-MOST_COMPLAINT_CHARACTERS)),
  );
  // A program that ends without reading all of its input is no fault: its answer tells.
  child.stdin.on('error', () => undefined);
  const ended = new Promise<EngineFault | null>((resolve) => {
    child.once('error', (error: NodeJS.ErrnoException) =>
      resolve(
        new EngineFault(
          'engine-down',
          error.code === 'ENOENT'
            ? `${name}: there is no program "${command[0]}" on this machine`
            : `${name}: ${error.message}`,
        ),
      ),
    );
    child.once('close', (code) =>
      resolve(
        code === 0
          ? null
          : new EngineFault(
              'engine-down',
              `${name} ended with code ${code}: ${hide(complaint.trim()).slice(-COMPLAINT_CHARACTERS)}`,
            ),
      ),
    );
  });
  return {
    send: (data) => void (child.stdin.writable && child.stdin.write(data)),
    finish: () => void child.stdin.end(),
    incoming: read(),
  };

  async function* read(): AsyncIterable<Incoming> {
    try {
      yield* cutInto(form, name, child.stdout as AsyncIterable<Buffer>);
      const fault = await ended;
      if (fault && !signal.aborted) throw fault;
    } finally {
      signal.removeEventListener('abort', kill);
      kill();
    }
  }
}
