/**
 * The door of the talk socket: who may connect, and the connections that are open. Nothing that comes here
 * ends the service.
 */
import type { IncomingMessage, Server } from 'node:http';
import type { Socket } from 'node:net';
import { WebSocketServer } from 'ws';
import { addressUnit } from '../../access/address-unit.js';
import type { Door, Entry } from '../../access/door.js';
import { problemFrom } from '../../problems/problem-from.js';
import { ProblemError, problemOf } from '../../problems/problems.js';
import { Connection, type Host } from './connection.js';

/**
 * Larger than any message we take: what lies between is refused with words, what lies above by the socket
 * itself.
 */
const MOST_SOCKET_BYTES = 8_000_000;
/** Sockets that are open at once, whatever is said on them. */
const MOST_CONNECTIONS = 2_000;
/** … of one address, on this service's own connections, where others can reach it … */
const MOST_CONNECTIONS_OF_ONE = 300;
/** … and so many of one address on which nobody has arrived. */
const MOST_WAITING_LINES = 200;
/** Whoever connects says something within this, in ms; and all of a request's head within that. */
const FIRST_BYTES_MS = 5_000;
const HEAD_MS = 10_000;

export class Lines {
  private readonly sockets = new WebSocketServer({
    noServer: true,
    maxPayload: MOST_SOCKET_BYTES,
    perMessageDeflate: false,
  });
  private readonly connections = new Set<Connection>();
  private readonly ofUnit = new Map<string, number>();

  constructor(
    server: Server,
    private readonly host: Host,
    private readonly door: Door,
  ) {
    server.maxConnections = MOST_CONNECTIONS;
    server.headersTimeout = HEAD_MS;
    server.on('connection', (socket) => this.connected(socket));
    server.on('upgrade', (request, socket: Socket, head) => {
      // An upgraded socket is nobody's: its errors would be uncaught.
      socket.on('error', () => undefined);
      this.upgrade(request, socket, head).catch((error: unknown) => {
        const { code, detail } = problemFrom(error);
        if (code === 'internal') host.log.error(error);
        refuse(socket, problemOf(code, detail));
      });
    });
    // Whatever the server cannot even read is answered by closing.
    server.on('clientError', (_error, socket) => socket.destroy());
  }

  /** Connections are counted before anything is read of them: silent ones cost others nothing. */
  private connected(socket: Socket): void {
    const unit = addressUnit(socket.remoteAddress ?? '');
    const isCounted = this.door.isExposed && !this.door.isProxy(socket.remoteAddress ?? '');
    const count = (this.ofUnit.get(unit) ?? 0) + 1;
    if (isCounted && count > MOST_CONNECTIONS_OF_ONE) return void socket.destroy();
    this.ofUnit.set(unit, count);
    const silent = setTimeout(() => socket.bytesRead === 0 && socket.destroy(), FIRST_BYTES_MS);
    socket.on('close', () => {
      clearTimeout(silent);
      const left = (this.ofUnit.get(unit) ?? 1) - 1;
      if (left > 0) this.ofUnit.set(unit, left);
      else this.ofUnit.delete(unit);
    });
  }

  stop(): void {
    for (const connection of this.connections) connection.stop();
    this.host.talks.endAll('stopped');
    this.sockets.close();
  }

  /** Whoever may come in at all is let in; what somebody may is asked of whoever arrives. */
  private async upgrade(request: IncomingMessage, socket: Socket, head: Buffer): Promise<void> {
    await this.door.rate.take(this.door.peer(request).address);
    const entry = await this.door.enter(request);
    const path = (request.url ?? '/').split('?')[0];
    if (path !== '/v1/line') throw new ProblemError('address-unknown', `there is no socket at ${path}`);
    // A browser tells its page nothing of a refusal here: it is told on the line.
    const visitor = await this.door.visitor(request, entry).catch((error: unknown) => {
      if (error instanceof ProblemError && error.code === 'key-unknown') return error;
      throw error;
    });
    this.checkWaiting(entry);
    if (socket.destroyed) return;
    socket.setNoDelay(true);
    this.sockets.handleUpgrade(request, socket, head, (line) => {
      const connection = new Connection(line, this.host, entry, visitor);
      this.connections.add(connection);
      line.on('close', () => this.connections.delete(connection));
    });
  }

  /** @throws ProblemError `requests-too-many` */
  private checkWaiting({ peer: { address } }: Entry): void {
    const unit = addressUnit(address);
    const waiting = [...this.connections].filter((one) => one.waitsFrom(unit)).length;
    if (waiting >= MOST_WAITING_LINES)
      throw new ProblemError(
        'requests-too-many',
        `${waiting} lines of ${address} are open, and nobody arrived on them`,
      );
  }
}

function refuse(socket: Socket, problem: ReturnType<typeof problemOf>): void {
  const body = JSON.stringify(problem);
  socket.end(
    `HTTP/1.1 ${problem.status} Refused\r\ncontent-type: application/problem+json\r\n` +
      `content-length: ${Buffer.byteLength(body)}\r\nconnection: close\r\n\r\n${body}`,
  );
}
