/**
 * Speech: phrases become sound a little ahead of the one that plays, and play in order; another voice goes on
 * where one fails.
 */
import { pauseAfter } from '../../speaking/heard-ledger.js';
import { spokenParts, spokenPhrases } from '../../speaking/speakable.js';
import type { Cause } from '../contract/causes.js';
import type { HappeningOf } from '../contract/happenings.js';
import { spokenLanguage } from '../contract/plan.js';
import type { Desk } from '../state/desk.js';
import { newSpeech, type Answer, type Speech } from '../state/answer.js';
import { engineFor, KEPT_SOUND, serving } from '../state/lineup.js';
import { speechOf } from '../state/state.js';

/** So many phrases are synthesised ahead of the one that is playing. */
const PHRASES_AHEAD = 2;
/** A phrase counts as played when less than this of it is left, in ms: the line reports whole packets. */
const PLAYED_TOLERANCE_MS = 2;
/** A word counts as said when less than this of it is missing, in ms. */
const SAID_TOLERANCE_MS = 30;
/** A usual pace, in words a second: ours at its own rate. */
const USUAL_PACE = 2.9;
/** The voice follows the caller's pace half the way, within these bounds. */
const SLOWEST = 0.85;
const FASTEST = 1.15;

/** Phrases of the answer, to be said after those that there are. */
export function add(desk: Desk, answer: Answer, phrases: readonly string[]): void {
  for (const text of phrases.flatMap((phrase) => spokenParts(phrase))) {
    answer.turn.times.firstPhraseMs ??= desk.nowMs;
    answer.speeches.push(newSpeech(desk.newId(), text));
  }
}

/**
 * Orders what can be ordered by now: synthesis a little ahead, playing in order; says when all was played.
 */
export function advance(desk: Desk, answer: Answer): void {
  const { stage, speeches, writing } = answer;
  if (stage.at !== 'live' && stage.at !== 'speculative') return;
  const left = speeches.filter((one) => one.stage !== 'played' && one.stage !== 'dropped');
  // Ahead of the turn's end only the first phrase is made: the rest may be for nothing.
  const many = stage.at === 'speculative' ? 1 : PHRASES_AHEAD + 1;
  left.slice(0, many).forEach((speech) => synthesise(desk, answer, speech));
  if (stage.at === 'speculative') return;
  for (const speech of left) {
    if (speech.stage === 'playing') continue;
    if (speech.stage !== 'synthesising' || speech.audioMs === 0) break;
    speech.stage = 'playing';
    desk.clearTimer('filler', { kind: 'answerIsThere' });
    desk.order({ kind: 'play', speech: speech.speech }, { kind: 'nextPhrase' });
    desk.enter('answering', { kind: 'assistantSpeaks' });
  }
  if (writing.done && left.length === 0) desk.raise({ kind: 'spoken', answer });
}

function synthesise(desk: Desk, answer: Answer, speech: Speech): void {
  if (speech.stage !== 'waiting') return;
  speech.stage = 'synthesising';
  const last = answer.writing.done && speech === answer.speeches.at(-1);
  speech.pauseMs = last ? 0 : pauseAfter(speech.text);
  speech.rate = paceOf(desk);
  speech.tried = [speech.tried.at(-1) ?? engineFor(desk.state.lineup, 'tts')!];
  order(desk, speech, speech.text, { ms: 0, words: 0 }, { kind: 'phraseWritten' });
}

function order(
  desk: Desk,
  one: Speech,
  text: string,
  keep: { ms: number; words: number },
  cause: Cause,
): void {
  const { speech, pauseMs, rate, tried } = one;
  const language = spokenLanguage(desk.plan);
  const by = serving(desk.state.lineup, 'tts', tried);
  desk.order({ kind: 'synthesise', speech, ...by, text, language, pauseMs, rate, keep }, cause);
}

/** How fast the next phrase is spoken; 1 is the voice's own rate. */
function paceOf({ state, plan }: Desk): number {
  const { pace } = state.caller;
  if (!plan.manners.followPace || pace === null) return 1;
  const half = 1 + (pace / USUAL_PACE - 1) / 2;
  return Math.round(100 * Math.max(SLOWEST, Math.min(FASTEST, half))) / 100;
}

/** What there is of the answer's sound by now is told: it was made before anybody knew of it. */
export function tellAll(desk: Desk, { turn, speeches }: Answer): void {
  for (const speech of speeches) if (speech.audioMs > 0) tell(desk, turn.turn, speech);
}

function tell(desk: Desk, turn: number, { speech, text, words, estimated }: Speech): void {
  desk.tell({ kind: 'speech', turn, speech, text, words, estimated }, { kind: 'soundComes' });
}

export function audio(
  desk: Desk,
  { speech: id, audioMs, words, estimated, done }: HappeningOf<'audio'>,
): void {
  const found = speechOf(desk.state, id);
  const at = found?.answer.stage.at;
  if (!found || (at !== 'live' && at !== 'speculative')) return desk.ignore('audio', id);
  const { answer, speech } = found;
  if (!speech.filler) answer.turn.times.firstAudioMs ??= desk.nowMs;
  const isFirst = speech.audioMs === 0;
  // Where the words' times were only estimated they are known better when all of the sound is there.
  const isBetter = done && JSON.stringify(speech.words) !== JSON.stringify(words);
  Object.assign(speech, { audioMs, audioDone: done, words, estimated });
  if (at === 'live' && (isFirst || isBetter)) tell(desk, answer.turn.turn, speech);
  if (done && audioMs === 0) speech.stage = 'dropped';
  markPlayed(speech);
  if (isFirst) desk.raise({ kind: 'firstSound', answer });
  advance(desk, answer);
}

export function synthesisTrouble(desk: Desk, happening: HappeningOf<'synthesisTrouble'>): void {
  const { speech: id, code, detail } = happening;
  const found = speechOf(desk.state, id);
  const at = found?.answer.stage.at;
  if (!found || (at !== 'live' && at !== 'speculative')) return desk.ignore('synthesisTrouble', id);
  const { answer, speech } = found;
  if (at === 'speculative') {
    speech.stage = 'dropped';
    return desk.raise({ kind: 'speakingFailed', answer, detail });
  }
  const isKept = speech.tried.includes(KEPT_SOUND);
  if (isKept || !relieve(desk, answer, speech, { kind: 'engineFailed', detail })) {
    desk.tell({ kind: 'trouble', code, detail }, { kind: 'speakingFailed', detail });
    answer.trouble = code;
    if (speech.audioMs === 0) speech.stage = 'dropped';
    else speech.audioDone = true;
    markPlayed(speech);
    if (!isKept) sayFromKept(desk, answer);
  }
  advance(desk, answer);
}

/** The next voice goes on after the last word of which there is sound. @returns false where nobody is left */
function relieve(desk: Desk, { turn }: Answer, speech: Speech, cause: Cause): boolean {
  const next = engineFor(desk.state.lineup, 'tts', speech.tried);
  if (next === null) return false;
  desk.relieved(turn, { role: 'tts', from: speech.tried.at(-1)!, to: next, cause });
  speech.tried.push(next);
  // Even where no word is left: the line must be told that the phrase ends.
  const { text, keep } = restOf(speech);
  order(desk, speech, text, keep, cause);
  return true;
}

/** What of the phrase there is no sound of yet, and up to where its sound is kept. */
function restOf({ text, words, audioMs }: Speech): { text: string; keep: { ms: number; words: number } } {
  const said = words.filter(({ endMs }) => endMs <= audioMs + SAID_TOLERANCE_MS);
  const tokens = text.split(/\s+/).filter(Boolean);
  if (audioMs === 0 || said.length === 0) return { text, keep: { ms: 0, words: 0 } };
  // A number is one token and several words: the share tells where the text stands.
  const count =
    words.length === tokens.length ? said.length : Math.floor((tokens.length * said.length) / words.length);
  const ms = Math.min(audioMs, said.at(-1)!.endMs);
  return { text: tokens.slice(count).join(' '), keep: { ms, words: said.length } };
}

/** No voice is left: a kept recording says so, once, in place of the rest of the answer. */
function sayFromKept(desk: Desk, { speeches }: Answer): void {
  const text = desk.plan.sayings.cannotSpeak;
  for (const speech of speeches) if (speech.stage === 'waiting') speech.stage = 'dropped';
  if (text === '' || speeches.some(({ tried }) => tried.includes(KEPT_SOUND))) return;
  for (const phrase of spokenPhrases(text))
    speeches.push({ ...newSpeech(desk.newId(), phrase), tried: [KEPT_SOUND] });
}

export function played(desk: Desk, { speech: id, playedMs, atMs, flushed }: HappeningOf<'played'>): void {
  const found = speechOf(desk.state, id);
  if (!found || found.answer.stage.at === 'speculative') return desk.ignore('played', id);
  const { answer, speech } = found;
  speech.playedMs = Math.max(speech.playedMs, Math.min(playedMs, speech.audioMs));
  if (playedMs > 0 && !speech.filler) answer.turn.times.soundMs ??= atMs - playedMs;
  markPlayed(speech);
  if (flushed && answer.stage.at === 'stopping') return desk.raise({ kind: 'flushed', answer });
  advance(desk, answer);
}

function markPlayed(speech: Speech): void {
  if (speech.stage !== 'playing' || !speech.audioDone) return;
  if (speech.playedMs < speech.audioMs - PLAYED_TOLERANCE_MS) return;
  speech.stage = 'played';
  // Its last word ends where it ends: the tolerance must not cost a word.
  speech.playedMs = speech.audioMs;
}

/** What is not said yet will not be; what plays is stopped by `hush`. */
export function drop(desk: Desk, { speeches }: Answer, cause: Cause): void {
  for (const speech of speeches) {
    const isMade = speech.stage === 'synthesising' || speech.stage === 'playing';
    if (isMade && !speech.audioDone) desk.order({ kind: 'dropSynthesis', speech: speech.speech }, cause);
    if (speech.stage === 'synthesising' || speech.stage === 'waiting') speech.stage = 'dropped';
  }
}
