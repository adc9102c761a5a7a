/**
 * `npm run bench expected`: the local ears where it is known what a caller may say. Callers keep to what is
 * expected, nearly do, or say something else; each sound is heard by both hearings and by the open one alone.
 */
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { addErrors, errorsIn, NARROW_RATE_HZ, seeded, wordErrors, type ClosedHearing } from '@verbalon/core';
import { FliteEngine, PocketSphinxEngine, type HearingProfile } from '@verbalon/engines';
import { shareOf } from '../common/statistics.js';
import { assistantsOf } from '../turns/assistants.js';
import { eachOf } from '../turns/hear.js';
import { NOISE_KINDS } from '../turns/noises.js';
import type { Half } from '../turns/sentences.js';
import type { Condition } from '../turns/set.js';
import { Callers, type Saying, type SayingKind } from './sayings.js';
import { QUIET, Sounds, withNames } from './sounds.js';

const HALF = (process.env.VERBALON_HALF ?? 'report') as Half;
const SEEDS = (process.env.VERBALON_SEED ?? '1').split(',').map(Number);
/** Of 1: so many of all sayings are said. */
const PART = Number(process.env.VERBALON_PART ?? 1);
/** To each assistant, in each surroundings, with each seed. */
const SAYINGS: Record<SayingKind, number> = { expected: 30, near: 20, loose: 10, other: 20 };
/** Sayings of each take turns in its surroundings. */
const CONDITIONS: Readonly<Record<string, readonly Condition[]>> = {
  quiet: [QUIET],
  '10 dB': NOISE_KINDS.map((noise) => ({ ...QUIET, noise, snrDb: 10 })),
  '8 kHz': [{ ...QUIET, rateHz: NARROW_RATE_HZ }],
};
const PIECE_SAMPLES = 640;

interface Final {
  words: string;
  closed: ClosedHearing | undefined;
}

interface Heard extends Saying {
  condition: string;
  both: Final;
  alone: Final;
}

export async function expectedBench(): Promise<object> {
  const voice = new FliteEngine({
    name: 'v',
    title: 'v',
    languages: ['en'],
    voices: { slt: 'slt' },
    hosts: 1,
  });
  const ears = new PocketSphinxEngine({
    name: 'ears',
    title: 'ears',
    languages: ['en'],
    hosts: 2,
    workFolder: mkdtempSync(join(tmpdir(), 'bench-expected-')),
  });
  await ears.warm();
  const heard: Heard[] = [];
  try {
    for (const seed of SEEDS) heard.push(...(await withSeed(seed, voice, ears)));
  } finally {
    await Promise.all([voice.close(), ears.close()]);
  }
  const conditions = [...Object.keys(CONDITIONS)].map((condition) => [
    condition,
    figuresOf(heard.filter((one) => one.condition === condition)),
  ]);
  return { seeds: SEEDS, half: HALF, ...Object.fromEntries(conditions) };
}

async function withSeed(seed: number, voice: FliteEngine, ears: PocketSphinxEngine): Promise<Heard[]> {
  const sounds = await Sounds.open(HALF, seed);
  const heard: Heard[] = [];
  for (const assistant of assistantsOf(HALF)) {
    if (!assistant.profile) continue;
    const both = await withNames(assistant.profile, voice);
    const alone: HearingProfile = { ...both, key: `${both.key}-alone` };
    delete alone.grammar;
    await ears.prepare(both);
    await ears.prepare(alone);
    const callers = new Callers(assistant, HALF, seeded(seed));
    for (const [condition, around] of Object.entries(CONDITIONS)) {
      const said: { saying: Saying; samples: Int16Array; how: Condition }[] = [];
      for (const [kind, count] of Object.entries(SAYINGS))
        for (let i = 0; i < Math.ceil(PART * count); i++) {
          const saying = callers.next(kind as SayingKind);
          const how = around[said.length % around.length]!;
          said.push({ saying, samples: await sounds.of(saying.text, how), how });
        }
      heard.push(
        ...(await eachOf(said, async ({ saying, samples, how }) => ({
          ...saying,
          condition,
          both: await hear(ears, both, saying, samples, how),
          alone: await hear(ears, alone, saying, samples, how),
        }))),
      );
    }
  }
  await sounds.close();
  return heard;
}

let talks = 0;

async function hear(
  ears: PocketSphinxEngine,
  profile: HearingProfile,
  { asked }: Saying,
  samples: Int16Array,
  { rateHz }: Condition,
): Promise<Final> {
  const talk = `talk-${talks++}`;
  const stream = ears.open({
    language: 'en',
    profile,
    talk,
    narrow: rateHz <= NARROW_RATE_HZ,
    stay: null,
    signal: new AbortController().signal,
    ...(asked === null ? {} : { expecting: asked }),
  });
  for (let at = 0; at < samples.length; at += PIECE_SAMPLES)
    stream.push(samples.slice(at, at + PIECE_SAMPLES));
  stream.finish();
  for await (const event of stream.events)
    if (event.kind === 'final') {
      ears.forget(talk);
      return { words: event.words.map(({ word }) => word).join(' '), closed: event.closed };
    }
  throw new Error('nothing was heard for good');
}

function figuresOf(heard: readonly Heard[]) {
  const of = (kind: SayingKind) => heard.filter((one) => one.kind === kind);
  const expected = of('expected');
  const others = heard.filter(({ kind }) => kind !== 'expected');
  const right = (all: readonly Heard[], by: 'both' | 'alone') =>
    shareOf(all.filter((one) => one[by].words === one.text).length, all.length);
  const errors = (by: 'both' | 'alone') => {
    const all = addErrors(others.map((one) => wordErrors(one.text.split(' '), one[by].words.split(' '))));
    return shareOf(errorsIn(all), all.words);
  };
  // The closed words in the place of others that were said.
  const taken = (all: readonly Heard[]) =>
    shareOf(
      all.filter(({ both }) => both.closed !== undefined && both.words === both.closed.text).length,
      all.length,
    );
  return {
    expectedRight: right(expected, 'both'),
    expectedRightAlone: right(expected, 'alone'),
    usual: right(
      expected.filter(({ asked }) => asked === null),
      'both',
    ),
    asked: right(
      expected.filter(({ asked }) => asked !== null),
      'both',
    ),
    nearTaken: taken(of('near')),
    looseTaken: taken(of('loose')),
    otherTaken: taken(of('other')),
    otherErrors: errors('both'),
    otherErrorsAlone: errors('alone'),
  };
}
