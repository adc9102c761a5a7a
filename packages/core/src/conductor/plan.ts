/** What the conductor is told about the assistant when a caller joins. */
import type { Expected } from '../hearing/expected-phrases.js';
import type { Sayings } from '../language/language.js';

/** How long answers may be, from one sentence on. */
export const ANSWER_LENGTHS = ['brief', 'short', 'long'] as const;
export type AnswerLength = (typeof ANSWER_LENGTHS)[number];

/** What engines are for. */
export const ENGINE_ROLES = ['stt', 'llm', 'tts'] as const;
export type EngineRole = (typeof ENGINE_ROLES)[number];

/** `open`: whoever speaks is heard. `press`: the caller is heard while a key is pressed. */
export type Floor = 'open' | 'press';

/**
 * How the caller may interrupt. `voice`: by speaking, decided by the words and by how long; `words`: only by words that were
 * understood; `key`: by key only (then the ear is deaf while the assistant speaks).
 */
export type Interrupt = 'voice' | 'words' | 'key';

export interface Manners {
  /** Silence that ends the caller's turn where the words tell nothing, in ms; all waits are shares of it. */
  leewayMs: number;
  /** When it is the caller's turn, the first word is waited for this long before the assistant says so, in ms; 0: for ever. */
  firstWordMs: number;
  floor: Floor;
  /** Who speaks first when a caller joins. */
  first: 'assistant' | 'caller';
  interrupt: Interrupt;
  /** A sentence in which one of these words or phrases occurs is not interrupted by voice. */
  important: readonly string[];
  /** So often in a turn may thinking begin before the turn is over; 0: never. */
  headStarts: number;
  /** When an answer takes longer than this, a few words are said meanwhile, in ms; 0: never. */
  fillerAfterMs: number;
  /** The voice speaks somewhat faster or slower, as the caller does. */
  followPace: boolean;
  /** Silence after which the assistant rests, in ms. */
  restAfterMs: number;
  answers: AnswerLength;
  /** Words that are less certain than this on average are asked back, 0 to 1; 0: never. */
  sureness: number;
}

/** What an assistant does whose file says nothing else. */
export const USUAL_MANNERS: Manners = {
  leewayMs: 800,
  firstWordMs: 15_000,
  floor: 'open',
  first: 'caller',
  interrupt: 'voice',
  important: [],
  headStarts: 2,
  fillerAfterMs: 2_500,
  followPace: false,
  restAfterMs: 30_000,
  answers: 'short',
  sureness: 0,
};

export interface Plan {
  /** `listen`: words only; nothing is thought or said. */
  purpose: 'talk' | 'listen';
  /** BCP 47. */
  language: string;
  persona: string;
  greeting: string;
  sayings: Sayings;
  /** Names as they are written; the assistant's own is one of them. */
  names: readonly string[];
  /** What callers are likely to say: it helps to tell whether they have finished. */
  expect: Expected;
  /** Words are written with capitals, marks and digits; else as they are spoken. */
  written: boolean;
  manners: Manners;
  /** Engines by role, in order of preference: the first plays, the others are its relief. */
  lineup: Readonly<Record<EngineRole, readonly string[]>>;
  /** BCP 47, of what the assistant says, where that is another language. */
  speaks?: string;
}

/** In which she answers, BCP 47. */
export function spokenLanguage({ language, speaks }: Pick<Plan, 'language' | 'speaks'>): string {
  return speaks ?? language;
}
