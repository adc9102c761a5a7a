/**
 * Files of a project: only what lies in its folder, links followed, and only regular files, so that none is
 * waited for.
 */
import { closeSync, constants, fstatSync, openSync, readFileSync, readSync, realpathSync } from 'node:fs';
import { join, relative, isAbsolute, sep } from 'node:path';

/**
 * The real path of what lies in this folder, however it is named; null for what lies elsewhere or is not
 * there.
 */
export function insideOf(folder: string, name: string): string | null {
  try {
    const path = realpathSync(isAbsolute(name) ? name : join(folder, name));
    const way = relative(realpathSync(folder), path);
    return way === '..' || way.startsWith(`..${sep}`) || isAbsolute(way) ? null : path;
  } catch {
    return null;
  }
}

/** The first bytes of a regular file; null for one that is none, or is not there. */
export function readHead(path: string, bytes: number): Buffer | null {
  return withRegular(path, (file) => {
    const head = Buffer.alloc(bytes);
    return head.subarray(0, readSync(file, head, 0, bytes, 0));
  });
}

/** The bytes of a regular file; null for one that is none, is not there, or is larger. */
export function readRegular(path: string, mostBytes: number): Buffer | null {
  return withRegular(path, (file, size) => (size <= mostBytes ? readFileSync(file) : null));
}

function withRegular(path: string, read: (file: number, size: number) => Buffer | null): Buffer | null {
  let file: number;
  try {
    // Without this flag a FIFO that nobody writes to would be waited for.
    file = openSync(path, constants.O_RDONLY | constants.O_NONBLOCK);
  } catch {
    return null;
  }
  try {
    const stat = fstatSync(file);
    return stat.isFile() ? read(file, stat.size) : null;
  } catch {
    return null;
  } finally {
    closeSync(file);
  }
}
