/**
 * SIP's messages over UDP, TCP and TLS (RFC 3261, section 18): whole ones come in, and go out to whoever they
 * are for.
 */
import { createSocket, type Socket as UdpSocket } from 'node:dgram';
import { connect, createServer, isIP, isIPv6, type AddressInfo, type Server, type Socket } from 'node:net';
import { connect as connectTls, createServer as createTlsServer, type Server as TlsServer } from 'node:tls';
import type { Logger } from 'pino';
import { pairOf, renewing, type TlsFiles } from '../common/listen.js';

/** Where a message came from, and where others go to. */
export interface Peer {
  protocol: 'UDP' | 'TCP' | 'TLS';
  address: string;
  port: number;
}

/** Larger messages are nobody's, in bytes. */
const MOST_BYTES = 64_000;
const MOST_CONNECTIONS = 500;
const MOST_CONNECTIONS_OF_ONE = 100;
/** A connection whose first message does not come whole for so long is closed, in ms. */
const FIRST_MESSAGE_MS = 10_000;
/** A connection without a message is closed after so long, in ms. */
const IDLE_MS = 300_000;

export const peerName = ({ protocol, address, port }: Peer): string => `${protocol}:${address}:${port}`;

export class SipSockets {
  private readonly udp: UdpSocket;
  private readonly tcp: Server;
  private readonly tls: TlsServer | null;
  private readonly unwatch: () => void;
  private readonly connections = new Map<string, Socket>();
  port = 0;
  /** Null without a certificate. */
  tlsPort: number | null = null;

  /** @throws ProblemError `settings-broken` for a certificate that cannot be used */
  constructor(
    private readonly address: string,
    private readonly log: Logger,
    private readonly came: (text: string, peer: Peer) => void,
    /** May somebody at this address connect? */
    private readonly admits: (address: string) => boolean,
    tls?: TlsFiles,
  ) {
    this.udp = createSocket(isIPv6(address) ? 'udp6' : 'udp4');
    this.udp.on('message', (data, { address: from, port }) =>
      this.came(data.toString('utf8'), { protocol: 'UDP', address: from, port }),
    );
    this.tcp = createServer((socket) => this.connected(socket, 'TCP'));
    this.tcp.maxConnections = MOST_CONNECTIONS;
    this.tls = tls ? createTlsServer(pairOf(tls), (socket) => this.connected(socket, 'TLS')) : null;
    if (this.tls) this.tls.maxConnections = MOST_CONNECTIONS;
    this.unwatch = this.tls ? renewing(this.tls, tls!, log) : () => undefined;
  }

  /** @throws Error of the system where the port cannot be had */
  async listen(port: number, tlsPort: number): Promise<void> {
    try {
      this.port = await listening(this.tcp, port, this.address);
      if (this.tls) this.tlsPort = await listening(this.tls, tlsPort, this.address);
      await new Promise<void>((resolve, reject) => {
        this.udp.once('error', reject);
        this.udp.bind(this.port, this.address, resolve);
      });
    } catch (error) {
      this.stop();
      throw error;
    }
    for (const socket of [this.udp, this.tcp, ...(this.tls ? [this.tls] : [])])
      socket.on('error', (error: Error) =>
        this.log.warn({ why: error.message }, 'a socket of the telephone failed'),
      );
  }

  send(text: string, peer: Peer): void {
    // An address may be none: what cannot be sent is lost, and sent again by whoever waits for an answer.
    try {
      if (peer.protocol === 'UDP') this.udp.send(text, peer.port, peer.address);
      else this.connectionTo(peer).write(text);
    } catch (error) {
      this.log.info({ peer, why: String(error) }, 'a message of the telephone cannot be sent');
    }
  }

  stop(): void {
    try {
      this.udp.close();
    } catch {
      // It was never bound.
    }
    this.tcp.close();
    this.tls?.close();
    this.unwatch();
    for (const socket of this.connections.values()) socket.destroy();
  }

  private connectionTo(peer: Peer): Socket {
    const known = this.connections.get(peerName(peer));
    if (known && !known.destroyed) return known;
    const { address: host, port } = peer;
    const socket =
      peer.protocol === 'TLS'
        ? connectTls({ host, port, ...(isIP(host) ? {} : { servername: host }) })
        : connect(port, host);
    this.take(socket, peer);
    return socket;
  }

  private connected(socket: Socket, protocol: 'TCP' | 'TLS'): void {
    const { remoteAddress, remotePort } = socket;
    if (remoteAddress === undefined || remotePort === undefined) return void socket.destroy();
    if (!this.admits(remoteAddress) || this.countOf(remoteAddress) >= MOST_CONNECTIONS_OF_ONE)
      return void socket.destroy();
    this.take(socket, { protocol, address: remoteAddress, port: remotePort });
  }

  private countOf(address: string): number {
    return [...this.connections.values()].filter(({ remoteAddress }) => remoteAddress === address).length;
  }

  private take(socket: Socket, peer: Peer): void {
    const name = peerName(peer);
    this.connections.set(name, socket);
    const stream = new MessageStream((text) => {
      clearTimeout(first);
      this.came(text, peer);
    });
    socket.setNoDelay(true);
    const first = setTimeout(() => socket.destroy(), FIRST_MESSAGE_MS);
    socket.on('close', () => clearTimeout(first));
    socket.setTimeout(IDLE_MS, () => socket.destroy());
    socket.on('data', (data) => {
      const answer = stream.take(data);
      if (answer === null) socket.destroy();
      else if (answer !== '') socket.write(answer);
    });
    socket.on('error', ({ message }) => {
      this.log.info({ peer, why: message }, 'a connection of the telephone failed');
      socket.destroy();
    });
    socket.on('close', () => {
      if (this.connections.get(name) === socket) this.connections.delete(name);
    });
  }
}

/** @returns the port */
async function listening(server: Server, port: number, address: string): Promise<number> {
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, address, resolve);
  });
  return (server.address() as AddressInfo).port;
}

const END_OF_HEAD = '\r\n\r\n';

/** Cuts a stream into messages by their Content-Length (RFC 3261, section 18.3). */
export class MessageStream {
  private rest = Buffer.alloc(0);

  constructor(private readonly message: (text: string) => void) {}

  /** @returns what is to be answered at once, or null where the stream makes no sense */
  take(data: Buffer): string | null {
    this.rest = Buffer.concat([this.rest, data]);
    let answer = '';
    for (;;) {
      // Whoever keeps a connection alive sends empty lines, and wants one back (RFC 5626, section 4.4.1).
      while (this.rest.subarray(0, 2).toString('latin1') === '\r\n') {
        if (this.rest.subarray(0, 4).toString('latin1') === END_OF_HEAD) answer = '\r\n';
        this.rest = this.rest.subarray(2);
      }
      const head = this.rest.indexOf(END_OF_HEAD);
      if (head < 0) return this.rest.length > MOST_BYTES ? null : answer;
      const length = /^(?:content-length|l)[ \t]*:[ \t]*(\d{1,6})[ \t]*$/im.exec(
        this.rest.subarray(0, head).toString('latin1'),
      )?.[1];
      const end = head + END_OF_HEAD.length + Number(length ?? 0);
      if (end > MOST_BYTES) return null;
      if (this.rest.length < end) return answer;
      const text = this.rest.subarray(0, end).toString('utf8');
      this.rest = this.rest.subarray(end);
      this.message(text);
    }
  }
}
