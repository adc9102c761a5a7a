/** What the conductor is told about the assistant when a caller joins. */
import type { Sayings } from '../language/language.js';

/** How long answers may be, from one sentence on. */
export const ANSWER_LENGTHS = ['brief', 'short', 'long'] as const;
export type AnswerLength = (typeof ANSWER_LENGTHS)[number];

/** `open`: whoever speaks is heard. `press`: the caller is heard while a key is pressed. */
export type Floor = 'open' | 'press';

export interface Manners {
  /** Silence that ends the caller's turn, in ms. */
  leewayMs: number;
  /** When it is the caller's turn, the first word is waited for this long before the assistant says so, in ms; 0: for ever. */
  firstWordMs: number;
  floor: Floor;
  /** Who speaks first when a caller joins. */
  first: 'assistant' | 'caller';
  /** How the caller may interrupt: by speaking (or by key), or by key only (then the ear is deaf while the assistant speaks). */
  interrupt: 'voice' | 'key';
  /** Silence after which the assistant rests, in ms. */
  restAfterMs: number;
  answers: AnswerLength;
  /** Words that are less certain than this on average are asked back, 0 to 1; 0: never. */
  sureness: number;
}

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
  /** Words are written with capitals, marks and digits; else as they are spoken. */
  written: boolean;
  manners: Manners;
}
