/** From a logit to a probability. */
export function sigmoid(logit: number): number {
  return 1 / (1 + Math.exp(-logit));
}
