/** What the conductor is told about the assistant when a caller joins. */
import type { NamedErrand } from '../../errands/contract.js';
import type { Expected } from '../../hearing/expected-phrases.js';
import type { Sounds } from '../../hearing/phrase-sounds.js';
import type { Sayings } from '../../language/common/contract.js';
import type { AnswerLength } from '../../vocabulary/answer-length.js';
import type { EngineRole } from '../../vocabulary/engines.js';

/**
 * `open`: whoever speaks is heard. `press`: the caller is heard while a key is pressed. `once`: a press opens
 * the floor, and the end of the turn closes it.
 */
export type Floor = 'open' | 'press' | 'once';

/**
 * How the caller may interrupt. `voice`: by speaking, decided by the words and by how long; `words`: only by
 * words that were understood; `key`: by key only (then the ear is deaf while the assistant speaks).
 */
export type Interrupt = 'voice' | 'words' | 'key';

export interface Manners {
  /**
   * Silence that ends the caller's turn when the words do not show whether it is over, in ms; all waits are
   * shares of it.
   */
  leewayMs: number;
  /**
   * When it is the caller's turn, the first word is waited for this long before the assistant says so, in ms;
   * 0: no limit.
   */
  firstWordMs: number;
  floor: Floor;
  /** Who speaks first when a caller joins. */
  speaksFirst: 'assistant' | 'caller';
  interrupt: Interrupt;
  /** A sentence in which one of these words or phrases occurs is not interrupted by voice. */
  important: readonly string[];
  /** So often in a turn may thinking begin before the turn is over; 0: never. */
  headStarts: number;
  /** What share of them may be for nothing, 0 to 1; 0: never begun; 1: begun as early as can be. */
  headStartWaste: number;
  /** When an answer takes longer than this, a few words are said in the meantime, in ms; 0: never. */
  fillerAfterMs: number;
  /** The voice speaks somewhat faster or slower, as the caller does. */
  followPace: boolean;
  /** Silence after which the assistant rests, in ms. */
  restAfterMs: number;
  /**
   * What wakes it when it rests: a voice, or only a tap, or one of these phrases (and a tap). But for its
   * phrases nothing is heard in the meantime.
   */
  wake: 'voice' | 'tap' | readonly string[];
  answerLength: AnswerLength;
  /** Words that are less certain than this on average are asked back, 0 to 1; 0: never. */
  askBackBelow: number;
}

/** What an assistant does whose file says nothing else. */
export const USUAL_MANNERS: Manners = {
  leewayMs: 800,
  firstWordMs: 15_000,
  floor: 'open',
  speaksFirst: 'caller',
  interrupt: 'voice',
  important: [],
  headStarts: 2,
  headStartWaste: 0.25,
  fillerAfterMs: 2_500,
  followPace: false,
  restAfterMs: 30_000,
  wake: 'voice',
  answerLength: 'short',
  askBackBelow: 0,
};

export interface Plan {
  /** `listen`: words only; nothing is thought or said. */
  purpose: 'talk' | 'listen';
  /** BCP 47. */
  language: string;
  persona: string;
  /** What it says first; with `opening`, what it says where no model opens the talk. */
  greeting: string;
  /** What the model is asked to open the talk with. */
  opening?: string;
  /** Said before anything else when somebody joins: nothing of theirs is heard until then. */
  notice?: string;
  sayings: Sayings;
  /** … and in other languages, by their primary tags. */
  sayingsIn?: Readonly<Record<string, Sayings>>;
  /** Names as they are written; the assistant's own is one of them. */
  names: readonly string[];
  /** What callers are likely to say: it helps to tell whether they have finished. */
  expect: Expected;
  /** How the words of it sound; only where words that were heard may be put right by their sound. */
  sounds?: Sounds;
  /** Words are written with capitals, marks and digits; else as they are spoken. */
  written: boolean;
  manners: Manners;
  /** Engines by role, in order of preference: the first serves, the others are its relief. */
  lineup: Readonly<Record<EngineRole, readonly string[]>>;
  /**
   * Engines that do or remember what they are asked: only for a turn that is over, and nobody is asked beside
   * them.
   */
  acting?: readonly string[];
  /** The engine on this machine that listens for the phrases that wake it. */
  wakeEars?: string;
  /** What it can do for the caller. */
  errands?: readonly NamedErrand[];
  /** A person can take over. */
  person?: boolean;
  /** By a key of the telephone: the words that it stands for, where the assistant asks for no digits. */
  keys?: Readonly<Record<string, string>>;
  /** BCP 47, of what the assistant says, where that is another language. */
  speaks?: string;
}

/** Does this engine do or remember what it is asked? */
export function acts({ acting }: Pick<Plan, 'acting'>, engine: string | null): boolean {
  return engine !== null && (acting?.includes(engine) ?? false);
}

/** In which it answers, BCP 47. */
export function spokenLanguage({ language, speaks }: Pick<Plan, 'language' | 'speaks'>): string {
  return speaks ?? language;
}
