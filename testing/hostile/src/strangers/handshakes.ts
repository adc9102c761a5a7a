/** Handshakes of TLS that never become one: damaged, cut off, in the clear, of old versions, silent. */
import { once } from 'node:events';
import { connect, createServer, type AddressInfo, type Socket } from 'node:net';
import { connect as connectTls } from 'node:tls';
import { seeded } from '@verbalon/core';
import { below, mutated, pick } from '../common/mutated.js';

const AT_ONCE = 20;
/** One that the other side has not closed by then is closed by us, in ms. */
const PATIENCE_MS = 300;
const IN_THE_CLEAR = [
  'GET / HTTP/1.1\r\nHost: localhost\r\n\r\n',
  'REGISTER sip:100 SIP/2.0\r\n\r\n',
  '\0'.repeat(64),
  '\u0015\u0003\u0003\0\u0002\u0002\u0028',
  '\u0016\u0003\u0001\uffff',
];

/** What a client of today says first. */
async function clientHello(): Promise<Buffer> {
  const server = createServer().listen(0, '127.0.0.1');
  await once(server, 'listening');
  const client = connectTls({ port: (server.address() as AddressInfo).port, host: '127.0.0.1' });
  client.on('error', () => undefined);
  const [socket] = (await once(server, 'connection')) as [Socket];
  const [hello] = (await once(socket, 'data')) as [Buffer];
  socket.destroy();
  client.destroy();
  server.close();
  return hello;
}

/** @returns how many were sent, all of them closed */
export async function brokenHandshakes(
  ports: readonly number[],
  count: number,
  seed: number,
): Promise<number> {
  const random = seeded(seed);
  const hello = await clientHello();
  let sent = 0;
  const one = async (i: number): Promise<void> => {
    const socket = connect(pick(random, ports), '127.0.0.1');
    socket.on('error', () => undefined).resume();
    const closed = new Promise<void>((done) => socket.once('close', () => done()));
    const bytes = [
      Buffer.from(mutated(hello, seed * 31 + i)),
      hello.subarray(0, below(random, hello.length)),
      Buffer.concat([hello, hello]),
      Buffer.from(pick(random, IN_THE_CLEAR), 'latin1'),
      Buffer.alloc(0),
    ][i % 5]!;
    if (bytes.length > 0) socket.write(bytes);
    const timer = setTimeout(() => socket.resetAndDestroy(), PATIENCE_MS);
    await closed;
    clearTimeout(timer);
    sent++;
  };
  for (let at = 0; at < count; at += AT_ONCE)
    await Promise.all(Array.from({ length: Math.min(AT_ONCE, count - at) }, (_, i) => one(at + i)));
  return sent;
}
