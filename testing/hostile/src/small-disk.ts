/** A small disk, for what a full one does. */
import { spawnSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';

/**
 * A file system of its own, of so many MB, for what a full disk does. @returns what takes it away; null where
 * it cannot be made
 */
export function smallDisk(folder: string, megabytes: number): (() => void) | null {
  mkdirSync(folder, { recursive: true });
  const made = spawnSync('mount', ['-t', 'tmpfs', '-o', `size=${megabytes}m,mode=0755`, 'tmpfs', folder]);
  return made.status === 0 ? () => void spawnSync('umount', ['-l', folder]) : null;
}
