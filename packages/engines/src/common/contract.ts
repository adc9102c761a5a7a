/**
 * The contracts of the three roles. Each streams in both directions and can be cancelled;
 * a cancel reaches the engine. All sound is 16-bit at HOUSE_RATE_HZ.
 */
import type { AnswerLength, Call, CallableFunction, Entry, HeardWord, Stay, WordTime } from '@verbalon/core';

export type Readiness = { state: 'ready' } | { state: 'loading' } | { state: 'down'; why: string };

interface Engine {
  readonly name: string;
  readonly title: string;
  readonly where: 'on-machine' | 'cloud';
  readonly languages: readonly string[];
  readiness(): Readiness;
  /**
   * Resolves when the first answer would be as fast as the later ones; rejects with the reason when that
   * cannot be.
   */
  warm(): Promise<void>;
  close(): Promise<void>;
}

/** What sharpens hearing for one assistant. */
export interface HearingProfile {
  /** Names the profile; another content has another key. */
  key: string;
  /** Sentences that callers are likely to say, as dictionary words. */
  sentences: readonly (readonly string[])[];
  /** Share of these sentences beside the general language model, 0 to 1. */
  weight: number;
  /** Pronunciations of words that the engine's dictionary may lack, in ARPAbet without stress. */
  pronunciations: Readonly<Record<string, string>>;
  /** What is likely while something is asked for, by its name (`ERRAND/SLOT`). */
  answers?: Readonly<Record<string, ExpectedAnswers>>;
}

export interface ExpectedAnswers {
  sentences: readonly (readonly string[])[];
  /** Nothing else is listened for. Only the local ears can. */
  only: boolean;
}

/** What every request says. */
export interface Asked {
  /**
   * Where what is given to the engine may go; null for anywhere. The guard around the engine holds it to
   * that.
   */
  stay: Stay | null;
  /** Nobody could take over: it is given more time than it usually takes. */
  alone?: boolean;
  signal: AbortSignal;
}

export interface SttRequest extends Asked {
  /** BCP 47, as the caller speaks. */
  language: string;
  profile: HearingProfile | null;
  /** What the engine adapts to in a talk stays with this talk. */
  talk: string;
  /** It comes from a line of NARROW_RATE_HZ or less: there is nothing above 4 kHz. */
  narrow?: boolean;
  /** It was recorded: nobody waits for it live, and it is given far more time. */
  recorded?: boolean;
  /**
   * Told whenever sound is sent once more, for provisional words: so much of it, in ms. It costs like a
   * request of its own.
   */
  sentAgain?: (audioMs: number) => void;
  /** What was asked for: a name in the profile's `answers`. */
  expecting?: string;
  /**
   * Only these phrases are listened for: each that is said is given as one word of a partial. Only the local
   * ears can.
   */
  phrases?: readonly string[];
}

/** Times of words are in ms from the first sample pushed. */
export type SttEvent =
  /** `uptoMs`: so much of the sound it rests on, where the engine says. */
  | { kind: 'partial'; words: HeardWord[]; uptoMs?: number }
  | { kind: 'final'; words: HeardWord[]; alternatives: string[] };

export interface SttStream {
  push(samples: Int16Array): void;
  /** No more sound will come: the final is wanted now. */
  finish(): void;
  /** Ends after the final; throws EngineFault. */
  readonly events: AsyncIterable<SttEvent>;
}

export interface SttEngine extends Engine {
  readonly role: 'stt';
  /**
   * Makes a profile ready for use. @returns the words that the dictionary lacked and that had no
   * pronunciation.
   */
  prepare(profile: HearingProfile): Promise<string[]>;
  open(request: SttRequest): SttStream;
  /** The talk is over: what was adapted to it goes. */
  forget(talk: string): void;
}

export interface LlmRequest extends Asked {
  persona: string;
  messages: readonly Entry[];
  answerLength: AnswerLength;
  /** BCP 47, in which to answer. */
  language: string;
  /** Names the conversation towards the engine. */
  talk: string;
  /** What it may ask to be done. */
  functions?: readonly CallableFunction[];
  /** Of the talk; with `attempt` it tells a request that is made again from another one. */
  turn?: number;
  /** From 1. */
  attempt?: number;
  /** The turn is over for good: only then may anything act. */
  certain?: boolean;
  /** Who talks, as far as the line says. */
  caller?: Readonly<Record<string, unknown>>;
}

/** What of an answer the caller heard. */
export interface HeardAnswer {
  talk: string;
  turn: number;
  text: string;
  whole: boolean;
}

export type LlmEvent =
  | { kind: 'piece'; text: string }
  /** It wants this to be done, and to be told what comes of it. */
  | { kind: 'call'; call: Call }
  | { kind: 'usage'; inputTokens: number; outputTokens: number }
  /** It takes longer than it usually does: told once, by the guard around it. */
  | { kind: 'late' }
  /** The engine wants the talk to end after this answer, or a person to take over. */
  | { kind: 'closes'; how: 'end' | 'hand over' };

export interface LlmEngine extends Engine {
  readonly role: 'llm';
  /** Throws EngineFault. */
  think(request: LlmRequest): AsyncIterable<LlmEvent>;
  /** Tells it what was heard of its answer, where it wants to know. */
  heard?(answer: HeardAnswer): Promise<void>;
}

export interface TtsRequest extends Asked {
  text: string;
  /** BCP 47, of the text. */
  language: string;
  /** Names the conversation towards the engine. */
  talk?: string;
  /** 1 is the voice's own rate and volume. */
  voice: { name?: string; rate?: number; pitchHz?: number; volume?: number };
}

/** `words` are the end times of all words of the phrase; null where the engine gives none. */
export type TtsEvent = { kind: 'audio'; samples: Int16Array; words: WordTime[] | null };

export interface TtsEngine extends Engine {
  readonly role: 'tts';
  readonly voices: readonly string[];
  /** Silence at both ends is trimmed. Throws EngineFault. */
  speak(request: TtsRequest): AsyncIterable<TtsEvent>;
  /** How the engine would say these words, in ARPAbet without stress; words it cannot say are left out. */
  pronounce(words: readonly string[]): Promise<Record<string, string>>;
}

export type AnyEngine = SttEngine | LlmEngine | TtsEngine;

export type EngineFaultCode =
  | 'engine-down'
  | 'engine-late'
  | 'engine-garbled'
  | 'engine-refused'
  | 'engine-busy'
  | 'engine-key-missing'
  | 'engine-key-wrong'
  | 'engine-forbidden'
  | 'voice-unknown';

export class EngineFault extends Error {
  /** The fault is that of this request: it tells nothing of how well the engine is. */
  isOfRequest = false;

  constructor(
    readonly code: EngineFaultCode,
    readonly detail: string,
    /** So long it wants to be left alone, in ms, where it says so. */
    readonly retryMs: number | null = null,
  ) {
    super(`${code}: ${detail}`);
    this.name = 'EngineFault';
  }
}
