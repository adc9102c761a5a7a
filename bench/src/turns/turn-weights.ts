/**
 * `npm run bench turn-weights`: trains how probable it is that a turn is over (core/src/hearing/turn-end.ts) on callers of the half
 * that is tuned on, and prints the weights.
 */
import { END_FEATURES, logitOfPause, pauseLawOf, sigmoid, type PauseLaw } from '@verbalon/core';
import { fileURLToPath } from 'node:url';
import { drawGrowth } from './curves.js';
import { assistantsOf, type BenchAssistant } from './assistants.js';
import { hearAll, Recogniser } from './hear.js';
import { endOf, type HeardTurn } from './judge.js';
import { play } from './play.js';
import { sentences, tales } from './sentences.js';
import { callerTurns, Speakers } from './set.js';

const TURNS = 240;
const SEED = 301;
/** … and callers who tell: without them a long turn would always seem over at its next pause. */
const TALES = 20;
const SEED_OF_TALES = 303;
const ROUNDS = 6_000;
const STEP = 1;
/** Weights are kept small. */
const DECAY = 0.0003;
/** The truth and the hearing may differ by so much, in ms. */
const TOLERANCE_MS = 60;
/** With such a leeway no pause within a turn ends it: all of them are seen. */
const PATIENT_MS = 5_000;

/** What was known at one moment of a pause. */
export interface Moment {
  features: number[];
  pausedMs: number;
  over: boolean;
  /** A pause counts once, however often it was weighed. */
  weight: number;
}

/** Every pause of a turn, each time that it was weighed, and how long those within it were. */
export function momentsOf(
  turn: HeardTurn,
  plan: BenchAssistant['plan'],
): { moments: Moment[]; pausesMs: number[] } {
  const seen: { pauseMs: number; nowMs: number; features: number[] }[] = [];
  let last = '';
  const patient = { ...plan, manners: { ...plan.manners, leewayMs: PATIENT_MS, headStarts: 0 } };
  play(patient, turn.heard, {
    watch: ({ turn: now }, nowMs) => {
      const stage = now?.stage;
      if (stage?.at !== 'paused' || !stage.wait?.features) return;
      const key = `${stage.pause.atMs}: ${stage.wait.features.join(' ')}`;
      if (key === last) return;
      last = key;
      seen.push({ pauseMs: stage.pause.atMs, nowMs, features: [...stage.wait.features] });
    },
  });
  const found = { moments: [] as Moment[], pausesMs: [] as number[] };
  turn.heard.events.forEach(({ event }, i) => {
    if (event.kind !== 'voicePaused' || event.atMs < turn.pieces[0]!.fromMs) return;
    const goesOn = turn.heard.events.slice(i + 1).find(({ event: { kind } }) => kind === 'voiceBegan' || kind === 'voiceGoes'); // prettier-ignore
    const over = event.atMs >= endOf(turn) - TOLERANCE_MS;
    const weighed = seen.filter(({ pauseMs }) => pauseMs === event.atMs);
    for (const { features, nowMs } of weighed)
      found.moments.push({ features, pausedMs: nowMs - event.atMs, over, weight: 1 / weighed.length });
    if (!over && goesOn) found.pausesMs.push(Math.max(1, goesOn.atMs - event.atMs));
  });
  return found;
}

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

/** How far what was said to be so probable differs from how often it was so: the mean over tenths, weighed by how many there are. */
export function calibrationOf(moments: readonly Moment[], probability: (moment: Moment) => number) {
  const tenths = Array.from({ length: 10 }, () => ({ said: 0, was: 0, weight: 0 }));
  for (const moment of moments) {
    const said = probability(moment);
    const tenth = tenths[Math.min(9, Math.floor(said * 10))]!;
    tenth.said += said * moment.weight;
    tenth.was += (moment.over ? 1 : 0) * moment.weight;
    tenth.weight += moment.weight;
  }
  const filled = tenths.filter(({ weight }) => weight > 0);
  const all = filled.reduce((sum, { weight }) => sum + weight, 0);
  const error = filled.reduce((sum, { said, was }) => sum + Math.abs(said - was), 0) / all;
  const round = (value: number) => Number(value.toFixed(3));
  return { error: round(error), curve: filled.map(({ said, was, weight }) => ({ said: round(said / weight), was: round(was / weight), pauses: Math.round(weight) })) }; // prettier-ignore
}

async function trainedOn(assistant: BenchAssistant, speakers: Speakers): Promise<HeardTurn[]> {
  const usual = await heardBy(assistant, 'tune', TURNS, [SEED], speakers);
  const told = await heardBy(assistant, 'tune', TALES, [SEED_OF_TALES], speakers, tales);
  return [...usual, ...told].flat();
}

/** Turns of this half's callers, heard. */
export async function heardBy(
  { profile, domain }: BenchAssistant,
  half: 'tune' | 'report',
  turns: number,
  seeds: readonly number[],
  speakers: Speakers,
  saying = sentences,
): Promise<HeardTurn[][]> {
  const recogniser = new Recogniser(profile);
  await recogniser.warm();
  const all: HeardTurn[][] = [];
  for (const seed of seeds)
    all.push(await hearAll(recogniser, await callerTurns(half, turns, seed, speakers, domain, saying)));
  await recogniser.close();
  return all;
}

export async function turnWeightsBench(): Promise<object> {
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
  await drawGrowth(fileURLToPath(new URL('../../../docs/turn-end.svg', import.meta.url)));
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
