/** The time of a session, and its timers: given to it, so that a test can turn the clock by hand. */
export interface SessionClock {
  /** In ms, from any moment on. */
  nowMs(): number;
  /** Milliseconds since 1970-01-01T00:00Z. */
  unixMs(): number;
  /** Runs a function once, later. @returns a function that cancels the timer */
  after(ms: number, run: () => void): () => void;
  /** Runs a function again and again. @returns a function that cancels the timer */
  every(ms: number, run: () => void): () => void;
}

export const REAL_CLOCK: SessionClock = {
  nowMs: () => performance.now(),
  unixMs: () => Date.now(),
  after: (ms, run) => {
    const timer = setTimeout(run, ms);
    return () => clearTimeout(timer);
  },
  every: (ms, run) => {
    const timer = setInterval(run, ms);
    return () => clearInterval(timer);
  },
};
