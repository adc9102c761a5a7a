/** All that the conductor can order. Every order carries the reason for it, in words for a person. */
import type { Entry } from '../thinking/history.js';
import type { WordTime } from '../speaking/heard-ledger.js';
import type { Gap, TurnTimes } from '../measure/turn-times.js';
import type { Wait } from '../hearing/endpoint.js';
import type { HeardWord } from './happenings.js';
import type { AnswerLength, EngineRole } from './plan.js';

export type Phase = 'resting' | 'listening' | 'working' | 'answering';
export type TimerName =
  | 'endpoint'
  | 'segment'
  | 'finalDue'
  | 'hushDue'
  | 'rest'
  | 'firstWord'
  | 'release'
  | 'filler'
  | 'held'
  | 'closing';

/** `resumed`: the assistant takes up again what a noise had stopped. */
export type TurnSource = 'voice' | 'typed' | 'greeting' | 'silence' | 'resumed';
/** Why nothing is answered: no sound, sound that was no voice, voice without a word, the assistant's own voice. */
export type UnheardReason = 'silence' | 'noise' | 'no-words' | 'echo';

/** An engine took over from another one. */
export interface Relief {
  role: EngineRole;
  from: string;
  to: string;
  why: string;
}

/** What a turn was and how long each part of it took. */
export interface TurnReport {
  turn: number;
  /** Who began it: the caller by voice or keyboard, or the assistant with her greeting or after a silence. */
  source: TurnSource;
  text: string;
  /** The words as they were recognised; equal to `text` but for its written form. */
  spoken: string;
  /** All that the model wrote, and what of it the caller heard. */
  generated: string;
  heard: string;
  answered: boolean;
  interrupted: string | null;
  trouble: string | null;
  /** The words' end times of a phrase were estimated, so `heard` is too. */
  estimated: boolean;
  wait: Wait | null;
  /** How often thinking began before the turn was over, and whether the last time was of use. */
  headStarts: { begun: number; kept: boolean };
  times: TurnTimes;
  gap: Gap | null;
  flicker: number;
  corrections: number;
  reliefs: Relief[];
}

/** What the line is told to show. */
export type Told =
  | { kind: 'state'; state: Phase }
  | { kind: 'voice'; change: 'began' | 'ended'; voiceMs: number }
  | { kind: 'partial'; turn: number; settled: string; open: string }
  | { kind: 'answers'; length: AnswerLength }
  | {
      kind: 'final';
      turn: number;
      recognition: number;
      text: string;
      words: HeardWord[];
      alternatives: string[];
    }
  | { kind: 'unheard'; turn: number; reason: UnheardReason; why: string }
  /** `after`: what was told of the answer from this character on is replaced. */
  | { kind: 'reply'; turn: number; text: string; after?: number }
  | { kind: 'speech'; turn: number; speech: number; text: string; words: WordTime[]; estimated: boolean }
  | { kind: 'turn'; report: TurnReport }
  | ({ kind: 'relieved'; turn: number } & Relief)
  | { kind: 'swapped'; role: EngineRole; engine: string }
  /** BCP 47. */
  | { kind: 'languageSet'; hears: string; speaks: string }
  /** An engine asks that a person takes over. */
  | { kind: 'handOver'; turn: number }
  | { kind: 'fresh' }
  | { kind: 'trouble'; code: string; detail: string }
  | { kind: 'farewell'; why: string };

/** Which engine serves. `alone`: nobody could take over from it, so that it is worth waiting for. */
export interface Serving {
  engine: string;
  alone: boolean;
}

type What =
  /** `toMs`: its sound has all come, and its final is wanted at once; null while it goes on. */
  | ({
      kind: 'openRecognition';
      recognition: number;
      language: string;
      fromMs: number;
      toMs: number | null;
    } & Serving)
  | { kind: 'closeRecognition'; recognition: number; toMs: number }
  | { kind: 'dropRecognition'; recognition: number }
  | ({
      kind: 'think';
      thought: number;
      persona: string;
      messages: Entry[];
      answers: AnswerLength;
      language: string;
    } & Serving)
  | { kind: 'dropThought'; thought: number }
  /** `keep`: of the sound that there is of it already so much stays, with so many words, and this goes on after it. */
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

export type Order = What & { reason: string };
export type OrderOf<K extends Order['kind']> = Extract<Order, { kind: K }>;
/** An order before its reason is put to it. */
export type BareOrder = What;
