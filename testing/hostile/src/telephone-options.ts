/** How a telephone for tests behaves, and how it describes its sound. */

export interface Offer {
  direction?: string;
  /** Without it, keys are tones. */
  keys?: boolean;
  port?: number;
  /** Where its sound is said to be; where the telephone is, where it is not said. */
  host?: string;
  /** Lines of the description of its sound. */
  lines?: readonly string[];
  profile?: string;
}

export interface Options {
  /** How its sound is sealed, and theirs opened. */
  seal?: { out: (packet: Buffer) => Buffer; in: (packet: Buffer) => Buffer | null };
  /** What happens to packets on their way: how late one comes, in ms, or null for one that is lost. */
  network?: (index: number) => number | null;
  user?: string;
  /** Of this machine; 127.0.0.1 where it is not said. */
  at?: string;
}
