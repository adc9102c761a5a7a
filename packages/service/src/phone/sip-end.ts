/**
 * Our end of one dialog with one peer: a kept user agent does transactions and dialogs (RFC 3261), and here
 * stands what it leaves to its transport: over UDP, what is not answered is sent again.
 */
import {
  LoggerFactory,
  Parser,
  UserAgentCore,
  URI,
  type DigestAuthentication,
  type IncomingRequestMessage,
  type IncomingResponseMessage,
  type Transport,
  type UserAgentCoreConfiguration,
  type UserAgentCoreDelegate,
} from 'sip.js/lib/core/index.js';
import { isIP } from 'node:net';
import type { Logger } from 'pino';
import type { Peer } from './sip-sockets.js';

/** RFC 3261, section 17.1.1.1, in ms. */
const T1_MS = 500;
const T2_MS = 4_000;
const GIVE_UP_MS = 64 * T1_MS;
/** After a dialog's end, what is sent again of it is still answered for so long, in ms. */
const LINGER_MS = GIVE_UP_MS;

export type SipMessage = IncomingRequestMessage | IncomingResponseMessage;

/** How to reach others, and how others reach us. */
export interface Station {
  /** What others know us by. */
  address: string;
  port: number;
  /** Over TLS; null where others cannot reach us so. */
  tlsPort: number | null;
  send: (text: string, peer: Peer) => void;
  log: Logger;
}

export const isRequest = (message: SipMessage): message is IncomingRequestMessage => 'ruri' in message;

/** @returns null for what is no message of SIP, or lacks what every one of them has */
export function readSip(text: string, log: Logger): SipMessage | null {
  let message: SipMessage | undefined;
  try {
    message = Parser.parseMessage(text, loggers(log).getLogger('parser'));
  } catch {
    return null;
  }
  if (!message?.callId || !message.viaBranch || !message.cseq || !message.from || !message.to) return null;
  if (isRequest(message) && (!message.ruri || !message.method)) return null;
  return message;
}

/** What its parts say of themselves belongs to nobody but whoever looks for a fault. */
function loggers(log: Logger): LoggerFactory {
  const factory = new LoggerFactory();
  factory.builtinEnabled = false;
  if (log.isLevelEnabled('trace'))
    factory.connector = (level, category, label, content) =>
      log.trace({ level, category, label }, String(content));
  return factory;
}

interface Again {
  stop: () => void;
}

export class SipEnd {
  readonly core: UserAgentCore;
  readonly contact: URI;
  private readonly again = new Map<string, Again>();
  private lingering: NodeJS.Timeout | null = null;

  /** @param user who we are at our address @param credentials for peers that ask who we are */
  constructor(
    private readonly station: Station,
    private peer: Peer,
    user: string,
    delegate: UserAgentCoreDelegate = {},
    credentials?: (loggers: LoggerFactory) => DigestAuthentication,
  ) {
    const { address, log } = station;
    const { protocol } = peer;
    const port = (protocol === 'TLS' ? station.tlsPort : null) ?? station.port;
    const loggerFactory = loggers(log);
    this.contact = new URI(
      'sip',
      user,
      address,
      port,
      protocol === 'UDP' ? {} : { transport: protocol.toLowerCase() },
    );
    const contact = this.contact;
    const transport: Transport = {
      protocol,
      send: (text) => {
        this.send(text);
        return Promise.resolve();
      },
    };
    const configuration: UserAgentCoreConfiguration = {
      aor: contact,
      contact: {
        pubGruu: undefined,
        tempGruu: undefined,
        uri: contact,
        toString: () => `<${contact.toString()}>`,
      },
      displayName: '',
      loggerFactory,
      hackViaTcp: false,
      routeSet: [],
      sipjsId: '',
      supportedOptionTags: ['timer'],
      supportedOptionTagsResponse: ['timer'],
      userAgentHeaderFieldValue: 'Verbalon',
      viaForceRport: true,
      viaHost: `${address}:${port}`,
      authenticationFactory: () => credentials?.(loggerFactory),
      transportAccessor: () => transport,
    };
    this.core = new UserAgentCore(configuration, delegate);
  }

  /** A message of this dialog has come. */
  receive(message: SipMessage, peer: Peer): void {
    if (this.isOfDialog(message)) this.peer = peer;
    if (isRequest(message)) {
      if (message.method === 'ACK') this.stop(`INVITE answered ${message.viaBranch}`);
      this.core.receiveIncomingRequestFromTransport(message);
    } else {
      const { statusCode = 0, method, viaBranch } = message;
      if (statusCode >= 200 || method === 'INVITE') this.stop(`${method} ${viaBranch}`);
      this.core.receiveIncomingResponseFromTransport(message);
    }
  }

  /** Where the other side is, as far as it has shown that it is the other side. */
  get peerNow(): Peer {
    return this.peer;
  }

  /** Whether a request within a call is of this one, or sent again. */
  knows(request: SipMessage): boolean {
    return this.isOfDialog(request) || this.core.userAgentServers.has(request.viaBranch);
  }

  /**
   * Only what belongs to the dialog moves its other side: a request that knows both tags; an answer to a
   * request of ours, where that went to a name. Whoever only knows a Call-ID moves nothing.
   */
  private isOfDialog(message: SipMessage): boolean {
    if (isRequest(message))
      return this.core.dialogs.has(`${message.callId}${message.toTag}${message.fromTag}`);
    return isIP(this.peer.address) === 0 && this.core.userAgentClients.has(message.viaBranch);
  }

  /**
   * The dialog is over; what is sent again of it is answered for a while, and then it is gone. @param gone is
   * called then
   */
  linger(gone: () => void): void {
    this.lingering ??= setTimeout(() => {
      this.close();
      gone();
    }, LINGER_MS);
    // A service that is stopped does not wait for it.
    this.lingering.unref();
  }

  close(): void {
    if (this.lingering) clearTimeout(this.lingering);
    for (const { stop } of this.again.values()) stop();
    this.again.clear();
    this.core.dispose();
  }

  private send(text: string): void {
    this.station.send(text, this.peer);
    if (this.peer.protocol === 'UDP') this.sendAgain(text);
  }

  /** Timers A and E of requests, timer G of refusals (RFC 3261, sections 17.1 and 17.2). */
  private sendAgain(text: string): void {
    const line = text.slice(0, text.indexOf('\r\n'));
    const branch = /;branch=([^;,\s]+)/i.exec(text)?.[1] ?? '';
    const status = /^SIP\/2\.0 (\d{3})/.exec(line)?.[1];
    if (status === undefined) {
      const method = line.split(' ')[0]!;
      if (method !== 'ACK') this.repeat(`${method} ${branch}`, text, method === 'INVITE' ? Infinity : T2_MS);
    } else if (Number(status) >= 300 && /^cseq:\s*\d+\s+INVITE/im.test(text)) {
      this.repeat(`INVITE answered ${branch}`, text, T2_MS);
    }
  }

  private repeat(name: string, text: string, mostMs: number): void {
    this.stop(name);
    const sinceMs = performance.now();
    let waitMs = T1_MS;
    const ring = () => {
      if (performance.now() - sinceMs > GIVE_UP_MS) return this.stop(name);
      this.station.send(text, this.peer);
      waitMs = Math.min(waitMs * 2, mostMs);
      timer = setTimeout(ring, waitMs);
    };
    let timer = setTimeout(ring, waitMs);
    this.again.set(name, { stop: () => clearTimeout(timer) });
  }

  private stop(name: string): void {
    this.again.get(name)?.stop();
    this.again.delete(name);
  }
}
