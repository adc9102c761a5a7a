/** What the recogniser's engine and its hosts send each other. */
import type { ClosedHearing, HeardWord } from '@verbalon/core';

/** Language models of expected phrases, and of answers to what is asked for. */
export interface ProfileFiles {
  expected: string;
  answers: Readonly<Record<string, string>>;
}

/** What the closed hearing needs. */
export interface ClosedFiles {
  /** All ways to say each word of the grammars, in ARPAbet. */
  words: Readonly<Record<string, readonly string[]>>;
  /** Grammars by what was asked for; the usual one under ''. */
  grammars: Readonly<Record<string, string>>;
  /** Where these are asked for, it alone is believed. */
  only: readonly string[];
}

/** What a talk has got used to: running means of the cepstrum, and the noise around it. */
export interface Adaptation {
  means: Float32Array;
  noise: Float32Array;
}

export type ToSttHost =
  /** `pronunciations`: words to add to the dictionary of the open hearing, in ARPAbet. */
  | {
      kind: 'profile';
      key: string;
      weight: number;
      pronunciations: Record<string, string>;
      files: ProfileFiles;
      closed: ClosedFiles;
    }
  /**
   * `adapted`: null to begin like new. `isNarrow`: nothing is above 4 kHz. `phrasesFile`: only these are
   * listened for. `expecting`: what was asked for.
   */
  | {
      kind: 'start';
      job: number;
      profile: string | null;
      adapted: Adaptation | null;
      isNarrow: boolean;
      phrasesFile?: string;
      expecting?: string;
    }
  | { kind: 'sound'; job: number; samples: Int16Array }
  | { kind: 'finish'; job: number }
  | { kind: 'drop'; job: number };

export type FromSttHost =
  | { kind: 'partial'; job: number; words: HeardWord[]; uptoMs: number }
  | {
      kind: 'final';
      job: number;
      words: HeardWord[];
      closed: ClosedHearing | null;
      alternatives: string[];
      adapted: Adaptation;
    };
