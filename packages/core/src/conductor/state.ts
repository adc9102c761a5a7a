/** The conductor's state: plain data that can be written as JSON at any moment and taken up again. */
import { shownWords, type Settling } from '../hearing/settling.js';
import type { Wait } from '../hearing/endpoint.js';
import type { Ending } from '../hearing/melody.js';
import type { TurnTimes } from '../measure/turn-times.js';
import type { Cutter } from '../speaking/phrase-cutter.js';
import type { WordTime } from '../speaking/heard-ledger.js';
import type { Entry } from '../thinking/history.js';
import type { HeardWord } from './happenings.js';
import { dictionaryWords } from '../hearing/expected-phrases.js';
import { languageOf, type WrittenWord } from '../language/language.js';
import type { Phase, Relief, TimerName, TurnSource } from './orders.js';
import type { AnswerLength, Floor, Plan, EngineRole } from './plan.js';

/** A stretch of the caller's voice that went, or goes, through recognition as one; or typed words. */
export interface Segment {
  recognition: number;
  fromMs: number;
  toMs: number | null;
  /** Engines that heard it, the last one now. */
  tried: string[];
  settling: Settling;
  shown: HeardWord[];
  /** The words of the final; null until it has come. */
  final: HeardWord[] | null;
  /** Words that were typed, as they were typed. */
  typed: string | null;
}

/** Silence in the caller's turn, and how the voice sounded before it. */
export interface Pause {
  atMs: number;
  ending: Ending | null;
}

export interface Turn {
  turn: number;
  source: TurnSource;
  segments: Segment[];
  wait: Wait | null;
  /** The caller is silent just now. */
  pause: Pause | null;
  /** How much voice there was in it, in ms: in stretches that are over, and in the one that goes on. */
  voicedMs: number;
  stretchMs: number;
  /** It began over the assistant's voice, or just after it. */
  overlapped: boolean;
  /** So often has thinking begun before it was over. */
  headStarts: number;
  /** The answer is one that was begun before. */
  headStartKept: boolean;
  /** No engine heard a part of it. */
  deaf: boolean;
  /** The caller holds, or held, a key for it. */
  pressed: boolean;
  corrections: number;
  times: TurnTimes;
  reliefs: Relief[];
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
  /** Voices that spoke it, the last one now. */
  tried: string[];
  pauseMs: number;
  rate: number;
  /** It only bridges the time until the answer: not part of it. */
  filler: boolean;
}

export interface Reply {
  /** Null for what was not thought of by a model: the greeting. */
  thought: number | null;
  turn: Turn;
  /** What of the turn is answered, as it enters the history; empty for what the assistant says by herself. */
  asked: string;
  /** The talk ends with it. */
  closing: boolean;
  /** Its engine asks for a person, and the line was not told yet. */
  handsOver: boolean;
  /** Models that think it, the last one now; and one that is asked beside it. */
  tried: string[];
  second: { thought: number; engine: string } | null;
  /** The next piece goes on after what another engine wrote. */
  continues: boolean;
  cutter: Cutter;
  written: string;
  writtenDone: boolean;
  speeches: Speech[];
  trouble: string | null;
  /** Why it was hushed; null while it goes on. */
  hushed: string | null;
  /** It is not sure that what hushed it was meant so: if not, it is taken up again. */
  resumable: boolean;
}

/** A voice over the assistant, of which it is not decided yet what it is. */
export interface Overlap {
  /** How much voice there was since it began, in ms, and how much of that had a pitch. */
  voicedMs: number;
  pitchedMs: number;
  ducked: boolean;
}

/** Thinking that began before the turn was over: kept if the words stay what they were. */
export interface HeadStart {
  key: string;
  reply: Reply;
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
  /** The reply that is being thought of before the turn is over. */
  ahead: HeadStart | null;
  /** What a voice has stopped, until it is known what that voice said. */
  cutOff: Reply | null;
  /** Pauses that the caller has made within turns, in ms, the last ones. */
  ownPausesMs: number[];
  /** What the assistant said last, and when that ended. */
  lastSaid: { text: string; atMs: number };
  /** The last answer had to be bridged. */
  filled: boolean;
  /** Words a second that the caller speaks; null before it is known. */
  pace: number | null;
  voiceActive: boolean;
  /** A turn that was too long has ended while this voice went on: what more it says is not heard before it pauses. */
  voiceUnheeded: boolean;
  /** The line was told that it began, and not yet that it ended. */
  voiceTold: boolean;
  floor: Floor;
  /** The key that is down; `latched`: it was only tapped, and the next press ends the turn. */
  press: { atMs: number; latched: boolean } | null;
  /** How long answers are to be by now, if the caller said so. */
  answers: AnswerLength | null;
  /** Words that were asked back and wait for a yes or a no. */
  asked: string | null;
  /** So many turns in a row were not understood. */
  unheardInARow: number;
  /** The assistant has already asked whether anybody is there. */
  silenceNoticed: boolean;
  /** Engines by role as they are wanted now, and those that are to be left alone, with the reason. */
  lineup: Record<EngineRole, string[]>;
  resting: Record<string, string>;
  overlap: Overlap | null;
  /** What of the voice that is heard now was a nod, and does not count for what follows, in ms. */
  nodded: { voicedMs: number; pitchedMs: number };
  /** Why the talk is to end, whatever the caller does; null while it may go on. */
  mustEnd: string | null;
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
    ahead: null,
    cutOff: null,
    ownPausesMs: [],
    lastSaid: { text: '', atMs: -1e9 },
    filled: false,
    pace: null,
    voiceActive: false,
    voiceUnheeded: false,
    voiceTold: false,
    floor: 'open',
    press: null,
    answers: null,
    asked: null,
    unheardInARow: 0,
    silenceNoticed: false,
    lineup: { stt: [], llm: [], tts: [] },
    resting: {},
    overlap: null,
    nodded: { voicedMs: 0, pitchedMs: 0 },
    mustEnd: null,
    timers: {},
  };
}

export function newTurn(id: number, source: TurnSource): Turn {
  return {
    turn: id,
    source,
    segments: [],
    wait: null,
    pause: null,
    voicedMs: 0,
    stretchMs: 0,
    overlapped: false,
    headStarts: 0,
    headStartKept: false,
    deaf: false,
    pressed: false,
    corrections: 0,
    times: {},
    reliefs: [],
  };
}

/** The words of a segment as they were recognised: the final ones, or as long as there are none the provisional ones. */
export function spokenText(segment: Segment): string {
  return (
    segment.typed ??
    segment.final?.map(({ word }) => word).join(' ') ??
    shownWords(segment.settling).join(' ')
  );
}

/** A final's words as the assistant wants them written. */
export function writtenWords(
  plan: Plan,
  words: readonly HeardWord[],
  begins: boolean,
  ends: boolean,
): WrittenWord[] {
  if (!plan.written) return words.map((word) => ({ ...word, spoken: word.word }));
  return languageOf(plan.language).written(words, { names: plan.names, begins, ends });
}

/** All words of a turn, written as one: the whole turn tells what a question is and where a sentence ends. */
export function turnText(plan: Plan, { segments }: Turn): string {
  const parts: (HeardWord[] | string)[] = [];
  for (const segment of segments) {
    const words = segment.final ?? segment.shown;
    const last = parts.at(-1);
    if (segment.typed !== null) parts.push(segment.typed);
    else if (Array.isArray(last)) last.push(...words);
    else parts.push([...words]);
  }
  return parts
    .map((part) =>
      typeof part === 'string'
        ? part
        : writtenWords(plan, part, true, true)
            .map(({ word }) => word)
            .join(' '),
    )
    .filter(Boolean)
    .join(' ');
}

/** All words of a turn as they were recognised, in lower case, without marks. */
export function turnWords({ segments }: Turn): string[] {
  const texts = segments.map(
    ({ typed, final, shown }) => typed ?? (final ?? shown).map(({ word }) => word).join(' '),
  );
  return dictionaryWords(texts.join(' '));
}
