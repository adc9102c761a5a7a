/** The door of the talk socket: who may connect, and the connections that are open. Nothing that comes here ends the service. */
import type { IncomingMessage, Server } from 'node:http';
import type { Socket } from 'node:net';
import { WebSocketServer } from 'ws';
import { foreignness } from '../own-origin.js';
import { problemOf } from '../problems.js';
import { Connection, type Host } from './connection.js';

/** Larger than any message we take: what lies between is refused with words, what lies above by the socket itself. */
const MOST_SOCKET_BYTES = 8_000_000;
/** Sockets that are open at once, whatever is said on them. */
const MOST_CONNECTIONS = 2_000;

export class Lines {
  private readonly sockets = new WebSocketServer({
    noServer: true,
    maxPayload: MOST_SOCKET_BYTES,
    perMessageDeflate: false,
  });
  private readonly connections = new Set<Connection>();

  constructor(
    server: Server,
    private readonly host: Host,
    private readonly hosts: readonly string[],
  ) {
    server.maxConnections = MOST_CONNECTIONS;
    server.on('upgrade', (request, socket: Socket, head) => this.upgrade(request, socket, head));
    // Whatever the server cannot even read is answered by closing.
    server.on('clientError', (_error, socket) => socket.destroy());
  }

  stop(): void {
    for (const connection of this.connections) connection.stop();
    for (const call of this.host.calls.values()) call.over('stopped');
    this.sockets.close();
  }

  private upgrade(request: IncomingMessage, socket: Socket, head: Buffer): void {
    // An upgraded socket is nobody's: its errors would be uncaught.
    socket.on('error', () => undefined);
    const path = (request.url ?? '/').split('?')[0];
    const foreign = foreignness(request, this.hosts);
    if (foreign !== null) return refuse(socket, problemOf('host-foreign', foreign));
    if (path !== '/v1/line')
      return refuse(socket, problemOf('address-unknown', `there is no socket at ${path}`));
    socket.setNoDelay(true);
    this.sockets.handleUpgrade(request, socket, head, (line) => {
      const connection = new Connection(line, this.host);
      this.connections.add(connection);
      line.on('close', () => this.connections.delete(connection));
    });
  }
}

function refuse(socket: Socket, problem: ReturnType<typeof problemOf>): void {
  const body = JSON.stringify(problem);
  socket.end(
    `HTTP/1.1 ${problem.status} Refused\r\ncontent-type: application/problem+json\r\n` +
      `content-length: ${Buffer.byteLength(body)}\r\nconnection: close\r\n\r\n${body}`,
  );
}
