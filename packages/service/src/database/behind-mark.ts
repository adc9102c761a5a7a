import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** Keeps in the data folder since when nothing can be stored, for the start after a kill. */
export class BehindMark {
  private readonly file: string;

  constructor(dataFolder: string) {
    this.file = join(dataFolder, 'storing-behind-since');
  }

  get(): Date | null {
    if (!existsSync(this.file)) return null;
    const since = new Date(readFileSync(this.file, 'utf8'));
    return Number.isNaN(since.getTime()) ? null : since;
  }

  set(since: Date | null): void {
    try {
      if (since === null) rmSync(this.file, { force: true });
      else writeFileSync(this.file, since.toISOString());
    } catch {
      // A full disk is what may have stopped the storing: the mark is only a help.
    }
  }
}
