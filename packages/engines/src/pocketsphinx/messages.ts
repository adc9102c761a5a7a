/** What the recogniser's engine and its hosts send each other. */
import type { HeardWord } from '@verbalon/core';

/**
 * Language models of expected phrases, and of answers to what is asked for; grammars of answers beside which
 * nothing is heard.
 */
export interface ProfileFiles {
  expected: string;
  answers: Readonly<Record<string, string>>;
  grammars: Readonly<Record<string, string>>;
}

export type ToSttHost =
  /** `pronunciations`: words to add to the dictionary, in ARPAbet. */
  | {
      kind: 'profile';
      key: string;
      weight: number;
      pronunciations: Record<string, string>;
      files: ProfileFiles;
    }
  /**
   * `means`: what the talk has adapted to so far; null to begin like new. `phrasesFile`: only these are
   * listened for. `expecting`: what was asked for.
   */
  | {
      kind: 'start';
      job: number;
      profile: string | null;
      means: Float32Array | null;
      phrasesFile?: string;
      expecting?: string;
    }
  | { kind: 'sound'; job: number; samples: Int16Array }
  | { kind: 'finish'; job: number }
  | { kind: 'drop'; job: number };

export type FromSttHost =
  | { kind: 'partial'; job: number; words: HeardWord[]; uptoMs: number }
  | { kind: 'final'; job: number; words: HeardWord[]; alternatives: string[]; means: Float32Array };
