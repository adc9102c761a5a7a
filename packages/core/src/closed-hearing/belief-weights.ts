/** Made by `npm run train belief`; from what, and how well they do, stands in docs/measures.md. */

export const BELIEF_WEIGHTS = {
  always: 1.96, loss: -1.48, smallLoss: -0.57, worst: -7.53, uncovered: -2.98, different: -1.48, short: 2.13, noise: -0.17,
  lossInNoise: 2.14, worstInNoise: 1.81, differentInNoise: -2.55, shortAndDifferent: -0.65,
};
