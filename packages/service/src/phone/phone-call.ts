/**
 * One telephone call, whoever rang: its stages, its sound, its talk, and its end, at which everything of it
 * is let go.
 */
import { randomUUID } from 'node:crypto';
import type { CallStage, Leaving } from '@verbalon/core';
import type { PhoneCallView, ServiceMessageOf } from '@verbalon/protocol';
import type { Logger } from 'pino';
import type {
  IncomingInviteRequest,
  IncomingRequestMessage,
  Session as Dialog,
  SessionDelegate,
} from 'sip.js/lib/core/index.js';
import type { Call } from '../talk/call/call.js';
import { CallSound } from './call-sound.js';
import { CLOCK_HZ } from './codecs.js';
import { PhoneLine, type SoundLine } from './phone-line.js';
import type { SoundPorts } from './ports.js';
import { answering, readSdp, writeSdp, type Direction, type RemoteSound } from './sdp.js';
import { SessionTimer } from './session-timer.js';
import type { Peer } from './sip-sockets.js';
import { SoundSource } from './sound-source.js';
import { newMaster } from './srtp.js';
import type { Ticker } from './ticker.js';

const LOOK_EVERY_MS = 1_000;
const SDP_TYPE = 'application/sdp';

export interface CallParts {
  ports: SoundPorts;
  ticker: Ticker;
  /** What is told to the other side as our address. */
  address: string;
  /** Where the signalling comes from. */
  peer: () => Peer;
  /** Networks in which callers' sound may be besides. */
  isNamed: (address: string) => boolean;
  /** No call without sealed sound, over sealed signalling. */
  mustSeal: boolean;
  log: Logger;
  /** Neither sound nor a report has come for so long: it is over. */
  silentMs: number;
  /** It is over, but for what is sent again of it. */
  ended: (call: PhoneCall) => void;
  handOver: (call: PhoneCall, message: ServiceMessageOf<'handOver'>) => void;
}

export interface CallNames {
  direction: 'in' | 'out';
  from: string;
  to: string;
  assistant: string;
}

export class PhoneCall {
  readonly id = randomUUID();
  readonly stages: PhoneCallView['stages'] = [];
  /** To a talk of its own; where it has none, `sounds` takes its place. */
  readonly line: PhoneLine;
  sounds: SoundLine;
  dialog: Dialog | null = null;
  private sound: CallSound | null = null;
  private remote: RemoteSound | null = null;
  private readonly source: SoundSource;
  /** The key of our own sound, once it is sealed or offered so. */
  private readonly master = newMaster();
  private talk: Call | null = null;
  private isOver = false;
  private version = 0;
  private readonly session = Math.floor(Math.random() * 1e9);
  private readonly timer = new SessionTimer(() =>
    this.guarded(() => this.hangUp('the service', 'the session timer ran out')),
  );
  private watch: NodeJS.Timeout | null = null;
  private atEnd: ((by: string, cause: string) => void)[] = [];

  constructor(
    readonly names: CallNames,
    private readonly parts: CallParts,
  ) {
    this.source = new SoundSource(() => parts.peer().address, parts.isNamed);
    this.line = new PhoneLine({
      hungUp: () => this.hangUp('the assistant', 'the talk is over'),
      handOver: (message) => parts.handOver(this, message),
    });
    this.sounds = this.line;
  }

  get over(): boolean {
    return this.isOver;
  }

  /** Of the stored talk; null before it began. */
  get conversation(): string | null {
    return this.talk?.conversation ?? null;
  }

  get view(): PhoneCallView {
    const { id, names, stages, conversation } = this;
    return { id, ...names, conversation, stages, sound: this.sound?.counts ?? null };
  }

  /** What is to be done when it ends, however it does. */
  onEnd(done: (by: string, cause: string) => void): void {
    this.atEnd.push(done);
  }

  enter(stage: CallStage, detail: string): void {
    this.stages.push({ stage, at: new Date().toISOString(), detail });
    this.parts.log.info({ call: this.id, stage, detail }, 'a telephone call goes on');
    this.talk?.session.happen({ kind: 'phoned', stage, detail });
  }

  /** @throws ProblemError `phone-ports-used` */
  async openSound(): Promise<void> {
    const { ports, ticker } = this.parts;
    const sockets = await ports.open();
    if (this.isOver) return ports.close(sockets);
    this.sound = new CallSound(sockets, ports, ticker, this.source, {
      heard: (samples) => this.sounds.hear(samples),
      wanted: (count) => this.sounds.next(count),
      key: (key) => this.sounds.key(key),
      failed: (error) => {
        this.parts.log.error(
          { call: this.id, err: error },
          'a telephone call came upon something that nobody foresaw; it ends',
        );
        this.hangUp('the service', 'something failed that nobody foresaw', 'failed');
      },
    });
  }

  /** What we offer, or answer to what was offered. */
  sdp(
    remote: RemoteSound | null,
    direction: Direction = 'sendrecv',
  ): { contentDisposition: string; contentType: string; content: string } {
    const { address, mustSeal, peer } = this.parts;
    const seals = remote ? remote.crypto !== null : mustSeal || peer().protocol === 'TLS';
    const master = seals ? this.master : null;
    const content = writeSdp(
      {
        address,
        port: this.sound!.port,
        version: ++this.version,
        session: this.session,
        direction,
        master,
        mustSeal,
      },
      remote ?? undefined,
    );
    return { contentDisposition: 'session', contentType: SDP_TYPE, content };
  }

  connect(remote: RemoteSound): void {
    const { sound } = this;
    this.remote = remote;
    if (!sound) return;
    sound.connect(remote, this.master);
    if (this.names.direction === 'out') sound.acknowledged();
    this.line.open(sound.rateHz!);
  }

  /** What speaks against sound of this description, as it is told to the owner; null where nothing does. */
  whyNot(remote: RemoteSound): string | null {
    if (!this.source.mayDescribe(remote))
      return `its sound would go to ${remote.address}, and it rings from ${this.parts.peer().address}: name that network under "phone: sound: networks" if it is theirs`;
    const isSealed = remote.crypto !== null && this.parts.peer().protocol === 'TLS';
    return this.parts.mustSeal && !isSealed
      ? '"phone: srtp" is required, and it comes without SRTP or without TLS'
      : null;
  }

  /** Of its sound, in Hz, once it is connected. */
  get rateHz(): number {
    return this.sound?.rateHz ?? CLOCK_HZ;
  }

  /** It has been answered: what is said from now on is heard. */
  begin(talk: Call): void {
    this.talk = talk;
    for (const { stage, detail } of this.stages) talk.session.happen({ kind: 'phoned', stage, detail });
    this.line.begin(talk);
    this.watchSound();
  }

  /** A call whose sound has gone is over. */
  watchSound(): void {
    this.watch = setInterval(() => this.guarded(() => this.look()), LOOK_EVERY_MS);
  }

  /** The dialog stands: what the other side asks in it. */
  follow(dialog: Dialog): void {
    this.dialog = dialog;
    const delegate: SessionDelegate = {
      onBye: (request) => {
        request.accept();
        this.finish(this.otherSide, reasonIn(request.message) ?? 'they hung up', 'hungUp');
      },
      onInvite: (request) => this.changed(request),
      onAck: ({ message: { body } }) => this.acknowledged(body),
      onAckTimeout: () => this.hangUp('the service', 'our answer was never acknowledged'),
      onInfo: (request) => {
        this.keyIn(request.message);
        request.accept();
      },
      onNotify: (request) => {
        request.accept();
        this.notified(request.message.body);
      },
      // Nobody but us decides where the caller goes.
      onRefer: (request) => request.reject({ statusCode: 403 }),
    };
    dialog.delegate = delegate;
  }

  /** The other side has answered an offer that we made with our 200. */
  onSoundKnown: () => void = () => undefined;

  /** What the other side says of a REFER of ours (RFC 3515). */
  notified: (body: string) => void = () => undefined;

  get otherSide(): string {
    return this.names.direction === 'in' ? 'the caller' : 'whoever was rung';
  }

  /** Of session timers. @returns headers of the answer */
  timed(message: IncomingRequestMessage): string[] {
    return this.timer.answer(message);
  }

  press(keys: Parameters<CallSound['press']>[0]): void {
    this.sound?.press(keys);
  }

  /** Tells the talk that nobody took over. */
  comeBack(detail: string): void {
    this.talk?.session.happen({ kind: 'notHandedOver', detail });
  }

  /** We end it. */
  hangUp(by: string, cause: string, how: Leaving = 'goodbye'): void {
    if (this.isOver) return;
    try {
      this.dialog?.bye(undefined, {
        extraHeaders: ['Reason: SIP;cause=200;text="' + cause.replace(/["\\]/g, '') + '"'],
      });
    } catch (error) {
      this.parts.log.info({ call: this.id, why: String(error) }, 'a call cannot be ended in order');
    }
    this.finish(by, cause, how);
  }

  /** It is over, by whoever ended it. */
  finish(by: string, cause: string, how: Leaving): void {
    if (this.isOver) return;
    this.isOver = true;
    this.timer.stop();
    if (this.watch) clearInterval(this.watch);
    // Whatever one of them comes upon, the others are done: nothing of a call outlives it.
    this.guarded(() => this.enter('ended', `by ${by}: ${cause}`));
    this.guarded(() => this.sound?.close());
    this.guarded(() => this.talk?.over(how));
    for (const done of this.atEnd) this.guarded(() => done(by, cause));
    this.guarded(() => this.parts.ended(this));
  }

  private guarded(work: () => void): void {
    try {
      work();
    } catch (error) {
      this.parts.log.error(
        { call: this.id, err: error },
        'a telephone call came upon something that nobody foresaw; it ends',
      );
      this.hangUp('the service', 'something failed that nobody foresaw', 'failed');
    }
  }

  /** They hold the call, take it up, move their sound, or only say that they are still there. */
  private changed(request: IncomingInviteRequest): void {
    const { body } = request.message;
    const remote = body ? readSdp(body) : this.remote;
    if (!remote || this.whyNot(remote) !== null) return void request.reject({ statusCode: 488 });
    const direction = answering(remote.direction);
    request.accept({
      statusCode: 200,
      body: this.sdp(remote, direction),
      extraHeaders: this.timed(request.message),
    });
    if (body) this.soundIs(remote);
  }

  /** An offer of ours was answered with the acknowledgement (RFC 3261, section 13.2.1). */
  private acknowledged(body: string): void {
    this.sound?.acknowledged();
    if (!body) return;
    const remote = readSdp(body);
    const wrong = remote && this.whyNot(remote);
    if (wrong) return this.hangUp('the service', wrong);
    if (remote) {
      this.soundIs(remote);
      this.onSoundKnown();
    } else if (this.remote === null) this.hangUp('the service', 'they offer no sound that is spoken here');
  }

  private soundIs(remote: RemoteSound): void {
    const before = this.remote;
    this.connect(remote);
    const wasHeld = before !== null && isHeld(before);
    if (isHeld(remote) && !wasHeld) this.enter('on hold', `by ${this.otherSide}`);
    if (!isHeld(remote) && wasHeld) this.enter('taken up', `by ${this.otherSide}`);
    if (before && !isHeld(remote) && (before.address !== remote.address || before.port !== remote.port))
      this.enter('moved', `its sound is at ${remote.address}:${remote.port}`);
  }

  /** A key in the signalling, as some telephones send it: "Signal=5". */
  private keyIn({ body }: IncomingRequestMessage): void {
    const key = /^\s*(?:Signal\s*=\s*)?([0-9*#A-D])\s*$/im.exec(body)?.[1];
    if (key !== undefined) this.sounds.key(key.toUpperCase() as Parameters<PhoneLine['key']>[0]);
  }

  private look(): void {
    const { sound, remote } = this;
    if (!sound || !remote || isHeld(remote)) return;
    const { silentMs } = this.parts;
    if (performance.now() - sound.lastCameMs > silentMs)
      this.hangUp('the service', `no sound has come for ${silentMs / 1_000} s`, 'soundLost');
  }
}

const isHeld = ({ direction }: RemoteSound) => direction === 'sendonly' || direction === 'inactive';

/** Why somebody ended it, where they say so (RFC 3326). */
function reasonIn(message: IncomingRequestMessage): string | null {
  const text = /text="([^"]{1,100})"/.exec(message.getHeader('reason') ?? '')?.[1];
  return text === undefined ? null : text.replace(/\p{Cc}/gu, ' ');
}
