/** What stands at the other end of standard input. */
import { fstatSync } from 'node:fs';
import { terminal } from './terminal.js';

/** Lines come from a pipe or a file. A program that only starts this one gives none: a socket, or nothing. */
export function isFedLines(): boolean {
  if (terminal.stdin !== process.stdin || process.stdin.isTTY) return false;
  try {
    const stat = fstatSync(0);
    return stat.isFIFO() || stat.isFile();
  } catch {
    return false;
  }
}
