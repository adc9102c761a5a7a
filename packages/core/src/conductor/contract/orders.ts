/** All that the conductor can order. Every order carries its cause. */
import type { Filled, RunEnding, RunStage } from '../../errands/contract.js';
import type { SlotValue } from '../../slots/common/slot.js';
import type { CallableFunction, Entry } from '../../thinking/history.js';
import type { AnswerLength } from '../../vocabulary/answer-length.js';
import type { EngineRole, Serving } from '../../vocabulary/engines.js';
import type { HeardWord, WordTime } from '../../vocabulary/words.js';
import type { Cause } from './causes.js';
import type { Relief, TurnReport } from './report.js';

export type Phase = 'resting' | 'listening' | 'working' | 'answering';

/** Every timer with what it is set for: when that is over, the timer is cleared. */
export const TIMER_OWNERS = {
  endpoint: 'turn',
  segment: 'turn',
  finalDue: 'turn',
  headStart: 'turn',
  release: 'turn',
  filler: 'answer',
  hushDue: 'answer',
  rest: 'talk',
  firstWord: 'talk',
  held: 'talk',
  keys: 'talk',
  closing: 'talk',
} as const;
export type TimerName = keyof typeof TIMER_OWNERS;

/**
 * Why nothing is answered: no sound, sound that was no voice, voice without a word, the assistant's own
 * voice.
 */
export type UnheardReason = 'silence' | 'noise' | 'no-words' | 'echo';

/**
 * What an engine is to think for. `speculative`: a head start; `hedge`: beside another engine that is late;
 * `relief`: after one that failed.
 */
export type Purpose = 'answer' | 'speculative' | 'hedge' | 'relief';

/** How an errand stands. `settled`: the words are final; `stage`: where it goes on, or how it ended. */
export interface ErrandTold {
  kind: 'errand';
  run: number;
  errand: string;
  title: string;
  stage: RunStage | RunEnding;
  /** The caller still speaks: only the slots tell what the words so far come to. */
  provisional: boolean;
  /** The slot that is asked for. */
  asking: string | null;
  slots: ({ name: string; settled: boolean } & Pick<Filled, 'value' | 'text' | 'fromMs' | 'toMs'>)[];
}

/** What the line is told to show. */
export type Told =
  | { kind: 'state'; state: Phase }
  | { kind: 'voice'; change: 'began' | 'ended'; voiceMs: number }
  /** `by`: whoever speaks, where it is not the caller. */
  | { kind: 'partial'; turn: number; settled: string; open: string; by?: string }
  | { kind: 'answerLength'; length: AnswerLength }
  | {
      kind: 'final';
      by?: string;
      turn: number;
      recognition: number;
      text: string;
      words: HeardWord[];
      alternatives: string[];
    }
  | { kind: 'unheard'; turn: number; reason: UnheardReason; cause: Cause }
  /** `after`: what was told of the answer from this character on is replaced. */
  | { kind: 'reply'; turn: number; text: string; after?: number }
  | { kind: 'speech'; turn: number; speech: number; text: string; words: WordTime[]; estimated: boolean }
  | { kind: 'turn'; report: TurnReport }
  | ErrandTold
  | ({ kind: 'relieved'; turn: number } & Relief)
  | { kind: 'swapped'; role: EngineRole; engine: string }
  /** BCP 47. */
  | { kind: 'languageSet'; hears: string; speaks: string }
  /** An engine asks that a person takes over. */
  | { kind: 'handOver'; turn: number; known?: Record<string, string> }
  /** A person talks with the caller; null: the assistant does again. */
  | { kind: 'person'; name: string | null }
  | { kind: 'fresh' }
  | { kind: 'trouble'; code: string; detail: string }
  | { kind: 'farewell'; cause: Cause };

type What =
  /** `toMs`: its sound has all come, and its final is wanted at once; null while it goes on. */
  | ({
      kind: 'openRecognition';
      recognition: number;
      language: string;
      fromMs: number;
      toMs: number | null;
      /** Only these are listened for: whoever says one wakes the assistant. */
      phrases?: readonly string[];
      /** The slot that was asked for, as `ERRAND/SLOT`: its answers are likely. */
      expecting?: string;
    } & Serving)
  | { kind: 'closeRecognition'; recognition: number; toMs: number }
  | { kind: 'dropRecognition'; recognition: number }
  | ({
      kind: 'think';
      thought: number;
      turn: number;
      /** From 1: engines that were asked for this answer, this one included. */
      attempt: number;
      purpose: Purpose;
      persona: string;
      messages: Entry[];
      /** What it may ask to be done. */
      functions?: readonly CallableFunction[];
      answerLength: AnswerLength;
      language: string;
    } & Serving)
  | { kind: 'dropThought'; thought: number }
  /**
   * `keep`: an earlier engine has made a part of this speech's sound. That much of it stays, with its words,
   * and the new sound goes on after it.
   */
  | ({
      kind: 'synthesise';
      speech: number;
      text: string;
      language: string;
      pauseMs: number;
      rate: number;
      keep: { ms: number; words: number };
    } & Serving)
  | { kind: 'dropSynthesis'; speech: number }
  | { kind: 'play'; speech: number }
  /** It is done once, and its outcome comes back as a happening. */
  | { kind: 'doErrand'; run: number; errand: string; slots: Readonly<Record<string, SlotValue>> }
  | { kind: 'stopErrand'; run: number }
  | { kind: 'duck' }
  | { kind: 'unduck' }
  | { kind: 'hush' }
  /** The talk is over: the line is closed. */
  | { kind: 'hangUp' }
  | { kind: 'setTimer'; timer: number; name: TimerName; afterMs: number }
  | { kind: 'clearTimer'; timer: number; name: TimerName }
  | { kind: 'tell'; message: Told }
  /** What came is of an epoch that has ended; nothing is done. */
  | { kind: 'ignore'; happening: string; id: number };

export type Order = What & { cause: Cause };
export type OrderOf<K extends Order['kind']> = Extract<Order, { kind: K }>;
/** An order before its cause is put to it. */
export type BareOrder = What;
