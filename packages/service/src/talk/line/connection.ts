/**
 * One line on the talk socket: checks what comes in, bounds what goes out, and holds the talk of its caller.
 */
import type { WebSocket } from 'ws';
import type { Leaving } from '@verbalon/core';
import {
  FrameFault,
  MOST_FRAME_BYTES,
  readFrame,
  type CallerMessageOf,
  type Item,
  type ServiceMessage,
} from '@verbalon/protocol';
import { addressUnit } from '../../access/address-unit.js';
import type { Entry } from '../../access/door.js';
import type { Visitor } from '../../access/visitor.js';
import { asked } from '../../database/store.js';
import { ProblemError, PROBLEMS, type ProblemCode } from '../../problems/problems.js';
import { problemFrom } from '../../problems/problem-from.js';
import { admit, type Admitted, type Gatekeepers } from '../call/admit.js';
import { readMessage } from '../call/arrival.js';
import { MOST_AHEAD_MS } from '../session/axis.js';
import { beginCall, type CallHost } from '../call/begin-call.js';
import { FairShare, type Came } from './fair-share.js';
import { forVisitors } from '../call/for-visitors.js';
import { MessageAllowance, MOST_MESSAGES_A_SECOND } from './message-allowance.js';
import type { Call, CallLine } from '../call/call.js';
import type { GuestLine } from '../company/company.js';
import { takeFromCaller } from './from-caller.js';
import { takeFromGuest, type Joined } from './from-guest.js';
import type { WatchLinks } from '../call/watch-links.js';

const ARRIVE_PATIENCE_MS = 10_000;
/** A connection that answers no ping for this long is lost, in ms. */
const PING_MS = 3_000;
/** What a line may leave unread before it is closed, in bytes: 10 s of sound at 48 kHz. */
const MOST_UNREAD_BYTES = 1_000_000;
const MOST_TROUBLES = 20;
/** Codes of RFC 6455, section 7.4.1, and of its registry. */
const CLOSE = {
  normal: 1000,
  goingAway: 1001,
  abnormal: 1006,
  policy: 1008,
  tooBig: 1009,
  tryAgainLater: 1013,
} as const;

/** What a connection needs of the service. */
export interface Host extends CallHost, Gatekeepers {
  readonly watchLinks: WatchLinks;
}

export class Connection implements CallLine, GuestLine {
  private call: Call | null = null;
  /** It is there beside the caller of a talk. */
  private joined: Joined | null = null;
  private closed = false;
  private troubles = 0;
  private readonly allowance = new MessageAllowance(performance.now());
  private answersPings = true;
  private isRecording = false;
  /** A page of somebody else's is at the other end. */
  private isVisitors: boolean;
  private readonly share: FairShare;
  /**
   * What came while it was found out whether the caller may talk; null when that is known, or nobody has
   * arrived.
   */
  private early: Came[] | null = null;
  private readonly pings: NodeJS.Timeout;
  private readonly patience: NodeJS.Timeout;

  constructor(
    private readonly socket: WebSocket,
    private readonly host: Host,
    private readonly entry: Entry,
    private readonly visitor: Visitor | ProblemError,
  ) {
    this.isVisitors = entry.origin !== null;
    this.share = new FairShare(
      socket,
      ({ data, isBinary }) => this.work(data, isBinary),
      () => this.closed,
    );
    this.patience = setTimeout(
      () => this.refuse('line-silent', `nothing came in ${ARRIVE_PATIENCE_MS} ms`, CLOSE.policy),
      ARRIVE_PATIENCE_MS,
    );
    this.pings = setInterval(() => this.ping(), PING_MS);
    socket.on('pong', () => (this.answersPings = true));
    socket.on('message', (data: Buffer, isBinary) => this.receive(data, isBinary));
    socket.on('close', (code) => this.closedBy(code));
    socket.on('error', (error) => this.host.log.info({ why: error.message }, 'a line failed'));
  }

  /** Nobody has arrived on it, and it comes from there. */
  waitsFrom(unit: string): boolean {
    return this.call === null && this.joined === null && addressUnit(this.entry.peer.address) === unit;
  }

  /** The service is being stopped. */
  stop(): void {
    this.refuse('service-stopping', 'this talk ends here; it is stored', CLOSE.goingAway);
  }

  /** A connection that is cut without a word is noticed. */
  private ping(): void {
    if (!this.answersPings) return this.socket.terminate();
    this.answersPings = false;
    this.socket.ping();
  }

  private receive(data: Buffer, isBinary: boolean): void {
    if (this.closed) return;
    this.countMessage();
    if (this.early) this.keepEarly(data, isBinary);
    else this.share.take({ data, isBinary });
  }

  private work(data: Buffer, isBinary: boolean): void {
    try {
      if (this.call) this.call.received++;
      if (isBinary) this.frame(data);
      else this.text(data);
    } catch (error) {
      this.failed(error);
    }
  }

  private failed(error: unknown): void {
    if (error instanceof ProblemError) return this.complain(error.code, error.detail);
    if (error instanceof FrameFault) return this.complain('frame-malformed', error.message);
    this.host.log.error(error);
    this.refuse('internal', 'this line is closed', CLOSE.policy);
  }

  private keepEarly(data: Buffer, isBinary: boolean): void {
    if (this.closed) return;
    if (this.early!.push({ data, isBinary }) <= MOST_MESSAGES_A_SECOND) return;
    this.refuse('line-flooding', 'it did not wait until it was admitted', CLOSE.policy);
  }

  private countMessage(): void {
    if (this.allowance.take(performance.now())) return;
    this.refuse('line-flooding', `more than ${MOST_MESSAGES_A_SECOND} messages a second came`, CLOSE.policy);
  }

  private text(data: Buffer): void {
    if (this.closed) return;
    if (data.byteLength > MOST_FRAME_BYTES) throw this.tooLarge(data);
    const message = readMessage(data);
    if (message.kind === 'arrive') return this.arrive(message);
    if (this.joined && message.kind !== 'leave') return takeFromGuest(this.joined, message);
    if (this.joined) return this.left();
    const call = this.arrived(message.kind);
    if (message.kind === 'leave') return this.left();
    takeFromCaller(call, this.host.pages.get(call.conversation), message);
  }

  private left(): void {
    this.over(this.isRecording ? 'recordingOver' : 'goodbye');
    this.socket.close(CLOSE.normal, 'goodbye');
  }

  private frame(data: Buffer): void {
    if (this.closed) return;
    if (data.byteLength > MOST_FRAME_BYTES) throw this.tooLarge(data);
    const call = this.joined === null ? this.arrived('a binary frame') : null;
    const frame = readFrame(data);
    if (frame.from !== 'caller') throw new FrameFault('a line sends frames of kind 1 only');
    const end = frame.firstSample + frame.samples.length;
    if (call && this.keepsPace(call, end)) call.hear(frame.firstSample, frame.samples);
    if (this.joined && this.keepsPace(this.joined.guest, end)) this.joined.guest.hear(frame.samples);
  }

  private keepsPace(of: { rateHz: number; pacedFromMs: number | null }, captured: number): boolean {
    const capturedMs = (captured * 1000) / of.rateHz;
    of.pacedFromMs ??= performance.now() - Math.min(capturedMs, MOST_AHEAD_MS);
    if (capturedMs - (performance.now() - of.pacedFromMs) <= MOST_AHEAD_MS) return true;
    this.refuse(
      'line-flooding',
      `its sound is more than ${MOST_AHEAD_MS} ms ahead of real time`,
      CLOSE.policy,
    );
    return false;
  }

  private tooLarge(data: Buffer): ProblemError {
    return new ProblemError(
      'message-too-large',
      `it has ${data.byteLength} bytes; at most ${MOST_FRAME_BYTES} are taken`,
    );
  }

  private arrived(what: string): Call {
    if (!this.call) throw new ProblemError('not-arrived', `"${what}" came first`);
    return this.call;
  }

  private arrive(message: CallerMessageOf<'arrive'>): void {
    const call = this.joined?.call ?? this.call;
    if (call) throw new ProblemError('arrived-already', `this line is in the talk ${call.conversation}`);
    if (message.resume) return this.comeBack(message.resume);
    clearTimeout(this.patience);
    this.isVisitors ||= message.pass !== undefined;
    if (message.join !== undefined) return this.join(message, message.join);
    this.early = [];
    asked(() => admit(this.host, this.entry, this.visitor, message))
      .then(
        (admitted) => this.begin(message, admitted),
        (error: unknown) => this.turnAway(error),
      )
      .catch((error: unknown) => this.failed(error));
  }

  /** A guest of somebody else's talk. */
  private join({ audio, caller }: CallerMessageOf<'arrive'>, link: string): void {
    try {
      const { call, view } = this.host.watchLinks.find(link);
      if (view.may === 'watch') throw new ProblemError('guest-may-not', 'its link only shows the talk');
      const name = (caller?.name ?? '').replace(/[\p{Cc}<>&]+/gu, ' ').trim() || 'a guest';
      const guest = call.company.join(name, this, audio.rateHz);
      this.joined = { call, guest, view };
      const letGo = this.host.watchLinks.hold(view, () =>
        this.refuse('view-unknown', 'the link has ended', CLOSE.policy),
      );
      this.socket.on('close', letGo);
      const {
        conversation,
        known,
        recorded,
        company: { person },
      } = call;
      this.send({ kind: 'joined', atMs: 0, conversation, recorded, person, known: { ...known } });
    } catch (error) {
      this.turnAway(error);
    }
  }

  talkOver(): void {
    this.hungUp();
  }

  private turnAway(error: unknown): void {
    const { code, detail } = problemFrom(error);
    if (code === 'internal') this.host.log.error(error);
    const later = code === 'service-full' || code === 'talks-too-many' || code === 'database-away';
    this.refuse(code, detail, later ? CLOSE.tryAgainLater : CLOSE.policy);
  }

  private begin(message: CallerMessageOf<'arrive'>, admitted: Admitted): void {
    // Whoever left before the door was open has no talk.
    if (this.closed) return admitted.release();
    this.isRecording = message.line === 'recording';
    this.call = beginCall(this.host, message, admitted, this);
    const { early } = this;
    this.early = null;
    for (const came of early ?? []) this.share.take(came);
  }

  /** A line that was lost, or another window, goes on with its talk. */
  private comeBack({ token, received }: { token: string; received: number }): void {
    const call = this.host.talks.byToken(token);
    // What the line kept in the meantime comes at once.
    this.allowance.returned();
    if (!call?.resume(this, received))
      return this.refuse(
        'talk-gone',
        'nothing is known of it, or not all that was missed is kept',
        CLOSE.policy,
      );
    clearTimeout(this.patience);
    this.call = call;
    this.host.log.info({ conversation: call.conversation }, 'a line came back');
  }

  takenOver(): void {
    this.call = null;
    this.refuse('talk-taken-over', 'this line is closed', CLOSE.policy);
  }

  hungUp(): void {
    this.closed = true;
    this.socket.close(CLOSE.normal, 'goodbye');
  }

  /**
   * A visitor of somebody else's page is told a sentence; whoever runs a program or a page of ours, what to
   * do.
   */
  private tell(message: ServiceMessage): void {
    this.send(this.isVisitors ? forVisitors(message) : message);
  }

  private send(message: ServiceMessage): void {
    this.write(JSON.stringify(message));
  }

  write(data: Item): void {
    if (this.socket.readyState !== this.socket.OPEN) return;
    if (this.socket.bufferedAmount > MOST_UNREAD_BYTES) {
      this.host.log.warn({ conversation: this.call?.conversation }, PROBLEMS['line-not-reading'].title);
      this.over('notReading');
      // Nothing more would be read: a closing handshake would wait in the same queue.
      return this.socket.terminate();
    }
    this.socket.send(data);
  }

  /** Tells what is wrong; the talk goes on, unless the line never stops being wrong. */
  private complain(code: ProblemCode, detail: string): void {
    if (++this.troubles > MOST_TROUBLES) return this.refuse(code, detail, CLOSE.policy);
    const { title, remedy } = PROBLEMS[code];
    const trouble = { kind: 'trouble' as const, atMs: 0, code, title, detail, remedy };
    if (this.call) return this.call.send(trouble);
    if (this.joined) return this.tell(trouble);
    this.tell({ ...trouble, fatal: true });
    // Whoever did not even arrive has nothing to lose.
    this.socket.close(code === 'message-too-large' ? CLOSE.tooBig : CLOSE.policy, code);
  }

  private refuse(code: ProblemCode, detail: string, close: number): void {
    if (this.closed) return;
    const { title, remedy } = PROBLEMS[code];
    this.over(code === 'service-stopping' ? 'stopped' : 'refused');
    this.tell({ kind: 'trouble', atMs: 0, code, title, detail, remedy, fatal: true });
    this.socket.close(close, code);
  }

  /** Whoever says goodbye has left; a connection that only broke may come back. */
  private closedBy(code: number): void {
    clearInterval(this.pings);
    if (this.closed) return;
    if (code !== CLOSE.abnormal || this.joined) return this.over('closed');
    this.closed = true;
    clearTimeout(this.patience);
    this.call?.lost(this);
  }

  private over(how: Leaving): void {
    if (this.closed) return;
    this.closed = true;
    clearTimeout(this.patience);
    this.call?.over(how);
    if (this.joined) this.joined.call.company.leave(this.joined.guest);
  }
}
