/** Made by `npm run bench turn-weights`; from what, and how well they do, stands in docs/measures.md. */

export const TURN_END_WEIGHTS = {
  always: -4.8, complete: 1.64, incomplete: -0.22, expected: 0.85, begun: -0.62, provisional: -0.29, sureAndComplete: 0.33,
  sureAndIncomplete: -1.82, noWords: -0.46, low: 1.41, quiet: 1.9, noMelody: 3.54, quietWithoutMelody: -4.54, lasted: 3.91,
  shortAndComplete: 1.03,
}; // prettier-ignore

/** Of pauses within turns, as the ear hears them. */
export const PAUSE_LAW = { medianMs: 426, shape: 2.69 };
