/** What the recogniser's engine and its hosts send each other. */
import type { HeardWord } from '@verbalon/core';

export type ToSttHost =
  /** `pronunciations`: words to add to the dictionary, in ARPAbet. */
  | { kind: 'profile'; key: string; arpaFile: string; weight: number; pronunciations: Record<string, string> }
  /** `means`: what the talk has adapted to so far; null to begin like new. `phrasesFile`: only these are listened for. */
  | { kind: 'start'; job: number; profile: string | null; means: Float32Array | null; phrasesFile?: string }
  | { kind: 'sound'; job: number; samples: Int16Array }
  | { kind: 'finish'; job: number }
  | { kind: 'drop'; job: number };

export type FromSttHost =
  | { kind: 'partial'; job: number; words: HeardWord[]; uptoMs: number }
  | { kind: 'final'; job: number; words: HeardWord[]; alternatives: string[]; means: Float32Array };
