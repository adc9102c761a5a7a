/** Recordings that somebody brings for a tryout: kept in the data folder until it is over, or for an hour. */
import { existsSync, mkdirSync, readdirSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import { ProblemError } from '../problems/problems.js';
import { receive } from './receive.js';
import { MOST_SOUND_BYTES, MOST_TEXT_BYTES } from './recordings.js';

const KEPT_MS = 3_600_000;
const MOST_FILES = 1_000;
/** Of all that is kept, in bytes. */
const MOST_BYTES = 2_000_000_000;
const FILE = /^[A-Za-z0-9][A-Za-z0-9._ -]{0,99}\.(?:wav|txt|json)$/;

export class BroughtRecordings {
  private readonly folder: string;

  constructor(dataFolder: string) {
    this.folder = join(dataFolder, 'uploads', 'brought');
  }

  /**
   * @param id a UUID, the same for all files of one tryout
   * @param file such as `mine.wav`, with `mine.txt` or `mine.json` as for recordings of the project
   * @throws ProblemError for a name that is none, or for more than is kept
   */
  async take(id: string, file: string, bytes: Readable): Promise<void> {
    if (!FILE.test(file))
      throw new ProblemError('request-broken', `"${file}" is no name of a .wav, .txt or .json file`);
    this.forgetOld();
    const { count, total } = this.kept();
    if (count >= MOST_FILES)
      throw new ProblemError('recordings-too-many', `${MOST_FILES} files are here already`);
    const most = Math.min(file.endsWith('.wav') ? MOST_SOUND_BYTES : MOST_TEXT_BYTES, MOST_BYTES - total);
    mkdirSync(join(this.folder, id), { recursive: true });
    await receive(bytes, join(this.folder, id, file), most);
  }

  /** @throws ProblemError `recording-unknown` */
  folderOf(id: string): string {
    const folder = join(this.folder, id);
    if (existsSync(folder)) return folder;
    throw new ProblemError('recording-unknown', `nothing was brought as ${id}; it is kept for an hour`);
  }

  forget(id: string): void {
    rmSync(join(this.folder, id), { recursive: true, force: true });
  }

  private forgetOld(): void {
    for (const id of this.ids())
      if (statSync(join(this.folder, id)).mtimeMs < Date.now() - KEPT_MS) this.forget(id);
  }

  private kept(): { count: number; total: number } {
    const files = this.ids().flatMap((id) =>
      readdirSync(join(this.folder, id)).map((file) => join(this.folder, id, file)),
    );
    return { count: files.length, total: files.reduce((sum, file) => sum + statSync(file).size, 0) };
  }

  private ids(): string[] {
    return existsSync(this.folder) ? readdirSync(this.folder) : [];
  }
}
