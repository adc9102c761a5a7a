/**
 * The door of a stand-in that is no engine: JSON over HTTP, faults that a test orders, and its end when
 * nobody needs it any more.
 */
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { setTimeout as sleep } from 'node:timers/promises';
import { bodyOf, listen } from './server.js';

/** How much longer a request takes that is slow, in ms. */
const SLOW_MS = 4_000;

/**
 * `cut`: the connection is broken off before anything was done, `cut-after`: after it was done; `hang`: done,
 * and never answered;
 * `page`: a page instead of JSON; `large`: 5 MB.
 */
const FAULTS = ['broken', 'slow', 'full', 'cut', 'cut-after', 'hang', 'page', 'large'] as const;
type Fault = (typeof FAULTS)[number];
interface Ordered {
  kind: Fault;
  times: number;
}

export interface Answer {
  status: number;
  body: unknown;
}

interface Door {
  port: number;
  allows: (request: IncomingMessage) => boolean;
  answer: (
    request: IncomingMessage,
    path: readonly string[],
    query: URLSearchParams,
    body: Readonly<Record<string, unknown>>,
  ) => Promise<Answer>;
  /** For whoever watches it. */
  seen: () => unknown;
}

export function openDoor(door: Door): void {
  const faults: Ordered[] = [];
  const server = createServer((request, response) => {
    handle(door, faults, request, response).catch(() => response.destroy());
  });
  listen(server, door.port);
}

async function handle(
  { allows, answer, seen }: Door,
  faults: Ordered[],
  request: IncomingMessage,
  response: ServerResponse,
): Promise<void> {
  const url = new URL(request.url ?? '/', 'http://localhost');
  const path = url.pathname.split('/').filter(Boolean).map(decodeURIComponent);
  const send = ({ status, body }: Answer) => {
    response.writeHead(status, { 'content-type': 'application/json' });
    response.end(JSON.stringify(body));
  };
  const body = await jsonOf(request);
  if (path[0] === 'health') return send({ status: 200, body: { ok: true } });
  if (path[0] === 'seen') return send({ status: 200, body: seen() });
  if (path[0] === 'faults') return send(ordered(request.method, faults, body));
  if (!allows(request)) return send({ status: 401, body: { trouble: 'this key is not known' } });
  const fault = takeFault(faults);
  const instead = insteadOf(fault);
  if (fault === 'cut') return void request.socket.destroy();
  if (instead) return send(instead);
  if (fault === 'page') {
    response.writeHead(200, { 'content-type': 'text/html' });
    return void response.end('<html><body><script>alert(1)</script>Please come back later.</body></html>');
  }
  if (fault === 'slow') await sleep(SLOW_MS);
  const given = await answer(request, path, url.searchParams, body);
  if (fault === 'cut-after') return void request.socket.destroy();
  if (fault !== 'hang') send(given);
}

function insteadOf(fault: Fault | null): Answer | null {
  if (fault === 'broken') return { status: 500, body: { trouble: 'something went wrong here' } };
  if (fault === 'full') return { status: 409, body: { full: true, free: 0 } };
  return fault === 'large' ? { status: 200, body: { text: 'x'.repeat(5_000_000) } } : null;
}

function ordered(
  method: string | undefined,
  faults: Ordered[],
  body: Readonly<Record<string, unknown>>,
): Answer {
  if (method === 'DELETE') faults.length = 0;
  else {
    const kind = FAULTS.find((one) => one === body.kind);
    if (!kind) return { status: 400, body: { trouble: `faults are ${FAULTS.join(', ')}` } };
    faults.push({ kind, times: typeof body.times === 'number' ? body.times : 1 });
  }
  return { status: 200, body: { ok: true } };
}

function takeFault(faults: Ordered[]): Fault | null {
  const first = faults[0];
  if (!first) return null;
  if (--first.times <= 0) faults.shift();
  return first.kind;
}

async function jsonOf(request: IncomingMessage): Promise<Record<string, unknown>> {
  const body = await bodyOf(request);
  try {
    const value: unknown = JSON.parse(body.toString('utf8') || '{}');
    return typeof value === 'object' && value !== null ? (value as Record<string, unknown>) : {};
  } catch {
    return {};
  }
}
