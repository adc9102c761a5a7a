/**
 * The frame of a stand-in: an HTTP server with sockets, its panel, and its end when nobody needs it any more.
 */
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo, Socket } from 'node:net';
import { WebSocketServer, type WebSocket } from 'ws';
import { Cut, FAULTS, Refusal, type Fault, type Panel } from './panel.js';

const MOST_BODY_BYTES = 10_000_000;

export type Handler = (
  request: IncomingMessage,
  response: ServerResponse,
  url: URL,
  gone: AbortSignal,
) => Promise<void>;
export type SocketHandler = (
  socket: WebSocket,
  request: IncomingMessage,
  url: URL,
  gone: AbortSignal,
) => Promise<void>;

export interface Doors {
  panel: Panel;
  port: number;
  /** By method and first part of the path, such as `POST /speak`. */
  http: Record<string, Handler>;
  /** By path. */
  sockets?: Record<string, SocketHandler>;
  /** Whoever opens a socket must be allowed to. */
  allows?: (request: IncomingMessage, url: URL) => boolean;
}

export function open({ panel, port, http, sockets = {}, allows = () => true }: Doors): void {
  const server = createServer((request, response) => {
    const url = new URL(request.url ?? '/', 'http://localhost');
    const gone = new AbortController();
    response.on('close', () => gone.abort());
    const own = http[`${request.method} /${url.pathname.split('/')[1]}`];
    const { socket } = request;
    const before = socket.bytesRead;
    if (own) response.on('close', () => (panel.seen.bytes += socket.bytesRead - before));
    const handle = own ?? ofPanel(panel);
    handle(request, response, url, gone.signal).catch((error: unknown) => refuse(response, error));
  });
  const upgrades = new WebSocketServer({ noServer: true, maxPayload: MOST_BODY_BYTES });
  server.on('upgrade', (request, socket: Socket, head) => {
    const url = new URL(request.url ?? '/', 'http://localhost');
    const handle = sockets[url.pathname];
    panel.seen.connections++;
    if (!handle || !allows(request, url)) {
      const status = handle ? '401 Unauthorized' : '404 Not Found';
      return void socket.end(`HTTP/1.1 ${status}\r\ncontent-length: 0\r\nconnection: close\r\n\r\n`);
    }
    upgrades.handleUpgrade(request, socket, head, (line) => {
      const gone = new AbortController();
      line.on('close', () => gone.abort());
      line.on('message', (data: Buffer) => (panel.seen.bytes += data.length));
      handle(line, request, url, gone.signal).catch((error: unknown) => {
        if (error instanceof Cut) return line.terminate();
        line.close(1011, (error as Error).message.slice(0, 100));
      });
    });
  });
  listen(server, port);
}

/** Says on standard output where it is, and ends when nobody needs it any more. */
export function listen(server: Server, port: number): void {
  server.listen(port, '127.0.0.1', () => {
    process.stdout.write(`ready http://127.0.0.1:${(server.address() as AddressInfo).port}\n`);
  });
  // Whoever started it holds its standard input: when that closes, nobody needs it any more.
  process.stdin.on('end', () => process.exit(0)).resume();
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => process.exit(0));
}

function refuse(response: ServerResponse, error: unknown): void {
  if (error instanceof Cut || response.headersSent) return void response.destroy();
  const { status, why, retryAfter } =
    error instanceof Refusal ? error : new Refusal(400, (error as Error).message);
  const retry = retryAfter === undefined ? {} : { 'retry-after': String(retryAfter) };
  response.writeHead(status, { 'content-type': 'application/json', ...retry });
  response.end(JSON.stringify({ trouble: why }));
}

/** What tests and people ask of every stand-in. */
function ofPanel(panel: Panel): Handler {
  return async (request, response, url) => {
    const answer = (body: unknown, status = 200) => {
      response.writeHead(status, { 'content-type': 'application/json' });
      response.end(JSON.stringify(body));
    };
    const what = `${request.method} ${url.pathname}`;
    if (what === 'GET /health') return answer({ ok: true });
    if (what === 'GET /seen') return answer(panel.seen);
    if (what === 'DELETE /faults') return (panel.mend(), answer({ ok: true }));
    if (what !== 'POST /faults') return answer({ trouble: `there is nothing at ${what}` }, 404);
    const {
      role,
      kind,
      after = 0,
      times,
    } = JSON.parse((await bodyOf(request)).toString('utf8')) as Partial<Fault>;
    if (!role || !kind || !FAULTS.includes(kind))
      return answer({ trouble: `faults are ${FAULTS.join(', ')}` }, 400);
    panel.order({ role, kind, after, ...(times === undefined ? {} : { times }) });
    answer({ ok: true });
  };
}

export async function bodyOf(request: IncomingMessage): Promise<Buffer> {
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of request as AsyncIterable<Buffer>) {
    size += chunk.length;
    if (size > MOST_BODY_BYTES) throw new Error('the body is too large');
    chunks.push(chunk);
  }
  return Buffer.concat(chunks);
}
