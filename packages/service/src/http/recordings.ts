/** The project's recorded callers: `recordings/NAME.wav`, each with its transcript `NAME.txt` (first line: a title). */
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { msOfSamples, readWav } from '@verbalon/core';
import type { RecordingSummary } from '@verbalon/protocol';
import { ProblemError } from '../problems.js';

export function listRecordings(projectFolder: string): RecordingSummary[] {
  const folder = join(projectFolder, 'recordings');
  if (!existsSync(folder)) return [];
  return readdirSync(folder)
    .filter((file) => file.endsWith('.wav'))
    .sort()
    .map((file) => {
      const name = basename(file, '.wav');
      const notes = join(folder, `${name}.txt`);
      const [title = name, ...lines] = existsSync(notes)
        ? readFileSync(notes, 'utf8').trim().split('\n')
        : [];
      const { channels, rateHz } = readWav(readFileSync(join(folder, file)));
      const durationMs = Math.round(msOfSamples(channels[0]!.length, rateHz));
      return { name, title, transcript: lines.join('\n').trim(), durationMs };
    });
}

/** @throws ProblemError `recording-unknown` */
export function recordingFile(projectFolder: string, name: string): string {
  const file = join(projectFolder, 'recordings', `${name}.wav`);
  if (!/^[a-z0-9-]+$/.test(name) || !existsSync(file)) {
    throw new ProblemError('recording-unknown', `there is none with the name "${name}"`);
  }
  return file;
}
