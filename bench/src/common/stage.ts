/**
 * What all benches share: a project of their own, a service in this process, sayings with their true times,
 * tables.
 */
import { cpSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import {
  audibleEdges,
  HOUSE_RATE_HZ,
  percentile,
  readWav,
  samplesOfMs,
  toFloats,
  toPcm16,
  writeWav,
} from '@verbalon/core';
import { copyDemo } from '@verbalon/hostile';
import { serve, type EngineRegistry, type Service } from '@verbalon/service';
import { pino } from 'pino';

const root = fileURLToPath(new URL('../../..', import.meta.url));
const demo = join(root, 'demo');
const thinker = fileURLToPath(new URL('../../../standins/dist/thinker/main.js', import.meta.url));

const PHONE =
  "phone: { port: 0, numbers: { '*': tansy }, callsAtOnce: 200, sound: { from: 23000, to: 24999 } }\n";

export interface BenchService extends Service {
  end(): Promise<void>;
}

/**
 * A service on the demo project in which the caller speaks first, with the stand-in model's settings changed;
 * beside `tansy` there is `plain`, the same without expected phrases. Both answer only, unless errands are
 * wanted;
 * `office` is where they are done.
 */
export async function benchService(
  thinkerArguments: string[],
  engines?: EngineRegistry,
  withErrands = false,
  office = 'http://127.0.0.1:9',
): Promise<BenchService> {
  const folder = mkdtempSync(join(tmpdir(), 'verbalon-bench-'));
  const project = join(folder, 'project');
  mkdirSync(join(project, 'assistants'), { recursive: true });
  copyDemo(root, project, ['assistants', 'project.yaml']);
  cpSync(join(demo, 'assistants/tansy.pls'), join(project, 'assistants/tansy.pls'));
  for (const file of readdirSync(join(project, 'errands'))) {
    const path = join(project, 'errands', file);
    const text = readFileSync(path, 'utf8')
      .replaceAll('standin:office', office)
      .replace(/^ *(?:secret|headers): .*\n/gm, '');
    writeFileSync(path, text);
  }
  // The caller speaks first, and a goodbye is a turn like any other: it does not close the talk.
  const tansy = readFileSync(join(demo, 'assistants/tansy.yaml'), 'utf8')
    .replace('speaksFirst: assistant', 'speaksFirst: caller')
    .replace(/farewell: .*/, "farewell: ''")
    .replace(/^errands:.*\n(?: +.*\n)*/m, withErrands ? '$&' : '');
  writeFileSync(join(project, 'assistants/tansy.yaml'), tansy);
  writeFileSync(join(project, 'assistants/plain.yaml'), tansy.slice(0, tansy.indexOf('lexicon:')));
  const start = JSON.stringify([
    thinker,
    '--knowledge',
    'knowledge/huts.yaml',
    '--seed',
    '11',
    ...thinkerArguments,
  ]);
  writeFileSync(
    join(project, 'project.yaml'),
    `title: bench\nassistant: tansy\n${PHONE}standins:\n  - { name: thinker, start: ${start} }\n`,
  );
  const service = await serve({
    projectFolder: project,
    dataFolder: join(folder, 'data'),
    port: 0,
    log: pino({ level: 'error' }, pino.destination(2)),
    ...(engines ? { engines } : {}),
  });
  for (let ready = false; !ready;) {
    ready = (await fetch(`${service.address}/readyz`)).ok;
    if (!ready) await new Promise((done) => setTimeout(done, 50));
  }
  return {
    ...service,
    end: async () => {
      await service.stop();
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

export interface Saying {
  walker: string;
  text: string;
  /** The sound itself, at the house rate, from its first to its last sample. */
  samples: Int16Array;
}

/** Every saying of these walkers, cut from their recordings at its true times. */
export function sayings(walkers: readonly string[]): Saying[] {
  return walkers.flatMap((walker) => {
    const { channels, rateHz } = readWav(readFileSync(join(demo, 'recordings', `${walker}.wav`)));
    const truth = JSON.parse(readFileSync(join(demo, 'recordings', `${walker}.json`), 'utf8')) as {
      spoken: { text: string; fromMs: number; toMs: number }[];
    };
    if (rateHz !== HOUSE_RATE_HZ) throw new Error(`${walker} is not recorded at ${HOUSE_RATE_HZ} Hz`);
    return truth.spoken.map(({ text, fromMs, toMs }) => ({
      walker,
      text,
      samples: toPcm16(channels[0]!.slice(samplesOfMs(fromMs, rateHz), samplesOfMs(toMs, rateHz))),
    }));
  });
}

/** Sounds at their times in a quiet room (-68 dBFS of noise), as a WAV file. */
export function recordingOf(
  parts: readonly { atMs: number; samples: Int16Array }[],
  lengthMs: number,
): Uint8Array {
  const out = Int16Array.from(
    { length: samplesOfMs(lengthMs, HOUSE_RATE_HZ) },
    (_, i) => ((i * 7919) % 27) - 13,
  );
  for (const { atMs, samples } of parts) out.set(samples, samplesOfMs(atMs, HOUSE_RATE_HZ));
  return writeWav([out], HOUSE_RATE_HZ);
}

/** First and last audible moment of a lane after `fromMs`, in ms. */
export function audible(
  lane: Int16Array,
  rateHz: number,
  fromMs = 0,
): { fromMs: number; toMs: number } | null {
  const edges = audibleEdges(toFloats(lane.subarray(samplesOfMs(fromMs, rateHz))), rateHz);
  const ms = (sample: number) => fromMs + (sample * 1000) / rateHz;
  return edges && { fromMs: ms(edges.from), toMs: ms(edges.to) };
}

export const round = (value: number, digits = 0) => Number(value.toFixed(digits));

export function spread(values: readonly number[]): { n: number; p50: number; p95: number; p99: number } {
  const at = (share: number) => round(percentile(values, share), 1);
  return { n: values.length, p50: at(0.5), p95: at(0.95), p99: at(0.99) };
}

/** Runs so many at a time, in order. */
export async function together<T, R>(
  items: readonly T[],
  many: number,
  run: (item: T) => Promise<R>,
): Promise<R[]> {
  const results: R[] = [];
  for (let at = 0; at < items.length; at += many)
    results.push(...(await Promise.all(items.slice(at, at + many).map(run))));
  return results;
}
