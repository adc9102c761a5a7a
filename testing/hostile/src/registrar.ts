/**
 * A provider of telephone numbers for tests: registers whoever knows the secret (digest, RFC 3261 section
 * 22), and tells what it was asked.
 */
import { createHash } from 'node:crypto';
import { createSocket } from 'node:dgram';
import { once } from 'node:events';
import type { AddressInfo } from 'node:net';
import { createServer } from 'node:tls';
import { onSip } from './sip-stream.js';
import { readText, type SipText } from './sip-text.js';

const REALM = 'provider.example';
const md5 = (text: string) => createHash('md5').update(text).digest('hex');

export class TestRegistrar {
  readonly came: SipText[] = [];
  /** How long each registration holds, by what the Contact says; 0 once it was taken back. */
  readonly registered = new Map<string, number>();

  port = 0;
  close: () => void = () => undefined;

  private constructor(
    private readonly user: string,
    private readonly secret: string,
  ) {}

  static async open(user: string, secret: string): Promise<TestRegistrar> {
    const registrar = new TestRegistrar(user, secret);
    const socket = createSocket('udp4', (data, { port, address }) =>
      registrar.take(readText(data.toString('utf8')), (text) => socket.send(text, port, address)),
    );
    socket.bind(0, '127.0.0.1');
    await once(socket, 'listening');
    registrar.port = socket.address().port;
    registrar.close = () => socket.close();
    return registrar;
  }

  /** The same over TLS. */
  static async openTls(
    user: string,
    secret: string,
    pair: { cert: Buffer; key: Buffer },
  ): Promise<TestRegistrar> {
    const registrar = new TestRegistrar(user, secret);
    const server = createServer(pair, (socket) => {
      socket.on('error', () => undefined);
      onSip(socket, (message) => registrar.take(message, (text) => socket.write(text)));
    }).listen(0, '127.0.0.1');
    await once(server, 'listening');
    registrar.port = (server.address() as AddressInfo).port;
    registrar.close = () => server.close();
    return registrar;
  }

  private take(message: SipText, send: (text: string) => void): void {
    this.came.push(message);
    if (message.status === null && message.method !== 'ACK') send(this.answer(message));
  }

  private answer(message: SipText): string {
    const asks = message.method === 'REGISTER' ? 'WWW-Authenticate' : 'Proxy-Authenticate';
    const shown = message.header(message.method === 'REGISTER' ? 'Authorization' : 'Proxy-Authorization');
    if (!this.isRight(message.method, shown))
      return reply(
        message,
        message.method === 'REGISTER' ? '401 Unauthorized' : '407 Proxy Authentication Required',
        [`${asks}: Digest realm="${REALM}", nonce="n${this.came.length}", algorithm=MD5, qop="auth"`],
      );
    if (message.method !== 'REGISTER') return reply(message, '486 Busy Here', []);
    const contact = message.header('Contact');
    const seconds = Number(/expires=(\d+)/.exec(contact)?.[1] ?? message.header('Expires'));
    this.registered.set(/<([^>]+)>/.exec(contact)![1]!, seconds);
    return reply(message, '200 OK', [`Contact: ${contact}`, `Expires: ${seconds}`]);
  }

  private isRight(method: string, shown: string): boolean {
    const part = (name: string) => new RegExp(`\\b${name}="?([^",]+)"?`).exec(shown)?.[1] ?? '';
    if (part('username') !== this.user) return false;
    const [a1, a2] = [md5(`${this.user}:${REALM}:${this.secret}`), md5(`${method}:${part('uri')}`)];
    const tail = part('qop') === '' ? '' : `${part('nc')}:${part('cnonce')}:${part('qop')}:`;
    return part('response') === md5(`${a1}:${part('nonce')}:${tail}${a2}`);
  }
}

function reply({ headers, header }: SipText, status: string, more: string[]): string {
  const to = header('To').includes('tag=') ? header('To') : `${header('To')};tag=r1`;
  return [
    `SIP/2.0 ${status}`,
    ...headers('Via').map((via) => `Via: ${via}`),
    `From: ${header('From')}`,
    `To: ${to}`,
    `Call-ID: ${header('Call-ID')}`,
    `CSeq: ${header('CSeq')}`,
    ...more,
    'Content-Length: 0',
    '',
    '',
  ].join('\r\n');
}
