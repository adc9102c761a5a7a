/**
 * A caller's talk and what outlives a lost line: for RESUME_MS it waits for the line to come back, and then
 * gives it what it has missed. It belongs to one connection at a time.
 */
import { randomBytes } from 'node:crypto';
import { SentItems, RESUME_MS, writeFrame, type Item, type ServiceMessage } from '@verbalon/protocol';
import { inWords, levelDb, toFloats, type Leaving } from '@verbalon/core';
import { PROBLEMS } from '../../problems/problems.js';
import { Company } from '../company/company.js';
import type { LinePort } from '../session/line-port.js';
import type { PacedFrame } from '../session/pacer.js';
import type { Session } from '../session/session.js';
import type { TalkRights } from './admit.js';
import { forVisitors } from './for-visitors.js';
import { Watching } from '../company/watching.js';

/** What a call needs of the connection that it is at. */
export interface CallLine {
  write(item: Item): void;
  /** Another connection has taken the call over. */
  takenOver(): void;
  /** The talk has ended by itself. */
  hungUp(): void;
}

/** Who is told what becomes of a call. */
export interface CallEvents {
  /** The caller wants a person, who is to know this, by the names of slots. */
  wantsPerson: (known: Readonly<Record<string, string>>) => void;
  /** … and one has come. */
  personCame: () => void;
  /** It is over, for this reason. */
  ended: (why: string) => void;
}

export interface CallOptions {
  conversation: string;
  /** Of the line's sound. */
  rateHz: number;
  rights: TalkRights;
  recorded: boolean;
}

export class Call implements LinePort {
  readonly token = randomBytes(18).toString('base64url');
  /** Items that have come from the line. */
  received = 0;
  /** When the line's sound began, for its pace; null before it came. */
  pacedFromMs: number | null = null;
  readonly watching = new Watching();
  /** Whoever else is in it. */
  readonly company: Company;
  /** What the caller has said for whoever takes over, by the names of slots. */
  known: Readonly<Record<string, string>> = {};
  readonly session: Session;
  readonly conversation: string;
  readonly rateHz: number;
  readonly rights: TalkRights;
  readonly recorded: boolean;
  private readonly sentItems = new SentItems();
  private line: CallLine | null;
  private waiting: NodeJS.Timeout | null = null;
  private isOver = false;
  private readonly endings: (() => void)[] = [];

  /** @param openSession its session, which tells this line what is said, once it has begun */
  constructor(
    { conversation, rateHz, rights, recorded }: CallOptions,
    line: CallLine,
    openSession: (line: LinePort) => Session,
    private readonly events: CallEvents,
  ) {
    this.conversation = conversation;
    this.rateHz = rateHz;
    this.rights = rights;
    this.recorded = recorded;
    this.line = line;
    this.session = openSession(this);
    this.company = new Company(this.session, {
      rateHz,
      playPeople: (samples) => this.playPeople(samples),
      personCame: events.personCame,
    });
  }

  /** What is to be done when it is over. */
  atEnd(done: () => void): void {
    this.endings.push(done);
  }

  begin(admitted: (token: string) => ServiceMessage): void {
    this.send(admitted(this.token));
    this.session.begin();
  }

  send(message: ServiceMessage): void {
    this.watching.tell(message);
    this.company.tell(message);
    if (message.kind === 'handOver') this.events.wantsPerson((this.known = message.known ?? {}));
    this.put(JSON.stringify(this.rights.reads ? message : forVisitors(message)));
  }

  /** The caller's sound: `firstSample` on the caller's axis, at the line's rate. */
  hear(firstSample: number, samples: Int16Array): void {
    const { voice, share } = this.company.mix(firstSample, samples);
    this.session.hear(firstSample, voice);
    share();
  }

  private playPeople(samples: Int16Array): void {
    this.put(writeFrame({ from: 'people', epoch: 0, firstSample: 0, last: false, samples }));
  }

  play({ speech, firstSample, samples, last }: PacedFrame): void {
    this.company.assistantSays(samples);
    this.put(writeFrame({ from: 'assistant', epoch: speech, firstSample, last, samples }));
  }

  heard(speech: number, playedMs: number, atMs: number, samples: Int16Array): void {
    this.watching.heard(speech, playedMs, atMs, levelDb(toFloats(samples)));
  }

  private put(item: Item): void {
    this.sentItems.put(item);
    this.line?.write(item);
  }

  /**
   * The line has come back, or another one takes its place. @returns false when what it missed is not kept
   * any more
   */
  resume(line: CallLine, received: number): boolean {
    const missed = this.sentItems.after(received);
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
    this.waiting = setTimeout(() => this.over('lost'), RESUME_MS);
  }

  /** The key that it hangs on holds no more. */
  revoke(): void {
    const { title, remedy } = PROBLEMS['key-unknown'];
    this.send({
      kind: 'trouble',
      atMs: 0,
      code: 'key-unknown',
      title,
      detail: 'the key with which the talk was begun holds no more',
      remedy,
      fatal: true,
    });
    this.over('keyRevoked');
    this.line?.hungUp();
  }

  /** The session is over: it is told what it came upon, if it failed, and the line is closed. */
  close(why: string, failed: boolean): void {
    const { title, remedy } = PROBLEMS.internal;
    const detail = 'the talk ends here; it is stored';
    if (failed) this.send({ kind: 'trouble', atMs: 0, code: 'internal', title, detail, remedy, fatal: true });
    this.end(why, failed ? 'failed' : 'goodbye');
    this.line?.hungUp();
  }

  /** The caller has left, one way or another. */
  over(how: Leaving): void {
    this.end(inWords({ kind: 'left', how }), how);
  }

  private end(why: string, how: Leaving): void {
    if (this.isOver) return;
    this.isOver = true;
    if (this.waiting) clearTimeout(this.waiting);
    this.session.end(how);
    this.company.close();
    for (const done of this.endings) done();
    this.events.ended(why);
  }
}
