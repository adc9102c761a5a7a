/**
 * The project's recorded callers: `recordings/NAME.wav`, each with its transcript `NAME.txt` (first line: a
 * title).
 */
import { statSync } from 'node:fs';
import { join } from 'node:path';
import {
  HOUSE_RATE_HZ,
  mixDown,
  msOfSamples,
  readWav,
  resample,
  samplesOfMs,
  toPcm16,
  wavLayout,
} from '@verbalon/core';
import type { RecordingSummary } from '@verbalon/protocol';
import { ProblemError } from '../problems/problems.js';
import { insideOf, readHead, readRegular } from '../project/inside.js';
import { namesIn } from '../project/read-yaml.js';

/** A recording that is read whole, and a text beside it, in bytes. */
export const MOST_SOUND_BYTES = 200_000_000;
export const MOST_TEXT_BYTES = 1_000_000;
/** Enough for the head of a WAV file. */
const HEAD_BYTES = 4_096;

export function listRecordings(projectFolder: string): RecordingSummary[] {
  const folder = recordingsOf(projectFolder);
  return wavIn(folder).flatMap((name) => {
    const file = insideOf(projectFolder, join('recordings', `${name}.wav`));
    const head = file === null ? null : readHead(file, HEAD_BYTES);
    if (file === null || head === null) return [];
    const [title = name, ...lines] = textOf(join(folder!, name))?.split('\n') ?? [];
    return [
      {
        name,
        title,
        transcript: lines.join('\n').trim(),
        durationMs: durationMsOf(head, statSync(file).size),
      },
    ];
  });
}

/** 0 for what is no WAV file. */
function durationMsOf(head: Uint8Array, bytes: number): number {
  try {
    const { from, to, frameBytes, rateHz } = wavLayout(head, bytes);
    return Math.round(msOfSamples((to - from) / frameBytes, rateHz));
  } catch {
    return 0;
  }
}

const wavIn = (folder: string | null): string[] => (folder === null ? [] : namesIn(folder, '.wav'));

/** What stands in the file beside a recording; null where there is none. */
function textOf(path: string, ending = 'txt'): string | null {
  return readRegular(`${path}.${ending}`, MOST_TEXT_BYTES)?.toString('utf8').trim() ?? null;
}

/** @throws ProblemError `recording-unknown` */
export function recordingFile(projectFolder: string, name: string): string {
  const file = /^[a-z0-9-]+$/.test(name) ? insideOf(projectFolder, join('recordings', `${name}.wav`)) : null;
  if (file === null || !statSync(file).isFile())
    throw new ProblemError('recording-unknown', `there is none with the name "${name}"`);
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
 * What was said in recordings, each saying by itself: where a sidecar `NAME.json` tells when it was said;
 * else all of a recording with the text of `NAME.txt`.
 * @param folder nothing outside it is read; null for one that is not there
 * @throws ProblemError `recording-unknown`
 */
export function recordedSayings(folder: string | null, names?: readonly string[]): Saying[] {
  const known = wavIn(folder);
  const unknown = names?.find((name) => !known.includes(name));
  if (unknown !== undefined)
    throw new ProblemError('recording-unknown', `there is none with the name "${unknown}"`);
  return (names ?? known).flatMap((name) => sayingsOf(folder!, name));
}

function sayingsOf(folder: string, name: string): Saying[] {
  const path = join(folder, name);
  const sound = () => {
    const bytes = insideOf(folder, `${path}.wav`) && readRegular(`${path}.wav`, MOST_SOUND_BYTES);
    if (!bytes) throw new ProblemError('recording-unknown', `${name}.wav is no file that can be read`);
    const { channels, rateHz } = readWav(bytes);
    return toPcm16(resample(mixDown(channels), rateHz, HOUSE_RATE_HZ));
  };
  const times = timesOf(path, name);
  if (times === null) {
    const text = textOf(path);
    return text === null ? [] : [{ name, group: name, text, samples: sound() }];
  }
  const all = sound();
  return times.map(({ text, fromMs, toMs }, i) => {
    const from = samplesOfMs(Math.max(0, fromMs - BEFORE_MS), HOUSE_RATE_HZ);
    const samples = all.slice(from, samplesOfMs(toMs + AFTER_MS, HOUSE_RATE_HZ));
    return { name: `${name} ${i + 1}`, group: name, text, samples };
  });
}

/**
 * When what was said, from the sidecar. @throws ProblemError `recording-unknown` for one that cannot be read
 */
function timesOf(path: string, name: string): { text: string; fromMs: number; toMs: number }[] | null {
  const json = textOf(path, 'json');
  if (json === null) return null;
  try {
    const { spoken } = JSON.parse(json) as { spoken: { text: string; fromMs: number; toMs: number }[] };
    return spoken.map(({ text, fromMs, toMs }) => ({ text: String(text), fromMs: +fromMs, toMs: +toMs }));
  } catch {
    throw new ProblemError('recording-unknown', `${name}.json does not tell when what was said`);
  }
}

/** The folder of a project's recordings; null where it has none. */
export const recordingsOf = (projectFolder: string): string | null => insideOf(projectFolder, 'recordings');

/** One saying to check ears with; a second of silence where the project has no recordings. */
export function recordingSound(projectFolder: string): { text: string; samples: Int16Array } {
  const none = { text: '', samples: new Int16Array(HOUSE_RATE_HZ) };
  return recordedSayings(recordingsOf(projectFolder))[0] ?? none;
}
