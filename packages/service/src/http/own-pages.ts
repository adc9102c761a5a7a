/** What browsers are told: pages of ours load nothing foreign, nobody frames them, and foreign pages load nothing of ours. */
import type { IncomingMessage } from 'node:http';
import type { RequestHandler } from 'express';
import helmet from 'helmet';

export function securityHeaders(): RequestHandler {
  return helmet({
    contentSecurityPolicy: {
      useDefaults: false,
      directives: {
        defaultSrc: ["'self'"],
        // The console makes its validators of messages from their schemas, as the service does.
        scriptSrc: ["'self'", "'unsafe-eval'"],
        // The editor of the files puts its own styles into the page.
        styleSrc: ["'self'", "'unsafe-inline'"],
        imgSrc: ["'self'", 'data:'],
        fontSrc: ["'self'", 'data:'],
        mediaSrc: ["'self'", 'blob:'],
        workerSrc: ["'self'", 'blob:'],
        connectSrc: ["'self'", 'ws:', 'wss:'],
        objectSrc: ["'none'"],
        baseUri: ["'none'"],
        formAction: ["'self'"],
        frameAncestors: ["'none'"],
      },
    },
    xFrameOptions: { action: 'deny' },
    crossOriginResourcePolicy: { policy: 'same-origin' },
    referrerPolicy: { policy: 'no-referrer' },
    // The service speaks HTTP on this machine; whoever puts TLS before it decides on that.
    strictTransportSecurity: false,
  });
}

/**
 * Does a page of somebody else's load this as a part of itself? Browsers say so (Fetch Metadata, W3C), without an Origin where
 * they send none: pictures, scripts, sounds. A link that is followed to a page of ours is no such thing.
 */
export function isPartOfForeignPage({ headers }: IncomingMessage): boolean {
  const site = headers['sec-fetch-site'];
  if (site !== 'cross-site' && site !== 'same-site') return false;
  return headers['sec-fetch-mode'] !== 'navigate' || headers['sec-fetch-dest'] !== 'document';
}
