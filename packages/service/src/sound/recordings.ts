/** The project's recorded callers: `recordings/NAME.wav`, each with its transcript `NAME.txt` (first line: a title). */
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { HOUSE_RATE_HZ, mixDown, msOfSamples, readWav, resample, samplesOfMs, toPcm16 } from '@verbalon/core';
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

/** A stretch of sound, and what was said in it. */
export interface Saying {
  name: string;
  /** Sayings of one speaker have one. */
  group: string;
  text: string;
  /** At HOUSE_RATE_HZ. */
  samples: Int16Array;
}

/** Before and after a saying so much of the recording belongs to it, in ms. */
const BEFORE_MS = 250;
const AFTER_MS = 200;

/**
 * What was said in a folder's recordings, each saying by itself: where a sidecar `NAME.json` tells when it was said; else all of
 * a recording with the text of `NAME.txt`. @throws ProblemError `recording-unknown`
 */
export function recordedSayings(folder: string, names?: readonly string[]): Saying[] {
  if (!existsSync(folder)) throw new ProblemError('recording-unknown', `there is no folder ${folder}`);
  const known = readdirSync(folder).filter((file) => file.endsWith('.wav')).map((file) => basename(file, '.wav')); // prettier-ignore
  const unknown = names?.find((name) => !known.includes(name));
  if (unknown !== undefined)
    throw new ProblemError('recording-unknown', `there is none with the name "${unknown}" in ${folder}`);
  return (names ?? known.sort()).flatMap((name) => sayingsOf(join(folder, name), name));
}

function sayingsOf(path: string, name: string): Saying[] {
  const sound = () => {
    const { channels, rateHz } = readWav(readFileSync(`${path}.wav`));
    return toPcm16(resample(mixDown(channels), rateHz, HOUSE_RATE_HZ));
  };
  if (!existsSync(`${path}.json`)) {
    if (!existsSync(`${path}.txt`)) return [];
    return [{ name, group: name, text: readFileSync(`${path}.txt`, 'utf8').trim(), samples: sound() }];
  }
  const { spoken } = JSON.parse(readFileSync(`${path}.json`, 'utf8')) as {
    spoken: { text: string; fromMs: number; toMs: number }[];
  };
  const all = sound();
  return spoken.map(({ text, fromMs, toMs }, i) => {
    const from = samplesOfMs(Math.max(0, fromMs - BEFORE_MS), HOUSE_RATE_HZ);
    const samples = all.slice(from, samplesOfMs(toMs + AFTER_MS, HOUSE_RATE_HZ));
    return { name: `${name} ${i + 1}`, group: name, text, samples };
  });
}

/** One saying to check ears with; a second of silence where the project has no recordings. */
export function recordingSound(projectFolder: string): { text: string; samples: Int16Array } {
  const folder = join(projectFolder, 'recordings');
  const none = { text: '', samples: new Int16Array(HOUSE_RATE_HZ) };
  return existsSync(folder) ? (recordedSayings(folder)[0] ?? none) : none;
}
