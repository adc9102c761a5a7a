/**
 * Runs in a worker thread: a listener on which whatever comes is thrown away, to be compared with the
 * service.
 */
import { parentPort } from 'node:worker_threads';
import { WebSocketServer } from 'ws';

const server = new WebSocketServer({ port: 0, host: '127.0.0.1' }, () => {
  const address = server.address();
  if (typeof address === 'object' && address !== null)
    parentPort!.postMessage(`http://127.0.0.1:${address.port}`);
});
server.on('connection', (socket) => {
  socket.on('error', () => undefined);
  socket.on('message', () => undefined);
});
