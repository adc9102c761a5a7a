/**
 * The telephone of a service: SIP comes in here and goes to the call it belongs to; numbers, registrations,
 * and what goes on.
 */
import { isIP } from 'node:net';
import { constructOutgoingResponse, type IncomingInviteRequest } from 'sip.js/lib/core/index.js';
import type {
  HandOverFile,
  NewCall,
  PhoneCallView,
  PhoneFile,
  PhoneView,
  ServiceMessageOf,
  WaitingCaller,
} from '@verbalon/protocol';
import type { Visitor } from '../access/visitor.js';
import { byCallersTelephone } from '../talk/call/hand-overs.js';
import type { TlsFiles } from '../common/listen.js';
import { ProblemError } from '../problems/problems.js';
import type { Call } from '../talk/call/call.js';
import type { Host } from '../talk/line/connection.js';
import { addressOf, refer } from './hand-over.js';
import { takeIncoming } from './incoming.js';
import { stayIn } from '../project/stay.js';
import { whyNotOut } from '../common/ways-out.js';
import { ReadingShare } from './reading-share.js';
import { ALLOW, sipHost } from './outgoing.js';
import { PhoneCall, type CallNames } from './phone-call.js';
import { MayRing, within } from './may-ring.js';
import { SoundPorts } from './ports.js';
import { Registration } from './registration.js';
import { peerAt, Ringer, SIP_PORT, SIP_TLS_PORT } from './ringer.js';
import { isRequest, readSip, SipEnd, type SipMessage, type Station } from './sip-end.js';
import { SipSockets, type Peer } from './sip-sockets.js';
import { Ticker } from './ticker.js';

const USUAL = {
  address: '127.0.0.1',
  port: SIP_PORT,
  tlsPort: SIP_TLS_PORT,
  sound: { from: 20_000, to: 20_999 },
  callsAtOnce: 20,
  silentS: 30,
};
/** Calls that are over and still listed. */
const MOST_LISTED = 200;
/** Dialogs that go on or are over for less than half a minute. */
const MOST_ENDS = 5_000;

export interface PhoneOptions {
  host: Host;
  file: PhoneFile;
  /** To whom callers are handed over, as project.yaml says it now. */
  handOver: () => HandOverFile | undefined;
  /** What is not ready yet of an assistant. */
  missing: (assistant: string) => string[];
  secrets: Readonly<Record<string, string | undefined>>;
  /** The service's own certificate: with one, it can be rung over TLS. */
  tls?: TlsFiles | undefined;
}

export class Phone {
  private readonly sockets: SipSockets;
  private readonly ports: SoundPorts;
  private readonly ticker = new Ticker();
  private readonly ends = new Map<string, SipEnd>();
  private readonly going = new Map<string, PhoneCall>();
  private over: PhoneCallView[] = [];
  private registrations: Registration[] = [];
  private readonly mayRing: MayRing;
  private readonly share = new ReadingShare();
  /** Networks in which callers' sound may be. */
  private readonly isSoundIn: (shown: string) => boolean;
  private readonly address: string;
  readonly ringer: Ringer;

  private constructor(private readonly options: PhoneOptions) {
    const { file, host } = options;
    this.address = file.address ?? USUAL.address;
    this.ports = new SoundPorts(this.address, {
      from: file.sound?.from ?? USUAL.sound.from,
      to: file.sound?.to ?? USUAL.sound.to,
    });
    this.sockets = new SipSockets(
      this.address,
      host.log,
      (text, peer) => this.came(text, peer),
      (address) => this.isAllowed(address),
      options.tls,
    );
    this.isSoundIn = within([...(file.sound?.networks ?? []), ...(file.peers ?? [])]);
    this.ringer = new Ringer({
      host,
      station: () => this.station,
      registration: () => this.registrations[0],
      isFull: () => this.isFull(),
      newCall: (names, end) => this.newCall(names, end),
      known: (callId, end) => this.ends.set(callId, end),
    });
    this.mayRing = new MayRing(file.peers);
  }

  /** @throws ProblemError `phone-away` */
  static async start(options: PhoneOptions): Promise<Phone> {
    const { file, host } = options;
    let phone: Phone;
    try {
      phone = new Phone(options);
    } catch (error) {
      throw error instanceof ProblemError
        ? error
        : new ProblemError('phone-away', `peers: ${(error as Error).message}`);
    }
    const port = file.port ?? USUAL.port;
    try {
      await phone.sockets.listen(port, file.tlsPort ?? USUAL.tlsPort);
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      const why =
        code === 'EADDRINUSE'
          ? 'another program uses it'
          : code === 'EADDRNOTAVAIL'
            ? 'this machine has no such address'
            : String(code);
      const at = (error as { port?: number }).port ?? port;
      throw new ProblemError('phone-away', `${phone.address}:${at}: ${why}`);
    }
    host.log.info(
      { address: phone.sipAddress, tlsAddress: phone.tlsAddress, numbers: file.numbers },
      'the telephone can be rung',
    );
    phone.register();
    return phone;
  }

  get sipAddress(): string {
    return `sip:${this.address}:${this.sockets.port}`;
  }

  private get tlsAddress(): string | null {
    const { tlsPort } = this.sockets;
    return tlsPort === null ? null : `sip:${this.address}:${tlsPort};transport=tls`;
  }

  get view(): Omit<PhoneView, 'changed'> {
    return {
      address: this.sipAddress,
      tlsAddress: this.tlsAddress,
      trouble: null,
      numbers: this.options.file.numbers,
      registrations: this.registrations.map(({ view }) => view),
      strangers: this.mayRing.strangers,
      calls: [...this.over, ...[...this.going.values()].map(({ view }) => view)].reverse(),
    };
  }

  /** @throws ProblemError `call-unknown` */
  call(id: string): PhoneCallView {
    const view = this.going.get(id)?.view ?? this.over.find((one) => one.id === id);
    if (!view) throw new ProblemError('call-unknown', `"${id}" is none`);
    return view;
  }

  /** @throws ProblemError `call-unknown` */
  hangUp(id: string, by: string): PhoneCallView {
    this.going.get(id)?.hangUp(by, 'it was asked to');
    return this.call(id);
  }

  /**
   * Rings somebody. @throws ProblemError `phone-number-malformed`, `phone-ports-used`, and whatever speaks
   * against one more talk
   */
  async ring(wanted: NewCall, visitor: Visitor): Promise<PhoneCallView> {
    return (await this.ringer.talk(wanted, visitor)).view;
  }

  /** Rings the person who is to take over. @param failed nobody took it */
  announce(talk: Call, who: WaitingCaller, failed: (why: string) => void): void {
    const file = this.options.handOver();
    const to = file ? addressOf(file, who.known) : null;
    if (to === null) return failed('nobody is named to whom callers are handed over');
    const why = whyNotOut(stayIn(this.options.host.project, who.assistant), sipHost(to));
    if (why !== null) return failed(why);
    void this.ringer.announce(talk, who, to, failed);
  }

  /** All calls are over, and numbers at providers are given back. */
  async stop(): Promise<void> {
    for (const call of [...this.going.values()])
      call.hangUp('the service', 'the service is stopped', 'stopped');
    // What was said last is on its way; nobody waits for answers but those of registrations.
    await Promise.all(this.registrations.map((registration) => registration.stop()));
    await new Promise((done) => setImmediate(done));
    for (const end of this.ends.values()) end.close();
    this.ends.clear();
    this.sockets.stop();
  }

  private get station(): Station {
    return {
      address: this.address,
      port: this.sockets.port,
      tlsPort: this.sockets.tlsPort,
      send: (text, peer) => this.sockets.send(text, peer),
      log: this.options.host.log,
    };
  }

  private register(): void {
    const { file, secrets, host } = this.options;
    this.registrations = (file.registrations ?? []).map(({ at, user, secret, protocol = 'udp' }) => {
      const peer = peerAt(at, protocol);
      const known = secrets[secret];
      if (known === undefined) host.log.error({ at, secret }, 'the secret of a number is not set');
      return new Registration(this.station, { at, user, secret: known ?? '' }, peer);
    });
    for (const registration of this.registrations) {
      this.ends.set(registration.callId, registration.end);
      registration.begin();
    }
  }

  /** Whatever comes from outside ends here at the latest. */
  private came(text: string, peer: Peer): void {
    // A connection has a pace of its own, and nothing is sent again on it.
    if (peer.protocol !== 'UDP') return this.read(text, peer);
    this.share.read(this.mayRing.allows(peer.address) || this.isProvider(peer.address), () =>
      this.read(text, peer),
    );
  }

  private read(text: string, peer: Peer): void {
    const { log } = this.options.host;
    try {
      const message = readSip(withSource(text, peer), log);
      if (message) this.take(message, peer);
    } catch (error) {
      log.info({ peer, why: String(error) }, 'what came by telephone could not be used');
    }
  }

  private take(message: SipMessage, peer: Peer): void {
    const end = this.ends.get(message.callId);
    if (end && this.isStrangerTo(end, peer)) return;
    const isWithin = isRequest(message) && Boolean(message.toTag) && message.method !== 'ACK';
    // Within a call it asks whether we are still there.
    if (end && message.method !== 'OPTIONS' && (!isWithin || end.knows(message)))
      return end.receive(message, peer);
    if (isRequest(message) && message.method !== 'ACK') this.takeNew(message, peer);
  }

  /** A request that belongs to no call of ours. */
  private takeNew(message: Extract<SipMessage, { ruri: unknown }>, peer: Peer): void {
    const reply = (statusCode: number, extraHeaders: string[] = []) =>
      this.sockets.send(constructOutgoingResponse(message, { statusCode, extraHeaders }).message, peer);
    if (!this.isAllowed(peer.address)) return reply(403);
    if (message.method === 'OPTIONS') return reply(200, [ALLOW, 'Accept: application/sdp']);
    if (message.toTag || message.method === 'CANCEL' || message.method === 'BYE') return reply(481);
    if (message.method !== 'INVITE') return reply(405, [ALLOW]);
    this.invited(message, peer, reply);
  }

  /** A stranger who knows a Call-ID is a stranger all the same. */
  private isStrangerTo({ peerNow }: SipEnd, { address }: Peer): boolean {
    return !this.isAllowed(address) && peerNow.address !== address && isIP(peerNow.address) !== 0;
  }

  private invited(
    message: Extract<SipMessage, { ruri: unknown }>,
    peer: Peer,
    reply: (statusCode: number, extraHeaders?: string[]) => void,
  ): void {
    const to = message.ruri?.user ?? '';
    const { numbers } = this.options.file;
    const assistant = numbers[to] ?? numbers['*'];
    if (assistant === undefined) return reply(404);
    if (this.isFull() || this.ends.size >= MOST_ENDS) return reply(486, ['Retry-After: 30']);
    const names: CallNames = { direction: 'in', from: message.from.uri.toString(), to, assistant };
    this.begin(message.callId, names, peer).receive(message, peer);
  }

  private begin(callId: string, names: CallNames, peer: Peer): SipEnd {
    const { host, missing } = this.options;
    const end: SipEnd = new SipEnd(this.station, peer, names.to || names.assistant, {
      onInvite: (request: IncomingInviteRequest) => {
        request.trying();
        const call = this.newCall(names, end);
        takeIncoming({
          host,
          call,
          request,
          address: peer.address,
          missing: () => missing(names.assistant),
        }).catch((error: unknown) => {
          host.log.error(error);
          call.hangUp('the service', 'something failed that nobody foresaw', 'failed');
        });
      },
    });
    this.ends.set(callId, end);
    return end;
  }

  private newCall(names: CallNames, end: SipEnd): PhoneCall {
    const { log } = this.options.host;
    const { ports, ticker, address } = this;
    const call = new PhoneCall(names, {
      ports,
      ticker,
      address,
      peer: () => end.peerNow,
      isNamed: this.isSoundIn,
      mustSeal: this.options.file.srtp === 'required',
      log,
      silentMs: (this.options.file.silentS ?? USUAL.silentS) * 1_000,
      ended: () => {
        this.going.delete(call.id);
        this.over = [...this.over, call.view].slice(-MOST_LISTED);
        end.linger(() => this.forget(end));
      },
      handOver: (one, message) => this.handOver(one, message),
    });
    this.going.set(call.id, call);
    return call;
  }

  private forget(end: SipEnd): void {
    for (const [callId, one] of this.ends) if (one === end) this.ends.delete(callId);
  }

  private handOver(call: PhoneCall, { known = {} }: ServiceMessageOf<'handOver'>): void {
    const file = this.options.handOver();
    if (file && !byCallersTelephone(file)) return;
    const address = file ? addressOf(file, known) : null;
    if (address === null) return call.comeBack('nobody is named to whom callers are handed over');
    const why = whyNotOut(stayIn(this.options.host.project, call.names.assistant), sipHost(address));
    if (why !== null) return call.comeBack(why);
    refer(call, address, known);
  }

  private isFull(): boolean {
    return this.going.size >= (this.options.file.callsAtOnce ?? USUAL.callsAtOnce);
  }

  private isProvider(address: string): boolean {
    return this.registrations.some(({ peer }) => peer.address === address);
  }

  private isAllowed(address: string): boolean {
    if (this.mayRing.allows(address) || this.isProvider(address)) return true;
    if (this.mayRing.turnAway(address))
      this.options.host.log.warn(
        { address },
        'somebody rang who may not: name the address under "phone: peers:" if it may',
      );
    return false;
  }
}

/** Where a request really came from, for its answer (RFC 3581): our answers go there anyway. */
function withSource(text: string, { address, port }: Peer): string {
  if (text.startsWith('SIP/2.0')) return text;
  return text.replace(
    /^(?:via|v)[ \t]*:.*$/im,
    (via) => `${via.replace(/;rport(?=[;\s]|$)/i, `;rport=${port}`).trimEnd()};received=${address}`,
  );
}
