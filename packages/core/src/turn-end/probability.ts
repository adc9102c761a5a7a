/**
 * How probable is it that the caller's turn is over? All evidence at a pause is weighed together (logistic
 * regression, its weights trained by `npm run train turn-weights`); while the pause lasts, the turn grows
 * ever more probably over, as ever fewer pauses within turns last so long (a log-logistic law).
 */
import type { Completeness } from '../language/common/contract.js';
import type { HeardWord } from '../vocabulary/words.js';
import type { Ending } from '../hearing/melody.js';
import type { Fit } from '../hearing/expectation.js';
import { PAUSE_LAW, TURN_END_WEIGHTS } from './turn-end-weights.js';

/** What is known at a pause. */
export interface EndEvidence {
  words: Completeness;
  /** How many words there are. */
  count: number;
  /** From the beginning of the turn to this pause, in ms. */
  lastedMs: number;
  /** Whether the assistant expects phrases at all, and how the words fit them. */
  expects: boolean;
  expected: Fit | null;
  /** How sure recognition is of the words, 0 to 1; null while they are provisional. */
  confidence: number | null;
  ending: Ending | null;
  /** Voice that no word covers yet, in ms: recognition is behind. */
  uncoveredMs: number;
  /** How long the last word lasts, against the others (lengtheningOf). */
  lengthening: number | null;
}

/** Words that lag this much behind the voice may not be all of them, in ms: then nothing seems complete. */
export const LAGGING_MS = 350;

/** What is longer than this is no surer sign of the end, in ms. */
const LASTED_MS = 3_000;
/**
 * Loudness at the end against the loud of the stretch, and pitch against its middle: so far counts, in dB and
 * in semitones.
 */
const QUIET_DB = 20;
const LOW_ST = 6;
/**
 * A last word is lengthened from the first of these times the others' length, and fully from the second on.
 */
const LENGTHENED = [0.5, 2.5] as const;

export const hundredths = (value: number) => Math.round(value * 100) / 100;
const share = (value: number) => Math.min(1, Math.max(0, value));
const flag = (is: boolean | undefined) => (is ? 1 : 0);
const complete = ({ words: { score }, uncoveredMs }: EndEvidence) =>
  uncoveredMs > LAGGING_MS ? 0 : Math.max(0, score);
const incomplete = ({ words: { score } }: EndEvidence) => Math.max(0, -score);
const sure = ({ confidence }: EndEvidence) => (confidence === null ? 0 : share(2 * (confidence - 0.5)));
const lasted = ({ lastedMs }: EndEvidence) => share(lastedMs / LASTED_MS);
const quiet = ({ ending }: EndEvidence) => share((ending?.fallDb ?? 0) / QUIET_DB);
const lengthened = ({ lengthening }: EndEvidence) =>
  share(((lengthening ?? 0) - LENGTHENED[0]) / (LENGTHENED[1] - LENGTHENED[0]));
const noMelody = ({ ending }: EndEvidence) => flag(ending === null || ending.moveSt === null);

/** Values of the weights, in their order, each from 0 to 1. */
export const END_FEATURES = {
  always: () => 1,
  complete,
  incomplete,
  expected: ({ expected }) => flag(expected?.whole && !expected.begun),
  begun: ({ expected }) => flag(expected?.begun && !expected.whole),
  provisional: ({ confidence }) => flag(confidence === null),
  sureAndComplete: (evidence) => sure(evidence) * complete(evidence),
  sureAndIncomplete: (evidence) => sure(evidence) * incomplete(evidence),
  noWords: ({ count }) => flag(count === 0),
  low: ({ ending }) => share(-(ending?.placeSt ?? 0) / LOW_ST),
  quiet,
  noMelody,
  quietWithoutMelody: (evidence) => quiet(evidence) * noMelody(evidence),
  lasted,
  shortAndComplete: (evidence) => (1 - lasted(evidence)) * complete(evidence),
  lengthened,
  fewWords: ({ lengthening }) => flag(lengthening === null),
} satisfies Record<string, (evidence: EndEvidence) => number>;
export type EndFeature = keyof typeof END_FEATURES;
const WEIGHTS: Record<EndFeature, number> = TURN_END_WEIGHTS;

/** Fewer words tell nothing of how long this caller's are. */
const LEAST_WORDS = 3;
/** What lasts longer has a pause in it, in ms. */
const MOST_WORD_MS = 600;

const lettersOf = (word: string) => Math.max(1, word.length);

/**
 * Final lengthening: how long the last word lasts for its letters, against the words before it. 1: as long;
 * null where these are too few.
 * @param endMs where the voice ended: no word lasts longer
 */
export function lengtheningOf(words: readonly HeardWord[], endMs: number): number | null {
  const last = words.at(-1);
  if (!last || words.length < LEAST_WORDS) return null;
  const before = words.slice(0, -1);
  const ms = before.reduce((sum, { fromMs, toMs }) => sum + Math.min(MOST_WORD_MS, toMs - fromMs), 0);
  const letters = before.reduce((sum, { word }) => sum + lettersOf(word), 0);
  return ms > 0 ? ((Math.min(endMs, last.toMs) - last.fromMs) / lettersOf(last.word)) * (letters / ms) : null;
}

export function featuresOf(evidence: EndEvidence): number[] {
  return Object.values(END_FEATURES).map((of) => hundredths(of(evidence)));
}

/** At the beginning of a pause, 0 to 1. */
export function probabilityOfEnd(features: readonly number[]): number {
  return sigmoid(
    Object.keys(END_FEATURES).reduce((sum, name, i) => sum + WEIGHTS[name as EndFeature] * features[i]!, 0),
  );
}

/** Pauses within turns: their middle, and how much they differ. */
export interface PauseLaw {
  medianMs: number;
  shape: number;
}

/** So many pauses of everybody's weigh as much as the caller's own. */
const PRIOR_PAUSES = 4;

/** This caller's pauses: everybody's law, moved by those that were made in this talk. */
export function pauseLawOf(ownPausesMs: readonly number[]): PauseLaw {
  const own = ownPausesMs.reduce((sum, ms) => sum + Math.log(Math.max(1, ms)), 0);
  const middle = (PRIOR_PAUSES * Math.log(PAUSE_LAW.medianMs) + own) / (PRIOR_PAUSES + ownPausesMs.length);
  return { ...PAUSE_LAW, medianMs: Math.exp(middle) };
}

/** The share of pauses within turns that last longer. */
function outlast(ms: number, { medianMs, shape }: PauseLaw): number {
  return 1 / (1 + (ms / medianMs) ** shape);
}

/** The probability after the pause has lasted so long. */
export function probabilityAfter(atFirst: number, pausedMs: number, law: PauseLaw): number {
  return atFirst / (atFirst + (1 - atFirst) * outlast(pausedMs, law));
}

/**
 * How long a pause must last for the end to be so probable, in ms: 0 where it is at once, Infinity where it
 * never is.
 */
export function pauseUntil(atFirst: number, probability: number, { medianMs, shape }: PauseLaw): number {
  if (probability >= 1 || atFirst <= 0) return Infinity;
  if (probability <= atFirst) return 0;
  const outlasting = (atFirst * (1 - probability)) / (probability * (1 - atFirst));
  return medianMs * (1 / outlasting - 1) ** (1 / shape);
}

/** The odds of the end, at the beginning of a pause, at which the whole leeway is waited. */
const ODDS_AT_LEEWAY = 2;

/**
 * The wait that costs least, as a share of the leeway: where being cut off costs so much more than waiting
 * that at the odds above the leeway is best. Pauses within turns become rarer with a power of their length;
 * so the best wait falls with a root of the odds.
 */
export function cheapestShare(atFirst: number, { medianMs, shape }: PauseLaw): number {
  const odds = atFirst / (1 - atFirst);
  const longer = (medianMs / PAUSE_LAW.medianMs) ** (shape / (shape + 1));
  return longer * (ODDS_AT_LEEWAY / odds) ** (1 / (shape + 1));
}

/** Where nobody can tell. */
export const UNKNOWN_END = ODDS_AT_LEEWAY / (1 + ODDS_AT_LEEWAY);

export function sigmoid(logit: number): number {
  return 1 / (1 + Math.exp(-logit));
}

/** How much longer pauses speak for the end, as a logit: what training adds to the weights. */
export function logitOfPause(pausedMs: number, law: PauseLaw): number {
  return -Math.log(outlast(pausedMs, law));
}
