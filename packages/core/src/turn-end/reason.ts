/**
 * Why a turn seems to be over, or not: what speaks most, and what is known so surely that nothing is weighed.
 */
import type { Grounds, Sign } from '../vocabulary/grounds.js';
import type { Ending } from '../hearing/melody.js';
import { LAGGING_MS, type EndEvidence } from './probability.js';

/**
 * What seems complete but is nothing that is expected may be misheard: it tells nothing when recognition is
 * less sure than the first of these, and is doubtful below the second.
 */
const UNSURE = 0.6;
const SURE = 0.85;
/** What the words say so clearly is not touched: by an expected phrase, or by the melody. */
const CLEARLY_INCOMPLETE = -0.75;
const CLEARLY_COMPLETE = 0.8;
/** The melody is told where the words say as little as that. */
const UNCLEAR = 0.4;

/** What speaks most for the end, or against it: a sentence is made of it for whoever asks why. */
export function groundsOf(evidence: EndEvidence): Grounds {
  const { words, ending } = evidence;
  const sign = signOf(evidence);
  const isOfWords = sign === words.sign;
  const melody = isOfWords && Math.abs(words.score) < UNCLEAR ? melodyOf(ending) : null;
  return {
    sign,
    ...(isOfWords && isDoubtful(evidence) ? { doubtful: true as const } : {}),
    ...(melody ? { melody } : {}),
  };
}

function signOf({ words, expects, expected, confidence, uncoveredMs }: EndEvidence): Sign {
  const lags = uncoveredMs > LAGGING_MS;
  if (expected && words.score > CLEARLY_INCOMPLETE) {
    if (expected.whole) return { sign: lags ? 'wordsLag' : 'expectedPhrase' };
    if (words.score < CLEARLY_COMPLETE) return { sign: 'expectedPhraseBegun' };
  }
  if (words.score <= 0) return words.sign;
  const isGarbled = confidence !== null && confidence < UNSURE;
  if (expects && !expected && isGarbled) return { sign: 'hardlyUnderstood' };
  return lags ? { sign: 'wordsLag' } : words.sign;
}

/** Nothing that is expected, of words that recognition is not sure of or has not settled. */
function isDoubtful({ words, expects, expected, confidence }: EndEvidence): boolean {
  return expects && !expected && words.score > 0 && (confidence === null || confidence < SURE);
}

/** How the voice moved at its end: in semitones, and against where it usually lies. */
function melodyOf(ending: Ending | null): Grounds['melody'] | null {
  if (!ending || ending.moveSt === null) return null;
  if (ending.moveSt <= -2 && ending.placeSt! <= -1.5) return 'fell';
  return Math.abs(ending.moveSt) < 0.7 && ending.placeSt! > -0.5 ? 'stayed up' : null;
}

/** Short answers to what was just asked are whole, however short they are. */
const ANSWERS: readonly Sign['sign'][] = [
  'answersQuestion',
  'numberAskedFor',
  'dayAskedFor',
  'nameAskedFor',
  'slotAskedFor',
];
/**
 * What is known better than the weights know it, each with how probable the end is then (on the tuning half
 * it was right in 31 of 31 and in 73 of 74 pauses): an answer; words that close a saying ("please"); an
 * expected phrase to which nothing can be added.
 */
const ANSWERED = 0.996;
const CLOSED = 0.97;
export const PHRASED = 0.99;
/**
 * Shorter ones of fewer words may be the beginning of another sentence, in ms: "are you" may, "where are you"
 * hardly.
 */
const LEAST_PHRASE_MS = 1_200;
const LEAST_PHRASE_WORDS = 3;

/**
 * How probable the end is where that is known without weighing, 0 to 1; 0 where it is not. @param grounds
 * what speaks most (groundsOf)
 */
export function knownEnd(
  { sign: { sign }, doubtful }: Grounds,
  { words, expected, lastedMs, count, uncoveredMs }: EndEvidence,
): number {
  if (uncoveredMs > LAGGING_MS) return 0;
  if (ANSWERS.includes(sign)) return ANSWERED;
  const isLong = lastedMs >= LEAST_PHRASE_MS || count >= LEAST_PHRASE_WORDS;
  if (expected?.whole && !expected.begun && !expected.more && isLong) return PHRASED;
  return sign === 'endsWith' && words.score >= CLEARLY_COMPLETE && !doubtful ? CLOSED : 0;
}
