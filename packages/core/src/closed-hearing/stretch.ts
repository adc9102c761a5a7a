/** A stretch of a hearing: a word, or silence (no word). */
export interface Stretch {
  word: string;
  fromMs: number;
  toMs: number;
  /** How well the sound fits all of it: logarithm of the likelihood, in the recogniser's unit. */
  fit: number;
  confidence?: number;
}
