/** The data folder: writable, and used by one service at a time. */
import { accessSync, constants, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { randomUUID } from 'node:crypto';
import { join, resolve } from 'node:path';
import { ProblemError } from '../problems/problems.js';

export interface DataFolder {
  path: string;
  /** Names this folder's service in the database, over restarts. */
  serviceId: string;
  release(): void;
}

/** @throws ProblemError `data-not-writable` or `data-in-use` */
export function takeDataFolder(folder: string): DataFolder {
  const path = resolve(folder);
  const lock = join(path, 'service.pid');
  const idFile = join(path, 'service-id');
  try {
    mkdirSync(path, { recursive: true });
    accessSync(path, constants.W_OK);
    if (!existsSync(idFile)) writeFileSync(idFile, randomUUID());
  } catch (error) {
    throw new ProblemError('data-not-writable', `${path}: ${(error as Error).message}`);
  }
  takeLock(lock, path);
  return {
    path,
    serviceId: readFileSync(idFile, 'utf8').trim(),
    release: () => rmSync(lock, { force: true }),
  };
}

/** The lock names the process and when it began: a number may have been given to another process since. */
function takeLock(lock: string, path: string): void {
  for (;;) {
    try {
      return writeFileSync(lock, `${process.pid} ${beganAt(process.pid)}`, { flag: 'wx' });
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') {
        throw new ProblemError('data-not-writable', `${path}: ${(error as Error).message}`);
      }
      const [holder, began] = readFileSync(lock, 'utf8').split(' ');
      const pid = Number(holder);
      if (pid > 0 && pid !== process.pid && began !== undefined && began === beganAt(pid))
        throw new ProblemError('data-in-use', `${path} is used by process ${holder}`);
      rmSync(lock, { force: true });
    }
  }
}

/**
 * When a process began, in ticks since the machine did (proc(5), the 22nd field of stat); null for one that
 * is gone.
 */
function beganAt(pid: number): string | null {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    // The name of the program, in brackets, may hold anything.
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19] ?? null;
  } catch {
    return null;
  }
}
