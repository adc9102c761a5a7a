/** Moments of pauses: what was known at each, and whether the turn was over. For judging, and training. */
import type { BenchAssistant } from './assistants.js';
import { hearAll, Recogniser } from './hear.js';
import { endOf, type HeardTurn } from './judge.js';
import { play } from './play.js';
import { sentences } from './sentences.js';
import { callerTurns, type Speakers } from './set.js';

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
    const goesOn = turn.heard.events
      .slice(i + 1)
      .find(({ event: { kind } }) => kind === 'voiceBegan' || kind === 'voiceGoes');
    const over = event.atMs >= endOf(turn) - TOLERANCE_MS;
    const weighed = seen.filter(({ pauseMs }) => pauseMs === event.atMs);
    for (const { features, nowMs } of weighed)
      found.moments.push({ features, pausedMs: nowMs - event.atMs, over, weight: 1 / weighed.length });
    if (!over && goesOn) found.pausesMs.push(Math.max(1, goesOn.atMs - event.atMs));
  });
  return found;
}

/**
 * How far what was said to be so probable differs from how often it was so: the mean over tenths, weighed by
 * how many there are.
 */
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
  return {
    error: round(error),
    curve: filled.map(({ said, was, weight }) => ({
      said: round(said / weight),
      was: round(was / weight),
      pauses: Math.round(weight),
    })),
  };
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
