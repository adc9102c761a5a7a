/** The conductor's state: plain data that can be written as JSON at any moment and taken up again. */
import { shownWords, type Settling } from '../hearing/settling.js';
import type { Wait } from '../hearing/endpoint.js';
import type { TurnTimes } from '../measure/turn-times.js';
import type { Cutter } from '../speaking/phrase-cutter.js';
import type { WordTime } from '../speaking/heard-ledger.js';
import type { Entry } from '../thinking/history.js';
import type { HeardWord } from './happenings.js';
import type { Phase, TimerName } from './orders.js';
import type { Plan } from './plan.js';

/** A stretch of the caller's voice that went, or goes, through recognition as one; or typed words. */
export interface Segment {
  recognition: number;
  fromMs: number;
  toMs: number | null;
  settling: Settling;
  shown: HeardWord[];
  /** Null until the final has come. */
  final: string | null;
}

export interface Turn {
  turn: number;
  source: 'voice' | 'typed' | 'greeting';
  segments: Segment[];
  wait: Wait | null;
  corrections: number;
  times: TurnTimes;
}

export type SpeechStage = 'waiting' | 'synthesising' | 'playing' | 'played' | 'dropped';

export interface Speech {
  speech: number;
  text: string;
  stage: SpeechStage;
  audioMs: number;
  audioDone: boolean;
  words: WordTime[];
  estimated: boolean;
  playedMs: number;
}

export interface Reply {
  /** Null for what was not thought of by a model: the greeting. */
  thought: number | null;
  turn: Turn;
  cutter: Cutter;
  written: string;
  writtenDone: boolean;
  speeches: Speech[];
  trouble: string | null;
  /** Why it was hushed; null while it goes on. */
  hushed: string | null;
}

export interface State {
  plan: Plan | null;
  phase: Phase;
  lastId: number;
  ended: boolean;
  history: Entry[];
  /** The caller's turn that is being heard. */
  turn: Turn | null;
  /** The reply that is being thought of or spoken. */
  reply: Reply | null;
  voiceActive: boolean;
  /** Voice has begun over the assistant, and it is not yet decided whether that is an interruption. */
  overlapping: boolean;
  timers: Partial<Record<TimerName, number>>;
}

export function newState(): State {
  return {
    plan: null,
    phase: 'resting',
    lastId: 0,
    ended: false,
    history: [],
    turn: null,
    reply: null,
    voiceActive: false,
    overlapping: false,
    timers: {},
  };
}

export function newTurn(id: number, source: Turn['source']): Turn {
  return { turn: id, source, segments: [], wait: null, corrections: 0, times: {} };
}

/** The words of a segment: the final ones, or as long as there are none the provisional ones. */
export function textOf(segment: Segment): string {
  return segment.final ?? shownWords(segment.settling).join(' ');
}
