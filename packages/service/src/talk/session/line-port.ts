/** What a session needs of a line, be it a socket, a phone or a test. */
import type { ServiceMessage } from '@verbalon/protocol';
import type { PacedFrame } from './pacer.js';

export interface LinePort {
  send(message: ServiceMessage): void;
  /** Sound to be played, in order. */
  play(frame: PacedFrame): void;
  /** So much of a speech has been played; `samples`: the last of it. For whoever watches. */
  heard?(speech: number, playedMs: number, atMs: number, samples: Int16Array): void;
  /** The session is over. @param failed it came upon something that nobody foresaw */
  close(why: string, failed: boolean): void;
}
