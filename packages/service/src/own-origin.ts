/** Who may connect: pages and programs of this machine, and hosts that are named; no foreign web page, even on loopback. */
import type { IncomingMessage } from 'node:http';

const OWN_HOSTS = ['localhost', '127.0.0.1', '[::1]'];

function hostname(host: string): string {
  return host.replace(/:\d+$/, '').toLowerCase();
}

/** What is wrong with the request's Host or Origin, or null. `named` are more host names that are allowed. */
export function foreignness(request: IncomingMessage, named: readonly string[]): string | null {
  const { headers } = request;
  const host = headers.host ?? '';
  if (![...OWN_HOSTS, ...named].includes(hostname(host))) return `Host is "${host}"`;
  const { origin } = headers;
  if (origin !== undefined && origin !== `http://${host}` && origin !== `https://${host}`) {
    return `Origin is "${origin}", and the service is at "${host}"`;
  }
  if (isPartOfForeignPage(request)) return 'a page from elsewhere loads it as a part of itself';
  return null;
}

/**
 * Does a page of somebody else's load this as a part of itself? Browsers say so (Fetch Metadata, W3C), without an Origin where
 * they send none: pictures, scripts, sounds. A link that is followed to a page of ours is no such thing.
 */
function isPartOfForeignPage({ headers }: IncomingMessage): boolean {
  const site = headers['sec-fetch-site'];
  if (site !== 'cross-site' && site !== 'same-site') return false;
  return headers['sec-fetch-mode'] !== 'navigate' || headers['sec-fetch-dest'] !== 'document';
}
