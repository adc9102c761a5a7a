/** Made by `npm run train belief`; from what, and how well they do, stands in docs/measures.md. */

export const BELIEF_WEIGHTS = {
  always: 3.38, loss: -2.33, worst: -4.46, different: -1.6, short: -0.94, noise: -1.38, lossInNoise:
  1.81, worstInNoise: 2.84, differentInNoise: -1.18,
};
