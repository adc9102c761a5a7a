/** Pairs of UDP sockets for a call's sound: an even port for RTP, the one above it for RTCP. */
import { createSocket, type Socket } from 'node:dgram';
import { isIPv6 } from 'node:net';
import { ProblemError } from '../problems/problems.js';

export interface PortRange {
  from: number;
  to: number;
}

export interface SoundSockets {
  rtp: Socket;
  rtcp: Socket;
  port: number;
}

export class SoundPorts {
  private next: number;
  private readonly taken = new Set<number>();

  constructor(
    private readonly address: string,
    private readonly range: PortRange,
  ) {
    this.next = even(range.from);
  }

  /** @throws ProblemError `phone-ports-used` */
  async open(): Promise<SoundSockets> {
    const { from, to } = this.range;
    for (let tries = Math.ceil((to - from + 1) / 2); tries > 0; tries--) {
      const port = this.next;
      this.next = port + 3 > to ? even(from) : port + 2;
      if (this.taken.has(port)) continue;
      this.taken.add(port);
      const pair = await this.pair(port);
      if (pair) return pair;
      this.taken.delete(port);
    }
    throw new ProblemError('phone-ports-used', `ports ${from} to ${to} of ${this.address} are all in use`);
  }

  close({ rtp, rtcp, port }: SoundSockets): void {
    this.taken.delete(port);
    for (const socket of [rtp, rtcp])
      try {
        socket.close();
      } catch {
        // It is closed already.
      }
  }

  private async pair(port: number): Promise<SoundSockets | null> {
    const [rtp, rtcp] = await Promise.all([bound(this.address, port), bound(this.address, port + 1)]);
    if (rtp && rtcp) return { rtp, rtcp, port };
    rtp?.close();
    rtcp?.close();
    return null;
  }
}

const even = (port: number) => port + (port % 2);

function bound(address: string, port: number): Promise<Socket | null> {
  const socket = createSocket(isIPv6(address) ? 'udp6' : 'udp4');
  return new Promise((resolve) => {
    socket.once('error', () => resolve(null));
    socket.bind(port, address, () => {
      socket.removeAllListeners('error');
      // A peer that has gone (ICMP) is noticed by its silence.
      socket.on('error', () => undefined);
      resolve(socket);
    });
  });
}
