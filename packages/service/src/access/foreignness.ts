/**
 * Whose request is it: of a program or a page of this service, or of a page of somebody else's, even on
 * loopback?
 */
import type { IncomingMessage } from 'node:http';
import type { Peer } from './peer.js';

const OWN_HOSTS = ['localhost', '127.0.0.1', '[::1]'];

function hostname(host: string): string {
  return host.replace(/:\d+$/, '').toLowerCase();
}

/** The service may be asked under this name, or under the address at which the connection came in. */
export function isOwnHost({ socket }: IncomingMessage, { host }: Peer, named: readonly string[]): boolean {
  const local = socket.localAddress ?? '';
  const address = local.includes(':') ? [`[${local}]`, local.replace(/^::ffff:/, '')] : [local];
  return [...OWN_HOSTS, ...named, ...address].includes(hostname(host));
}

/** The origin of the foreign page that asks; null for anybody else. */
export function foreignOrigin({ headers }: IncomingMessage, { host }: Peer): string | null {
  const { origin } = headers;
  return origin === undefined || origin === `http://${host}` || origin === `https://${host}` ? null : origin;
}

/**
 * Does a page of somebody else's load this as a part of itself? Browsers say so (Fetch Metadata, W3C),
 * without an Origin where they send none: pictures, scripts, sounds. A link that is followed to a page of
 * ours is no such thing.
 */
export function isPartOfForeignPage({ headers }: IncomingMessage): boolean {
  const site = headers['sec-fetch-site'];
  if (site !== 'cross-site' && site !== 'same-site') return false;
  return headers['sec-fetch-mode'] !== 'navigate' || headers['sec-fetch-dest'] !== 'document';
}
