/**
 * Barge-in: what a voice over the assistant is. The assistant is ducked at once, and then it is decided: an
 * interruption hushes it; a backchannel ("mm-hm"), a noise or the echo of its own voice does not.
 */
import { dictionaryWords } from '../../hearing/expected-phrases.js';
import type { Overlap } from '../../language/common/contract.js';
import { languageOf } from '../../language/language.js';
import { errorRate, wordErrors } from '../../measure/word-errors.js';
import type { Cause } from '../contract/causes.js';
import type { Desk } from '../state/desk.js';
import { heardOf, type Speech } from '../state/answer.js';
import { countNod } from '../state/floor.js';
import { expectedIn } from '../state/readings.js';
import { currentAnswer, isListenedTo, liveAnswer } from '../state/state.js';
import { confidenceOf, turnWords, type Turn } from '../state/turn.js';

/**
 * A voice is an interruption after so long, whatever it says, in ms; so much of it must have a pitch, as a
 * cough has not.
 */
const BY_LENGTH_MS = 620;
const LEAST_PITCHED_MS = 240;
/** … and sooner when the words begin a phrase that is expected. */
const BY_EXPECTED_MS = 380;
/** Words that may become a backchannel are waited for so long instead. */
const LONGEST_NOD_MS = 900;
/**
 * Something shorter, of which recognition is less sure than this, was none: a listener's grunt, or a noise.
 */
const LEAST_CONFIDENCE = 0.75;
/** "No" and the like are what noises are taken for: recognition must be as sure as this. */
const LEAST_CONFIDENCE_OF_STOP = 0.6;
/** No word is so short, in ms. */
const LEAST_WORD_MS = 120;
/** Our own words count as being in the air so long before and after they are played, in ms. */
const IN_THE_AIR_BEFORE_MS = 3_000;
const IN_THE_AIR_AFTER_MS = 700;
/** So great a share of what was heard must be our own words for it to be an echo, and so many words. */
const ECHO_SHARE = 0.7;
const LEAST_ECHO_WORDS = 2;

/** It has not yet said what comes before anything of the caller's is heard. */
export function owesNotice({ plan, state }: Desk): boolean {
  const live = liveAnswer(state);
  if (plan.notice === undefined || live?.turn.source !== 'greeting') return false;
  return !heardOf(live).startsWith(plan.notice);
}

/** The caller cannot interrupt by voice now. */
export function isDeaf({ plan, state }: Desk): boolean {
  const { manners } = plan;
  if (manners.interrupt === 'key') return true;
  const playing = currentAnswer(state)?.speeches.find(({ stage }) => stage === 'playing');
  const sentence = ` ${dictionaryWords(playing?.text ?? '').join(' ')} `;
  return manners.important.some((one) => sentence.includes(` ${dictionaryWords(one).join(' ')} `));
}

export function begin(desk: Desk): void {
  desk.state.floor.overlap = { voicedMs: 0, pitchedMs: 0, ducked: true };
  desk.order({ kind: 'duck' }, { kind: 'spokeOver' });
}

/** How long the voice is by now. */
export function goesOn(desk: Desk, { voicedMs, pitchedMs }: { voicedMs: number; pitchedMs: number }): void {
  const { overlap, nodded: before, voiceActive, voiceUnheeded } = desk.state.floor;
  if (!overlap || !voiceActive || voiceUnheeded || !isListenedTo(desk.state)) return;
  overlap.voicedMs = voicedMs - before.voicedMs;
  overlap.pitchedMs = pitchedMs - before.pitchedMs;
  judge(desk, false);
}

/** Decides as soon as it can; `over`: the words are all there are. */
export function judge(desk: Desk, over: boolean): void {
  const { state, plan } = desk;
  const { turn } = state;
  const { overlap } = state.floor;
  if (!overlap || !turn) return;
  const { voicedMs, pitchedMs } = overlap;
  const words = turnWords(turn);
  const shown = words.join(' ');
  const meaning = languageOf(plan.language).overlap(words);
  if (isEcho(desk, words) && !meaning.startsWith('stop'))
    return over ? wasNothing(desk, { kind: 'echo' }) : unduck(desk, { kind: 'ownVoice' });
  if (voicedMs >= LEAST_WORD_MS && saysStop(turn, meaning, over))
    return stop(desk, { kind: 'stopSaid', words: shown }, true);
  if (meaning === 'backchannel') return over ? backchannel(desk, shown) : undefined;
  if (over) return judgeWords(desk, turn, meaning === 'scrap', voicedMs);
  if (pitchedMs >= LEAST_PITCHED_MS) judgeLength(desk, words, meaning, voicedMs);
}

/** A single word that means "stop" counts when it is final, and was surely understood. */
function saysStop({ segments }: Turn, meaning: Overlap, over: boolean): boolean {
  const first = segments.flatMap(({ final }) => final ?? [])[0]?.confidence ?? 1;
  return meaning === 'stop!' || (meaning === 'stop' && over && first >= LEAST_CONFIDENCE_OF_STOP);
}

/** The voice goes on, and its words do not tell: it counts when it fits what is expected, or is long. */
function judgeLength(desk: Desk, words: readonly string[], meaning: Overlap, voicedMs: number): void {
  const { plan } = desk;
  const shown = words.join(' ');
  if (voicedMs >= BY_EXPECTED_MS && expectedIn(plan).match(words))
    return stop(desk, { kind: 'expectedSaidOver', words: shown }, false);
  const isLong = voicedMs >= (meaning === 'backchannel begun' ? LONGEST_NOD_MS : BY_LENGTH_MS);
  if (isLong && (plan.manners.interrupt === 'voice' || words.length > 1))
    stop(desk, { kind: 'spokeOverFor', ms: voicedMs }, false);
}

function judgeWords(desk: Desk, turn: Turn, isScrap: boolean, voicedMs: number): void {
  const words = turnWords(turn);
  const shown = words.join(' ');
  if (shown === '') return wasNothing(desk, { kind: 'soundWithoutWord', ms: voicedMs });
  const expected = expectedIn(desk.plan).words;
  const saysNothing = isScrap || (expected.size > 0 && !words.some((word) => expected.has(word)));
  if (voicedMs < BY_LENGTH_MS && (saysNothing || (confidenceOf(turn) ?? 0) < LEAST_CONFIDENCE))
    return wasNothing(desk, { kind: 'tooLittle', ms: voicedMs, words: shown });
  stop(desk, { kind: 'saidOver', words: shown }, false);
}

function backchannel(desk: Desk, words: string): void {
  const { floor } = desk.state;
  countNod(floor, floor.overlap!);
  wasNothing(desk, { kind: 'backchannel', words });
}

function stop(desk: Desk, cause: Cause, sure: boolean): void {
  desk.state.floor.overlap = null;
  desk.raise({ kind: 'bargedIn', cause, sure });
}

function unduck(desk: Desk, cause: Cause): void {
  const { overlap } = desk.state.floor;
  if (!overlap?.ducked) return;
  overlap.ducked = false;
  desk.order({ kind: 'unduck' }, cause);
}

/** The assistant speaks on, and what was heard is forgotten. */
function wasNothing(desk: Desk, cause: Cause): void {
  unduck(desk, cause);
  desk.state.floor.overlap = null;
  desk.raise({ kind: 'wasNothing', cause });
}

/** The assistant has finished in the meantime: what is heard now is a turn like any other. */
export function leave(desk: Desk, cause: Cause): void {
  unduck(desk, cause);
  desk.state.floor.overlap = null;
}

/** The answer is stopped: nothing is spoken over it any more. */
export function forget({ state }: Desk): void {
  state.floor.overlap = null;
}

/** Are these our own words, come back through the microphone? */
function isEcho(desk: Desk, words: readonly string[]): boolean {
  if (words.length < LEAST_ECHO_WORDS) return false;
  const own = inTheAir(desk);
  if (own.length === 0) return false;
  return likeness(words, own) >= ECHO_SHARE;
}

/** What of our own was to be heard just now. */
function inTheAir({ state, nowMs }: Desk): string[] {
  const said = currentAnswer(state)?.speeches.flatMap((speech) => wordsAround(speech)) ?? [];
  const { text, atMs } = state.floor.lastSaid;
  const before = nowMs - atMs < IN_THE_AIR_BEFORE_MS ? text.split(' ').slice(-12) : [];
  return dictionaryWords([...before, ...said].join(' '));
}

function wordsAround({ words, playedMs, stage }: Speech): string[] {
  if (stage !== 'playing' && stage !== 'played') return [];
  const from = playedMs - IN_THE_AIR_BEFORE_MS;
  return words
    .filter(({ endMs }) => endMs > from && endMs < playedMs + IN_THE_AIR_AFTER_MS)
    .map(({ word }) => word);
}

/** Share of `words` that stand in `own`, in order, at the place where they fit best. */
function likeness(words: readonly string[], own: readonly string[]): number {
  let best = 0;
  for (let from = 0; from < own.length; from++)
    best = Math.max(best, 1 - errorRate(wordErrors(words, own.slice(from, from + words.length))));
  return best;
}

/** Why what was heard over the assistant, after all, was no turn of the caller's; null where it was one. */
export function falseStop(desk: Desk, turn: Turn): Cause | null {
  if (!turn.overlapped) return null;
  const words = turnWords(turn);
  if (words.length === 0) return { kind: 'noWordOver' };
  if (isEcho(desk, words)) return { kind: 'echo' };
  return languageOf(desk.plan.language).overlap(words) === 'backchannel' ? { kind: 'onlyListened' } : null;
}
