/**
 * What takes long to compute and waits for nothing. Each is a pure function whose arguments and result can be
 * sent to a thread.
 */
import { replay } from '@verbalon/core';

export const COMPUTATIONS = {
  /** A stored talk with other turn-taking settings. */
  replay,
};

export type Computations = typeof COMPUTATIONS;
