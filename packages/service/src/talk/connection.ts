/** One line on the talk socket: checks what comes in, bounds what goes out, and holds the talk of its caller. */
import { randomUUID } from 'node:crypto';
import type { Logger } from 'pino';
import type { WebSocket } from 'ws';
import { pcm16Bytes, type Plan } from '@verbalon/core';
import {
  callerMessages, check, FrameFault, MOST_FRAME_BYTES, readFrame, writeFrame,
  type CallerMessage, type CallerMessageKind, type CallerMessageOf, type LineupEntry, type ServiceMessage,
} from '@verbalon/protocol'; // prettier-ignore
import type { Keeper } from '../database/keeper.js';
import { ProblemError, PROBLEMS, type ProblemCode } from '../problems.js';
import type { Assistant } from '../project/project.js';
import { Talk, type Lineup } from './talk.js';

const ARRIVE_PATIENCE_MS = 10_000;
/** What a line may leave unread before it is closed, in bytes: 10 s of sound at 48 kHz. */
const MOST_UNREAD_BYTES = 1_000_000;
const MOST_MESSAGES_A_SECOND = 200;
/** A line may be so far ahead of real time (a burst after a stall), in ms. */
const MOST_AHEAD_MS = 5_000;
const MOST_TROUBLES = 20;
/** Codes of RFC 6455, section 7.4.1. */
const CLOSE = { normal: 1000, goingAway: 1001, policy: 1008, tooBig: 1009 } as const;

const LISTEN_ONLY: Plan = {
  purpose: 'listen',
  persona: '',
  greeting: '',
  cannotThink: '',
  manners: { leewayMs: 600, first: 'caller', interrupt: 'voice', restAfterMs: 30_000, answers: 'short' },
};

/** What a connection needs of the service. */
export interface Host {
  assistant(name: string | undefined): Assistant;
  lineupOf(assistant: Assistant): Lineup;
  lineupStates(assistant: Assistant): LineupEntry[];
  readonly keeper: Keeper;
  readonly serviceId: string;
  readonly log: Logger;
}

export class Connection {
  private talk: Talk | null = null;
  private conversation = '';
  private rateHz = 0;
  private closed = false;
  private troubles = 0;
  private second = 0;
  private messagesThisSecond = 0;
  private capturedAtStart: number | null = null;
  private readonly patience: NodeJS.Timeout;

  constructor(
    private readonly socket: WebSocket,
    private readonly host: Host,
  ) {
    this.patience = setTimeout(
      () => this.refuse('line-silent', `nothing came in ${ARRIVE_PATIENCE_MS} ms`, CLOSE.policy),
      ARRIVE_PATIENCE_MS,
    );
    socket.on('message', (data: Buffer, isBinary) =>
      this.guarded(() => (isBinary ? this.frame(data) : this.text(data))),
    );
    socket.on('close', () => this.over('the line was closed'));
    socket.on('error', (error) => this.host.log.info({ why: error.message }, 'a line failed'));
  }

  /** The service is being stopped. */
  stop(): void {
    this.refuse('service-stopping', 'this talk ends here; it is stored', CLOSE.goingAway);
  }

  private guarded(handle: () => void): void {
    if (this.closed) return;
    try {
      this.countMessage();
      handle();
    } catch (error) {
      if (error instanceof ProblemError) return this.complain(error.code, error.detail);
      if (error instanceof FrameFault) return this.complain('frame-malformed', error.message);
      this.host.log.error(error);
      this.refuse('internal', 'this line is closed', CLOSE.policy);
    }
  }

  private countMessage(): void {
    const second = Math.floor(performance.now() / 1000);
    if (second !== this.second) this.messagesThisSecond = 0;
    this.second = second;
    if (++this.messagesThisSecond > MOST_MESSAGES_A_SECOND) {
      this.refuse(
        'line-flooding',
        `more than ${MOST_MESSAGES_A_SECOND} messages came within a second`,
        CLOSE.policy,
      );
    }
  }

  private text(data: Buffer): void {
    if (this.closed) return;
    if (data.byteLength > MOST_FRAME_BYTES) throw this.tooLarge(data);
    const message = readMessage(data);
    if (message.kind === 'arrive') return this.arrive(message);
    const talk = this.arrived(message.kind);
    switch (message.kind) {
      case 'typed':
        return talk.happen({
          kind: 'typed',
          text: message.text
            .toWellFormed()
            .replace(/\p{Cc}+/gu, ' ')
            .trim(),
        });
      case 'hush':
        return talk.happen({ kind: 'hushAsked' });
      case 'fresh':
        return talk.happen({ kind: 'freshAsked' });
      case 'played':
        return talk.played(message.speech, message.sample, message.capture, message.flushed ?? false);
      case 'leave':
        this.over('the caller said goodbye to the line');
        return this.socket.close(CLOSE.normal, 'goodbye');
    }
  }

  private frame(data: Buffer): void {
    if (this.closed) return;
    if (data.byteLength > MOST_FRAME_BYTES) throw this.tooLarge(data);
    const talk = this.arrived('a binary frame');
    const frame = readFrame(data);
    if (frame.from !== 'caller') throw new FrameFault('a line sends frames of kind 1 only');
    talk.hear(frame.firstSample, frame.samples);
    this.checkPace(frame.firstSample + frame.samples.length);
  }

  private checkPace(captured: number): void {
    const capturedMs = (captured * 1000) / this.rateHz;
    this.capturedAtStart ??= performance.now() - Math.min(capturedMs, MOST_AHEAD_MS);
    if (capturedMs - (performance.now() - this.capturedAtStart) > MOST_AHEAD_MS) {
      this.refuse(
        'line-flooding',
        `its sound is more than ${MOST_AHEAD_MS} ms ahead of real time`,
        CLOSE.policy,
      );
    }
  }

  private tooLarge(data: Buffer): ProblemError {
    return new ProblemError(
      'message-too-large',
      `it has ${data.byteLength} bytes; at most ${MOST_FRAME_BYTES} are taken`,
    );
  }

  private arrived(what: string): Talk {
    if (!this.talk) throw new ProblemError('not-arrived', `"${what}" came first`);
    return this.talk;
  }

  private arrive(message: CallerMessageOf<'arrive'>): void {
    if (this.talk) throw new ProblemError('arrived-already', `this line is in the talk ${this.conversation}`);
    const assistant = this.host.assistant(message.assistant);
    const lineup = this.host.lineupOf(assistant);
    clearTimeout(this.patience);
    this.conversation = randomUUID();
    this.rateHz = message.audio.rateHz;
    const { keeper, serviceId, log } = this.host;
    const { conversation } = this;
    const recorded = assistant.file.recorded ?? false;
    const listening = message.purpose === 'listen';
    keeper.conversation({
      id: conversation,
      service: serviceId,
      assistant: assistant.name,
      line: message.line,
      recorded,
      startedAt: new Date(),
    });
    this.talk = new Talk({
      id: conversation,
      plan: listening ? LISTEN_ONLY : withKeys(assistant.plan, message.keyOnly ?? false),
      profile: assistant.profile,
      voice: definedOnly(assistant.file.voice ?? {}),
      lineup,
      rateHz: message.audio.rateHz,
      log,
      record: {
        journal: (entry) => recorded && keeper.journal({ conversation, ...entry }),
        turn: (report) => recorded && keeper.turn({ conversation, report }),
        audio: (side, firstSample, samples) =>
          recorded &&
          keeper.audio({ conversation, side, firstSample, samples: Buffer.from(pcm16Bytes(samples)) }),
      },
      send: (out) => this.send(out),
      sendSound: ({ speech, firstSample, samples, last }) =>
        this.write(writeFrame({ from: 'assistant', epoch: speech, firstSample, last, samples })),
    });
    this.send({
      kind: 'admitted',
      atMs: 0,
      conversation,
      assistant: assistant.name,
      recorded,
      audio: message.audio,
      lineup: this.host.lineupStates(assistant),
    });
    log.info({ conversation, assistant: assistant.name, line: message.line }, 'a caller has arrived');
    this.talk.begin();
  }

  private send(message: ServiceMessage): void {
    this.write(JSON.stringify(message));
  }

  private write(data: string | Uint8Array): void {
    if (this.socket.readyState !== this.socket.OPEN) return;
    if (this.socket.bufferedAmount > MOST_UNREAD_BYTES) {
      this.host.log.warn({ conversation: this.conversation }, PROBLEMS['line-not-reading'].title);
      this.over('the line did not read');
      // Nothing more would be read: a closing handshake would wait in the same queue.
      return this.socket.terminate();
    }
    this.socket.send(data);
  }

  /** Tells what is wrong; the talk goes on, unless the line never stops being wrong. */
  private complain(code: ProblemCode, detail: string): void {
    if (++this.troubles > MOST_TROUBLES) return this.refuse(code, detail, CLOSE.policy);
    const { title, remedy } = PROBLEMS[code];
    const fatal = this.talk ? {} : { fatal: true };
    this.send({ kind: 'trouble', atMs: 0, code, title, detail, remedy, ...fatal });
    // Whoever did not even arrive has nothing to lose.
    if (!this.talk) this.socket.close(code === 'message-too-large' ? CLOSE.tooBig : CLOSE.policy, code);
  }

  private refuse(code: ProblemCode, detail: string, close: number): void {
    if (this.closed) return;
    const { title, remedy } = PROBLEMS[code];
    this.over(title);
    this.send({ kind: 'trouble', atMs: 0, code, title, detail, remedy, fatal: true });
    this.socket.close(close, code);
  }

  private over(why: string): void {
    if (this.closed) return;
    this.closed = true;
    clearTimeout(this.patience);
    if (!this.talk) return;
    this.talk.end(why);
    this.host.keeper.ending(this.conversation, why);
    this.host.log.info({ conversation: this.conversation, why }, 'a caller has left');
  }
}

/** @throws ProblemError `message-malformed` */
function readMessage(data: Buffer): CallerMessage {
  let value: unknown;
  try {
    value = JSON.parse(data.toString('utf8'));
  } catch {
    throw new ProblemError('message-malformed', `it is not JSON: ${data.toString('utf8').slice(0, 60)}`);
  }
  const kind = (value as { kind?: unknown } | null)?.kind;
  if (typeof kind !== 'string' || !(kind in callerMessages)) {
    const known = Object.keys(callerMessages).join(', ');
    throw new ProblemError('message-malformed', `its "kind" is ${JSON.stringify(kind)}; known are ${known}`);
  }
  const checked = check(callerMessages[kind as CallerMessageKind], value);
  if (!checked.ok) throw new ProblemError('message-malformed', `"${kind}": ${checked.detail}`);
  return checked.value;
}

function withKeys(plan: Plan, keyOnly: boolean): Plan {
  return keyOnly ? { ...plan, manners: { ...plan.manners, interrupt: 'key' } } : plan;
}

function definedOnly(voice: {
  name?: string | undefined;
  rate?: number | undefined;
  pitchHz?: number | undefined;
}) {
  return Object.fromEntries(Object.entries(voice).filter(([, value]) => value !== undefined)) as {
    name?: string;
    rate?: number;
    pitchHz?: number;
  };
}
