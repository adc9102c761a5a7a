/** What a session needs of a line, be it a socket, a phone or a test. */
import type { ServiceMessage } from '@verbalon/protocol';
import type { PacedFrame } from './pacer.js';

export interface LinePort {
  send(message: ServiceMessage): void;
  /** Sound to be played, in order. */
  play(frame: PacedFrame): void;
  /** The session is over. @param failed it came upon something that nobody foresaw */
  close(why: string, failed: boolean): void;
}
