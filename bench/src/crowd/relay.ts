/**
 * A process of its own: a bare relay that sends every packet back, and does nothing else. What any service
 * costs at least.
 */
import { WebSocketServer } from 'ws';

const server = new WebSocketServer({ port: 0, host: '127.0.0.1' });
server.on('connection', (socket) => {
  socket.on('message', (data: Buffer, isBinary) => socket.send(data, { binary: isBinary }));
});
let before = process.cpuUsage();
process.on('message', (asked: string) => {
  if (asked === 'begin') before = process.cpuUsage();
  const { user, system } = process.cpuUsage(before);
  const took = { cpuMs: (user + system) / 1_000, memoryMb: process.memoryUsage().rss / 2 ** 20 };
  process.send!(took, () => asked === 'end' && process.exit());
});
server.once('listening', () =>
  process.send!({ address: `ws://127.0.0.1:${(server.address() as { port: number }).port}` }),
);
