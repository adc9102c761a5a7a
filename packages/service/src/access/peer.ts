/** Who is at the other end of a connection: directly, or as a proxy that we were told of says. */
import type { IncomingMessage } from 'node:http';
import type { TLSSocket } from 'node:tls';
import proxyAddr from 'proxy-addr';
import { ProblemError } from '../problems/problems.js';

export interface Peer {
  address: string;
  /** What it asked for: a proxy hands the Host on as it came. */
  host: string;
  /** Its words were encrypted on the way here. */
  secure: boolean;
}

/** Headers with which a proxy says whom it speaks for (the first: RFC 7239). */
const FORWARDED = ['forwarded', 'x-forwarded-for', 'x-forwarded-host', 'x-forwarded-proto'];

export class Peers {
  private readonly trusts: (address: string, hop: number) => boolean;

  /**
   * @param proxies addresses and networks (CIDR) from which forwarded headers are believed @throws
   * ProblemError `settings-broken`
   */
  constructor(private readonly proxies: readonly string[]) {
    try {
      this.trusts = proxyAddr.compile([...proxies]);
    } catch {
      const given = proxies.join(',');
      throw new ProblemError(
        'settings-broken',
        `VERBALON_PROXY is "${given}": write addresses or networks, separated by commas, such as 127.0.0.1,10.0.0.0/8`,
      );
    }
  }

  isProxy(address: string): boolean {
    return this.trusts(address, 0);
  }

  /** @throws ProblemError `proxy-unknown` where a proxy stands between that we were not told of */
  of(request: IncomingMessage): Peer {
    const { headers, socket } = request;
    const from = socket.remoteAddress ?? '';
    const forwarded = FORWARDED.find((name) => headers[name] !== undefined);
    if (forwarded === undefined || !this.trusts(from, 0)) {
      if (forwarded !== undefined && this.proxies.length === 0)
        throw new ProblemError('proxy-unknown', `the request has "${forwarded}", and came from ${from}`);
      return { address: from, host: headers.host ?? '', secure: (socket as TLSSocket).encrypted === true };
    }
    const said = (name: string) =>
      String(headers[name] ?? '')
        .split(',')[0]!
        .trim();
    return {
      address: proxyAddr(request, this.trusts),
      host: headers.host ?? '',
      secure: said('x-forwarded-proto') === 'https',
    };
  }
}
