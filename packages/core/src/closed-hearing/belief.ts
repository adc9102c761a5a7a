/**
 * How probable it is that the closed hearing is what was said: all evidence is weighed together (logistic
 * regression, its weights trained by `npm run train belief`).
 */
import { alignWords } from '../measure/word-errors.js';
import { sigmoid } from '../common/sigmoid.js';
import { BELIEF_WEIGHTS } from './belief-weights.js';
import type { Stretch } from './stretch.js';

export interface TwoHearings {
  open: readonly Stretch[];
  closed: readonly Stretch[];
  /** How far the voice stands out of what is around it, in dB. */
  contrastDb: number;
}

/** Of the recogniser, in ms: fits are compared by the frame. */
const FRAME_MS = 10;
/** A closed hearing that fits so much worse, a frame, fits no worse than any. */
const MOST_LOSS = 30;
const MOST_WORST = 60;
/** A word that is shorter counts by its length: a few frames are soon out of place. */
const WHOLE_WORD_MS = 200;
/** Voice that stands out so far is not in noise; so little, and it is nothing but noise. */
const QUIET_DB = 35;
const LOUD_DB = 5;

interface Measured {
  /**
   * What the closed words lose against the open ones, a frame: on the whole, and in the worst word of either
   * hearing.
   */
  loss: number;
  worst: number;
  different: number;
  noise: number;
  short: number;
}

const share = (value: number) => Math.min(1, Math.max(0, value));

/** Each from 0 to 1. */
export const BELIEF_FEATURES: Readonly<Record<keyof typeof BELIEF_WEIGHTS, (of: Measured) => number>> = {
  always: () => 1,
  loss: ({ loss }) => share(loss / MOST_LOSS),
  worst: ({ worst }) => share(worst / MOST_WORST),
  different: ({ different }) => different,
  short: ({ short }) => short,
  noise: ({ noise }) => noise,
  lossInNoise: ({ loss, noise }) => noise * share(loss / MOST_LOSS),
  worstInNoise: ({ worst, noise }) => noise * share(worst / MOST_WORST),
  differentInNoise: ({ different, noise }) => noise * different,
};

/** 0 to 1; no closed words are no belief. */
export function beliefIn(hearings: TwoHearings): number {
  const values = beliefFeatures(hearings);
  if (values === null) return 0;
  const weights = Object.values(BELIEF_WEIGHTS);
  return sigmoid(values.reduce((sum, value, i) => sum + value * weights[i]!, 0));
}

/** What the weights weigh, in their order. */
export function beliefFeatures({ open, closed, contrastDb }: TwoHearings): number[] | null {
  const words = closed.filter(({ word }) => word !== '');
  const [first] = words;
  const last = words.at(-1);
  if (!first || !last) return null;
  const lossBetween = (fromMs: number, toMs: number) =>
    ((fitBetween(open, fromMs, toMs) - fitBetween(closed, fromMs, toMs)) * FRAME_MS) / (toMs - fromMs);
  const heard = open.filter(({ word }) => word !== '');
  const lossOf = ({ fromMs, toMs }: Stretch) =>
    lossBetween(fromMs, toMs) * Math.min(1, (toMs - fromMs) / WHOLE_WORD_MS);
  const same = alignWords(
    words.map(({ word }) => word),
    heard.map(({ word }) => word),
  ).filter(({ what }) => what === 'same').length;
  const measured: Measured = {
    loss: lossBetween(first.fromMs, last.toMs),
    worst: Math.max(...[...words, ...heard].map(lossOf)),
    different: 1 - same / Math.max(words.length, heard.length),
    noise: share((QUIET_DB - contrastDb) / (QUIET_DB - LOUD_DB)),
    short: 1 / words.length,
  };
  return Object.values(BELIEF_FEATURES).map((feature) => feature(measured));
}

/** How well the sound from one time to another fits, silence included; each stretch counts by its share. */
function fitBetween(hearing: readonly Stretch[], fromMs: number, toMs: number): number {
  return hearing.reduce((sum, stretch) => {
    const shared = Math.min(toMs, stretch.toMs) - Math.max(fromMs, stretch.fromMs);
    return shared <= 0 ? sum : sum + (stretch.fit * shared) / (stretch.toMs - stretch.fromMs);
  }, 0);
}
