/**
 * `npm run train turn-weights`: trains how probable it is that a turn is over (core/src/turn-end) on callers
 * of the half that is tuned on, and prints the weights.
 */
import { fileURLToPath } from 'node:url';
import { assistantsOf, type BenchAssistant } from '@verbalon/bench/turns/assistants';
import { drawGrowth } from '@verbalon/bench/turns/curves';
import type { HeardTurn } from '@verbalon/bench/turns/judge';
import { calibrationOf, heardBy, momentsOf, type Moment } from '@verbalon/bench/turns/moments';
import { tales } from '@verbalon/bench/turns/sentences';
import { Speakers } from '@verbalon/bench/turns/set';
import { END_FEATURES, logitOfPause, pauseLawOf, sigmoid, type PauseLaw } from '@verbalon/core';

const TURNS = 240;
const SEED = 301;
/** … and callers who tell: without them a long turn would always seem over at its next pause. */
const TALES = 20;
const SEED_OF_TALES = 303;
const ROUNDS = 6_000;
const STEP = 1;
/** Weights are kept small. */
const DECAY = 0.0003;

/** The law that these pauses follow: its middle and its spread in logarithms are theirs. */
function lawOf(pausesMs: readonly number[]): PauseLaw {
  const logs = pausesMs.map(Math.log);
  const mean = logs.reduce((sum, one) => sum + one, 0) / logs.length;
  const spread = Math.sqrt(logs.reduce((sum, one) => sum + (one - mean) ** 2, 0) / logs.length);
  return {
    medianMs: Math.round(Math.exp(mean)),
    shape: Number((Math.PI / (Math.sqrt(3) * spread)).toFixed(2)),
  };
}

/** What these weights say of this moment. */
function probabilityBy(weights: readonly number[], law: PauseLaw, { features, pausedMs }: Moment): number {
  return sigmoid(features.reduce((sum, value, i) => sum + value * weights[i]!, logitOfPause(pausedMs, law)));
}

/** Logistic regression by gradient descent. */
function weightsOf(moments: readonly Moment[], law: PauseLaw): number[] {
  const weights = Object.keys(END_FEATURES).map(() => 0);
  const all = moments.reduce((sum, { weight }) => sum + weight, 0);
  for (let round = 0; round < ROUNDS; round++) {
    const slope = weights.map((weight, i) => (i === 0 ? 0 : DECAY * weight));
    for (const moment of moments) {
      const { features, over, weight } = moment;
      const error = ((probabilityBy(weights, law, moment) - (over ? 1 : 0)) * weight) / all;
      features.forEach((value, i) => (slope[i]! += error * value));
    }
    slope.forEach((one, i) => (weights[i]! -= STEP * one));
  }
  return weights;
}

async function trainedOn(assistant: BenchAssistant, speakers: Speakers): Promise<HeardTurn[]> {
  const usual = await heardBy(assistant, 'tune', TURNS, [SEED], speakers);
  const told = await heardBy(assistant, 'tune', TALES, [SEED_OF_TALES], speakers, tales);
  return [...usual, ...told].flat();
}

export async function trainTurnWeights(): Promise<object> {
  const speakers = new Speakers();
  const moments: Moment[] = [];
  const pausesMs: number[] = [];
  for (const assistant of assistantsOf('tune'))
    for (const turn of await trainedOn(assistant, speakers)) {
      const found = momentsOf(turn, assistant.plan);
      moments.push(...found.moments);
      pausesMs.push(...found.pausesMs);
    }
  await speakers.close();
  const law = lawOf(pausesMs);
  const weights = weightsOf(moments, law);
  const named = Object.fromEntries(
    Object.keys(END_FEATURES).map((name, i) => [name, Number(weights[i]!.toFixed(2))]),
  );
  await drawGrowth(fileURLToPath(new URL('../../docs/turn-end.svg', import.meta.url)));
  const calibration = calibrationOf(moments, (moment) => probabilityBy(weights, law, moment));
  process.stdout.write(
    `export const TURN_END_WEIGHTS = ${JSON.stringify(named)};\nexport const PAUSE_LAW = ${JSON.stringify(law)};\n`,
  );
  return {
    seed: SEED,
    pauses: pausesMs.length,
    moments: moments.length,
    law,
    before: pauseLawOf([]),
    weights: named,
    calibration,
  };
}
