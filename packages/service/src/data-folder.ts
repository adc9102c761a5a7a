/** The data folder: writable, and used by one service at a time. */
import { accessSync, constants, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { randomUUID } from 'node:crypto';
import { join, resolve } from 'node:path';
import { ProblemError } from './problems.js';

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

function takeLock(lock: string, path: string): void {
  for (;;) {
    try {
      return writeFileSync(lock, String(process.pid), { flag: 'wx' });
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') {
        throw new ProblemError('data-not-writable', `${path}: ${(error as Error).message}`);
      }
      const holder = Number(readFileSync(lock, 'utf8'));
      if (isAlive(holder)) throw new ProblemError('data-in-use', `${path} is used by process ${holder}`);
      rmSync(lock, { force: true });
    }
  }
}

function isAlive(pid: number): boolean {
  if (!pid || pid === process.pid) return false;
  try {
    process.kill(pid, 0);
    // A process id may have been given to another program since.
    return (
      !existsSync(`/proc/${pid}/cmdline`) || readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('node')
    );
  } catch {
    return false;
  }
}
