/** Made by `npm run train turn-weights`; from what, and how well they do, stands in docs/measures.md. */

export const TURN_END_WEIGHTS = {
  always: -5.18, complete: 1.83, incomplete: -0.3, expected: 0.88, begun: -0.52, provisional: -0.07, sureAndComplete: 0.02,
  sureAndIncomplete: -2.23, noWords: -0.46, low: 1.21, quiet: 1.37, noMelody: 3.6, quietWithoutMelody: -4.99, lasted: 4.65,
  shortAndComplete: 1.01, lengthened: 0.81, fewWords: 0.15,
};

/** Of pauses within turns, as the ear hears them. */
export const PAUSE_LAW = { medianMs: 436, shape: 2.83 };
