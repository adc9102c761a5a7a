/** An answer, from the first thought of it to what was heard of it. */
import type { Errands, RunEnding, RunStage } from '../../errands/contract.js';
import { heardWords } from '../../speaking/heard-ledger.js';
import { newCutter, type Cutter } from '../../speaking/phrase-cutter.js';
import type { Call } from '../../thinking/history.js';
import type { WordTime } from '../../vocabulary/words.js';
import type { Cause } from '../contract/causes.js';
import type { Turn } from './turn.js';

/** A phrase of which less than this is left was heard whole, in ms. */
const HEARD_WHOLE_MS = 80;

export type SpeechStage = 'waiting' | 'synthesising' | 'playing' | 'played' | 'dropped';

/** A phrase that is, or was, to be said. */
export interface Speech {
  speech: number;
  text: string;
  stage: SpeechStage;
  audioMs: number;
  audioDone: boolean;
  words: WordTime[];
  estimated: boolean;
  playedMs: number;
  /** Voices that spoke it, the last one now. */
  tried: string[];
  pauseMs: number;
  rate: number;
  /** It only bridges the time until the answer: not part of it. */
  filler: boolean;
}

/**
 * `speculative`: begun before the turn was over (a head start), and nobody knows of it yet; kept if the turn
 * ends with the words of `key`. `live`: the one that is being thought of and spoken. `stopping`: it was
 * hushed, and the line has not yet said what was played; `resumable`: it may turn out that nothing had
 * interrupted it. `suspended`: hushed and reported, until it is known whether it is to be taken up again.
 */
export type AnswerStage =
  | { at: 'speculative'; key: string }
  | { at: 'live' }
  | { at: 'stopping'; cause: Cause; resumable: boolean }
  | { at: 'suspended' };

/** What a model writes for it. */
export interface Writing {
  /** Null for what was not thought of by a model: the greeting. */
  thought: number | null;
  /** Models that think it, the last one now; and one that is asked beside it. */
  tried: string[];
  hedge: { thought: number; engine: string } | null;
  /** The next piece goes on after what another engine wrote. */
  continues: boolean;
  cutter: Cutter;
  text: string;
  /** Functions that it wants called and has not been told about. */
  calls: Call[];
  rounds: Round[];
  done: boolean;
}

/** Functions that were called when so much of the text was written, and what each of them gave. */
export interface Round {
  upto: number;
  calls: readonly Call[];
  results: readonly string[];
}

/** What an errand has to do with an answer. */
export interface AnswerErrand {
  /** How errands stood before its turn: so they stand again when the turn is taken back. */
  before: Errands | null;
  /** The run that was ordered to be done for it: from then on the turn is certain. */
  acts: number | null;
  /** Its outcome is not there yet. */
  awaited: boolean;
  /** Said after what a model answers: the question that is still open. */
  then: string;
  /** What whoever takes over is told, by the names of slots. */
  known: Record<string, string> | null;
  about: { run: number; errand: string; stage: RunStage | RunEnding }[];
}

export interface Answer {
  stage: AnswerStage;
  turn: Turn;
  /** What of the turn is answered, as it enters the history; empty for what the assistant says by itself. */
  asked: string;
  /** What the model was asked, where nobody has said anything yet: it enters no history. */
  opening: string;
  /** The talk ends with it. */
  closing: boolean;
  /** Its engine asks for a person, and the line was not told yet. */
  handsOver: boolean;
  writing: Writing;
  speeches: Speech[];
  errand: AnswerErrand;
  /** A code of the catalogue of problems. */
  trouble: string | null;
}

export function newAnswer(stage: AnswerStage, turn: Turn, asked: string): Answer {
  return {
    stage,
    turn,
    asked,
    opening: '',
    closing: false,
    handsOver: false,
    writing: {
      thought: null,
      tried: [],
      hedge: null,
      continues: false,
      cutter: newCutter(),
      text: '',
      calls: [],
      rounds: [],
      done: false,
    },
    speeches: [],
    errand: { before: null, acts: null, awaited: false, then: '', known: null, about: [] },
    trouble: null,
  };
}

export function newSpeech(speech: number, text: string, filler = false): Speech {
  return {
    speech,
    text,
    stage: 'waiting',
    audioMs: 0,
    audioDone: false,
    words: [],
    estimated: false,
    playedMs: 0,
    tried: [],
    pauseMs: 0,
    rate: 1,
    filler,
  };
}

export function isSounding(answer: Answer | null): boolean {
  return (
    answer?.stage.at === 'live' &&
    answer.speeches.some(({ stage }) => stage === 'playing' || stage === 'played')
  );
}

/** It is wanted still, or may be wanted again: what its model writes counts. */
export function isThoughtOn({ stage }: Answer): boolean {
  return stage.at !== 'stopping' || stage.resumable;
}

/** What of it the caller heard. */
export function heardOf({ speeches }: Answer): string {
  const said = speeches.filter(({ filler }) => !filler);
  return said.flatMap(({ words, playedMs }) => heardWords(words, playedMs)).join(' ');
}

/** The phrases that were not heard whole. */
export function unheardSpeeches({ speeches }: Answer): Speech[] {
  return speeches.filter((speech) => !speech.filler && !wasHeardWhole(speech));
}

function wasHeardWhole({ audioDone, words, playedMs, stage }: Speech): boolean {
  if (stage === 'played') return true;
  const lastMs = words.at(-1)?.endMs ?? Infinity;
  return audioDone && stage === 'playing' && playedMs >= lastMs - HEARD_WHOLE_MS;
}
