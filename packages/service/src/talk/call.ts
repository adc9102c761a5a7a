/**
 * A caller's talk and what outlives a lost line: for RESUME_MS it waits for the line to come back, and then gives it
 * what it has missed. It belongs to one connection at a time.
 */
import { randomBytes } from 'node:crypto';
import { Outbox, RESUME_MS, type Item, type ServiceMessage } from '@verbalon/protocol';
import type { EngineRole } from '@verbalon/core';
import type { Talk } from './talk.js';

/** What a call needs of the connection that it is at. */
export interface CallLine {
  write(item: Item): void;
  /** Another connection has taken the call over. */
  takenOver(): void;
  /** The talk has ended by itself. */
  hungUp(): void;
}

export class Call {
  readonly token = randomBytes(18).toString('base64url');
  /** Items that have come from the line. */
  received = 0;
  /** When the line's sound began, for its pace; null before it came. */
  pacedFromMs: number | null = null;
  private readonly outbox = new Outbox();
  private line: CallLine | null;
  private waiting: NodeJS.Timeout | null = null;
  private isOver = false;

  constructor(
    readonly conversation: string,
    readonly rateHz: number,
    line: CallLine,
    private readonly makeTalk: (call: Call) => Talk,
    private readonly ended: (why: string) => void,
  ) {
    this.line = line;
  }

  talk!: Talk;

  begin(admitted: (token: string) => ServiceMessage): void {
    this.talk = this.makeTalk(this);
    this.send(admitted(this.token));
    this.talk.begin();
  }

  /** Another engine is to serve from the next segment, thought or phrase on. @throws ProblemError */
  swap!: (role: EngineRole, engine: string) => void;

  /** She hears, or speaks, another language from the next segment, thought and phrase on. @throws ProblemError */
  setLanguage!: (wanted: { hears?: string; speaks?: string }) => void;

  send(message: ServiceMessage): void {
    this.put(JSON.stringify(message));
  }

  put(item: Item): void {
    this.outbox.put(item);
    this.line?.write(item);
  }

  /** The line has come back, or another one takes its place. @returns false when what it missed is not kept any more */
  resume(line: CallLine, received: number): boolean {
    const missed = this.outbox.after(received);
    if (missed === null || this.isOver) return false;
    if (this.waiting) clearTimeout(this.waiting);
    this.waiting = null;
    this.line?.takenOver();
    this.line = line;
    line.write(
      JSON.stringify({ kind: 'resumed', atMs: 0, received: this.received } satisfies ServiceMessage),
    );
    for (const item of missed) line.write(item);
    return true;
  }

  /** The connection was lost without a goodbye. */
  lost(line: CallLine): void {
    if (this.line !== line || this.isOver) return;
    this.line = null;
    this.waiting = setTimeout(
      () => this.over(`the line was lost and did not come back in ${RESUME_MS / 1000} s`),
      RESUME_MS,
    );
  }

  hangUp(why: string): void {
    this.over(why);
    this.line?.hungUp();
  }

  /** The talk cannot go on: what it came upon is told, and the line is closed. */
  fail(problem: Extract<ServiceMessage, { kind: 'trouble' }>): void {
    this.send(problem);
    this.over(problem.title);
    this.line?.hungUp();
  }

  over(why: string): void {
    if (this.isOver) return;
    this.isOver = true;
    if (this.waiting) clearTimeout(this.waiting);
    this.talk.end(why);
    this.ended(why);
  }
}
