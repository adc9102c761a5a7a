/**
 * A process of ours that the kernel holds to limits of memory and time: what damaged sound makes a decoder do
 * happens there.
 */
import { spawn, type ChildProcess } from 'node:child_process';
import { existsSync } from 'node:fs';
import { setPriority } from 'node:os';
import { fileURLToPath } from 'node:url';
import { childEnvironment } from './environment.js';

/** Whoever talks live goes before (nice(1)). */
const PRIORITY = 10;
/** What the process may take, in bytes of data, and in seconds of a core. */
const MOST_MEMORY_BYTES = 700_000_000;
const MOST_CPU_S = 900;
/** Sets the limits that the kernel holds a process to; of Debian's util-linux. */
const PRLIMIT = '/usr/bin/prlimit';

/** @param lowly it is no part of a live talk */
export function spawnLimited(file: URL, lowly = false): ChildProcess {
  const host = fileURLToPath(file);
  const limits = [`--data=${MOST_MEMORY_BYTES}`, `--cpu=${MOST_CPU_S}`, '--core=0'];
  const [program, args] = existsSync(PRLIMIT)
    ? [PRLIMIT, [...limits, process.execPath, host]]
    : [process.execPath, [host]];
  const child = spawn(program, args, {
    stdio: ['ignore', 'ignore', 'pipe', 'ipc'],
    serialization: 'advanced',
    detached: true,
    env: childEnvironment(),
  });
  if (lowly && child.pid !== undefined) setPriority(child.pid, PRIORITY);
  return child;
}
