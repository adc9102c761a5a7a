/**
 * The conductor's part for a voice over the assistant: she is ducked at once, and then it is decided what the voice is. An
 * interruption hushes her; a nod ("mm-hm"), a noise or the echo of her own voice does not.
 */
import { dictionaryWords } from '../hearing/expected-phrases.js';
import { languageOf } from '../language/language.js';
import { errorRate, wordErrors } from '../measure/word-errors.js';
import type { Desk } from './desk.js';
import { closeSegment, expectedIn, openOne, surenessOf } from './ending-part.js';
import { interrupt } from './interrupting-part.js';
import { turnWords, type Speech, type Turn } from './state.js';

/** A voice is an interruption after so long, whatever it says, in ms; so much of it must have a pitch, as a cough has not. */
const BY_LENGTH_MS = 620;
const LEAST_PITCHED_MS = 240;
/** … and sooner when the words begin a phrase that is expected. */
const BY_EXPECTED_MS = 380;
/** Words that may become a nod are waited for so long instead. */
const LONGEST_NOD_MS = 900;
/** Something shorter, of which recognition is less sure than this, was none: a listener's grunt, or a noise. */
const LEAST_SURENESS = 0.75;
/** "No" and the like are what noises are taken for: they must be as sure as this. */
const LEAST_SURENESS_OF_STOP = 0.6;
/** No word is so short, in ms. */
const LEAST_WORD_MS = 120;
/** Our own words count as being in the air so long before and after they are played, in ms. */
const IN_THE_AIR_BEFORE_MS = 3_000;
const IN_THE_AIR_AFTER_MS = 700;
/** So great a share of what was heard must be our own words for it to be an echo, and so many words. */
const ECHO_SHARE = 0.7;
const LEAST_ECHO_WORDS = 2;

/** The caller cannot interrupt by voice now. */
export function isDeaf(desk: Desk): boolean {
  const { manners } = desk.plan;
  if (manners.interrupt === 'key') return true;
  const playing = desk.state.reply?.speeches.find(({ stage }) => stage === 'playing');
  const sentence = ` ${dictionaryWords(playing?.text ?? '').join(' ')} `;
  return manners.important.some((one) => sentence.includes(` ${dictionaryWords(one).join(' ')} `));
}

export function beginOverlap(desk: Desk): void {
  desk.state.overlap = { voicedMs: 0, pitchedMs: 0, ducked: true };
  desk.order({ kind: 'duck' }, 'the caller began to speak over the assistant');
}

/** Decides as soon as it can; `over`: the words are all there are. */
export function judgeOverlap(desk: Desk, over: boolean): void {
  const { state, plan } = desk;
  const { overlap, turn } = state;
  if (!overlap || !turn) return;
  const { voicedMs, pitchedMs } = overlap;
  const words = turnWords(turn);
  const shown = words.join(' ');
  const meaning = languageOf(plan.language).overlap(words);
  if (isEcho(desk, words) && !meaning.startsWith('stop'))
    return over ? goOn(desk, 'it is the echo of our own voice') : unduck(desk, 'it is our own voice');
  const sureness = surenessOf(turn) ?? 0;
  const surenessOfFirst = turn.segments.flatMap(({ final }) => final ?? [])[0]?.confidence ?? 1;
  const isStop =
    meaning === 'stop!' || (meaning === 'stop' && over && surenessOfFirst >= LEAST_SURENESS_OF_STOP);
  if (isStop && voicedMs >= LEAST_WORD_MS) return stop(desk, `the caller said "${shown}"`, true);
  if (meaning === 'nod') return over ? nodded(desk, shown) : undefined;
  if (over) return judgeWords(desk, words, meaning === 'scrap', voicedMs, sureness);
  if (pitchedMs < LEAST_PITCHED_MS) return;
  if (voicedMs >= BY_EXPECTED_MS && expectedIn(plan).match(words))
    return stop(desk, `the caller said "${shown}", which is expected`, false);
  const isLong = voicedMs >= (meaning === 'nod begun' ? LONGEST_NOD_MS : BY_LENGTH_MS);
  if (isLong && (plan.manners.interrupt === 'voice' || words.length > 1))
    stop(desk, `the caller spoke over the assistant for ${voicedMs} ms`, false);
}

function judgeWords(
  desk: Desk,
  words: readonly string[],
  isScrap: boolean,
  voicedMs: number,
  sureness: number,
): void {
  const shown = words.join(' ');
  if (shown === '') return goOn(desk, `${voicedMs} ms of sound without a word: not an interruption`);
  const expected = expectedIn(desk.plan).words;
  const saysNothing = isScrap || (expected.size > 0 && !words.some((word) => expected.has(word)));
  if (voicedMs < BY_LENGTH_MS && (saysNothing || sureness < LEAST_SURENESS))
    return goOn(desk, `${voicedMs} ms, perhaps "${shown}": too little for an interruption`);
  stop(desk, `the caller said "${shown}" over the assistant`, false);
}

/** How long the voice is by now. */
export function overlapGoes(
  desk: Desk,
  { voicedMs, pitchedMs }: { voicedMs: number; pitchedMs: number },
): void {
  const { overlap, nodded: before } = desk.state;
  if (!overlap) return;
  overlap.voicedMs = voicedMs - before.voicedMs;
  overlap.pitchedMs = pitchedMs - before.pitchedMs;
  judgeOverlap(desk, false);
}

/** It has paused, or ended: the final words are fetched, and tell. */
export function overlapPaused(desk: Desk, toMs: number): void {
  const { turn } = desk.state;
  const open = openOne(turn);
  if (open) return closeSegment(desk, open, toMs, 'what was said over the assistant is wanted');
  if (turn?.segments.every(({ final }) => final !== null)) judgeOverlap(desk, true);
}

function nodded(desk: Desk, shown: string): void {
  const { overlap, nodded: before } = desk.state;
  desk.state.nodded = {
    voicedMs: before.voicedMs + overlap!.voicedMs,
    pitchedMs: before.pitchedMs + overlap!.pitchedMs,
  };
  goOn(desk, `"${shown}" only says that the caller listens`);
}

function stop(desk: Desk, reason: string, sure: boolean): void {
  const { turn } = desk.state;
  desk.state.overlap = null;
  if (turn) turn.overlapped = !sure;
  interrupt(desk, reason, !sure);
}

function unduck(desk: Desk, reason: string): void {
  const { overlap } = desk.state;
  if (!overlap?.ducked) return;
  overlap.ducked = false;
  desk.order({ kind: 'unduck' }, reason);
}

/** It was nothing: the assistant speaks on, and what was heard is forgotten. */
function goOn(desk: Desk, reason: string): void {
  const { state } = desk;
  unduck(desk, reason);
  state.overlap = null;
  for (const segment of state.turn?.segments ?? []) {
    if (segment.final === null)
      desk.order({ kind: 'dropRecognition', recognition: segment.recognition }, reason);
  }
  state.turn = null;
}

/** The assistant has finished meanwhile: what is heard now is a turn like any other. */
export function leaveOverlap(desk: Desk, reason: string): void {
  if (!desk.state.overlap) return;
  unduck(desk, reason);
  desk.state.overlap = null;
}

/** Are these our own words, come back through the microphone? */
export function isEcho(desk: Desk, words: readonly string[]): boolean {
  if (words.length < LEAST_ECHO_WORDS) return false;
  const own = inTheAir(desk);
  if (own.length === 0) return false;
  return likeness(words, own) >= ECHO_SHARE;
}

/** What of our own was to be heard just now. */
function inTheAir({ state, nowMs }: Desk): string[] {
  const said = state.reply?.speeches.flatMap((speech) => wordsAround(speech)) ?? [];
  const before =
    nowMs - state.lastSaid.atMs < IN_THE_AIR_BEFORE_MS ? state.lastSaid.text.split(' ').slice(-12) : [];
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

/** Was what was heard over the assistant, after all, no turn of the caller's? */
export function isFalseStop(desk: Desk, turn: Turn): string | null {
  if (!turn.overlapped) return null;
  const words = turnWords(turn);
  if (words.length === 0) return 'no word was said';
  if (isEcho(desk, words)) return 'it was the echo of our own voice';
  return languageOf(desk.plan.language).overlap(words) === 'nod' ? 'the caller only listened' : null;
}
