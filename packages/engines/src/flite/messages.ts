/** What the synthesiser's engine and its hosts send each other. */
import type { WordTime } from '@verbalon/core';

export type ToTtsHost =
  | { kind: 'say'; job: number; text: string; voice: string; rate: number; pitchHz: number | null }
  | { kind: 'pronounce'; job: number; words: string[] };

export type FromTtsHost =
  /** `words` as they are written, with the end of each in ms. */
  | { kind: 'said'; job: number; rateHz: number; samples: Int16Array; words: WordTime[] }
  | { kind: 'pronounced'; job: number; phones: Record<string, string> };
