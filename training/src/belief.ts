/**
 * `npm run train belief`: trains how probable it is that what the closed hearing has was said
 * (core/src/closed-hearing), on callers of the half that is tuned on, and prints the weights.
 */
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Callers, type Saying, type SayingKind } from '@verbalon/bench/expected/sayings';
import { QUIET, Sounds, withNames } from '@verbalon/bench/expected/sounds';
import { assistantsOf, type BenchAssistant } from '@verbalon/bench/turns/assistants';
import { NOISE_KINDS } from '@verbalon/bench/turns/noises';
import type { Condition } from '@verbalon/bench/turns/set';
import {
  beliefFeatures,
  BELIEF_FEATURES,
  NARROW_RATE_HZ,
  seeded,
  sigmoid,
  type TwoHearings,
} from '@verbalon/core';
import { FliteEngine } from '@verbalon/engines';
import {
  ClosedDecoder,
  Hearings,
  modelFolder,
  OpenDecoder,
  profileMessage,
} from '@verbalon/engines/local-ears';

const SEED = 601;
/** So many of each kind are said to each assistant, so many times in the surroundings below. */
const SAYINGS: Record<SayingKind, number> = { expected: 24, near: 16, loose: 0, other: 20 };
const SURROUNDINGS: readonly [Condition, times: number][] = [
  [QUIET, 3],
  [{ ...QUIET, rateHz: NARROW_RATE_HZ }, 1.5],
  ...NOISE_KINDS.flatMap((noise): [Condition, number][] =>
    [15, 10].map((snrDb) => [{ ...QUIET, noise, snrDb }, 0.5]),
  ),
];
const kindsOf = (times: number) =>
  Object.entries(SAYINGS).flatMap(([kind, count]) =>
    Array<SayingKind>(Math.round(times * count)).fill(kind as SayingKind),
  );
const PIECE_SAMPLES = 640;
const ROUNDS = 6_000;
const STEP = 4;
/** Weights are kept small. */
const DECAY = 0.0005;

interface Example {
  features: readonly number[];
  isSaid: boolean;
  kind: SayingKind;
  condition: Condition;
}

class Listener {
  private readonly hearings = new Hearings(new OpenDecoder(modelFolder()), new ClosedDecoder(modelFolder()));
  private readonly folder = mkdtempSync(join(tmpdir(), 'train-belief-'));
  private files = 0;

  constructor(private readonly voice: FliteEngine) {}

  async learn({ profile }: BenchAssistant): Promise<void> {
    const named = await withNames(profile!, this.voice);
    this.hearings.add(
      profileMessage(named, (text, ending) => {
        const file = join(this.folder, `${this.files++}.${ending}`);
        writeFileSync(file, text);
        return file;
      }),
    );
  }

  hear(
    { profile }: BenchAssistant,
    { asked }: Saying,
    samples: Int16Array,
    { rateHz }: Condition,
  ): TwoHearings {
    const isNarrow = rateHz <= NARROW_RATE_HZ;
    const expecting = asked === null ? {} : { expecting: asked };
    this.hearings.start({
      kind: 'start',
      job: 1,
      profile: profile!.key,
      adapted: null,
      isNarrow,
      ...expecting,
    });
    for (let at = 0; at < samples.length; at += PIECE_SAMPLES)
      this.hearings.push(samples.slice(at, at + PIECE_SAMPLES));
    this.hearings.end();
    return this.hearings.both();
  }
}

async function examplesOf(): Promise<Example[]> {
  const random = seeded(SEED);
  const voice = new FliteEngine({
    name: 'v',
    title: 'v',
    languages: ['en'],
    voices: { rms: 'rms' },
    hosts: 1,
  });
  const listener = new Listener(voice);
  const sounds = await Sounds.open('tune', SEED);
  const examples: Example[] = [];
  for (const assistant of assistantsOf('tune')) {
    if (!assistant.profile) continue;
    await listener.learn(assistant);
    const callers = new Callers(assistant, 'tune', random);
    for (const [condition, times] of SURROUNDINGS)
      for (const kind of kindsOf(times)) {
        const saying = callers.next(kind);
        const sound = await sounds.of(saying.text, condition);
        const example = exampleOf(saying, condition, listener.hear(assistant, saying, sound, condition));
        if (example) examples.push(example);
      }
  }
  await Promise.all([sounds.close(), voice.close()]);
  return examples;
}

function exampleOf({ kind, text }: Saying, condition: Condition, both: TwoHearings): Example | null {
  const features = beliefFeatures(both);
  const words = both.closed.map(({ word }) => word).filter((word) => word !== '');
  return features && { features, isSaid: words.join(' ') === text, kind, condition };
}

const weighed = (weights: readonly number[], features: readonly number[]) =>
  sigmoid(features.reduce((sum, value, i) => sum + value * weights[i]!, 0));

/** Logistic regression by gradient descent. */
function weightsOf(examples: readonly Example[]): number[] {
  const weights = Object.keys(BELIEF_FEATURES).map(() => 0);
  for (let round = 0; round < ROUNDS; round++) {
    const slope = weights.map((weight, i) => (i === 0 ? 0 : DECAY * weight));
    for (const { features, isSaid } of examples) {
      const error = (weighed(weights, features) - (isSaid ? 1 : 0)) / examples.length;
      features.forEach((value, i) => (slope[i]! += error * value));
    }
    slope.forEach((one, i) => (weights[i]! -= STEP * one));
  }
  return weights;
}

export async function trainBelief(): Promise<object> {
  const examples = await examplesOf();
  const weights = weightsOf(examples);
  const named = Object.fromEntries(
    Object.keys(BELIEF_FEATURES).map((name, i) => [name, Number(weights[i]!.toFixed(2))]),
  );
  process.stdout.write(`export const BELIEF_WEIGHTS = ${JSON.stringify(named)};\n`);
  return {
    seed: SEED,
    examples: examples.length,
    said: examples.filter(({ isSaid }) => isSaid).length,
    named,
  };
}
