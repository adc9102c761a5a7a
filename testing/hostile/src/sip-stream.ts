/**
 * SIP by hand over a connection (TCP or TLS): whole messages come out of the stream, and requests of one call
 * go in.
 */
import type { Socket } from 'node:net';
import { readText, type SipText } from './sip-text.js';

/** Cuts what comes into whole messages, by their Content-Length. */
export function onSip(socket: Socket, take: (message: SipText) => void): void {
  let rest = '';
  socket.on('data', (data) => {
    rest += data.toString('utf8');
    for (let head = rest.indexOf('\r\n\r\n'); head >= 0; head = rest.indexOf('\r\n\r\n')) {
      const end = head + 4 + Number(/content-length: *(\d+)/i.exec(rest.slice(0, head))?.[1] ?? 0);
      if (rest.length < end) return;
      take(readText(rest.slice(0, end)));
      rest = rest.slice(end);
    }
  });
}

export class SipStream {
  readonly came: SipText[] = [];
  private to: string;

  /** @param at `ADDRESS:PORT` of who is rung */
  constructor(
    private readonly socket: Socket,
    private readonly over: 'TCP' | 'TLS',
    private readonly at: string,
  ) {
    this.to = `<sip:100@${at}>`;
    onSip(socket, (message) => {
      this.came.push(message);
      if (message.status === 200 && message.method === 'INVITE') this.to = message.header('To');
    });
  }

  say(method: string, cseq: number, body = ''): void {
    const transport = `transport=${this.over.toLowerCase()}`;
    this.socket.write(
      [
        `${method} sip:100@${this.at};${transport} SIP/2.0`,
        `Via: SIP/2.0/${this.over} 127.0.0.1:9;branch=z9hG4bK${method}${cseq}`,
        'From: <sip:walker@127.0.0.1>;tag=t1',
        `To: ${this.to}`,
        `Call-ID: ${this.over}@test`,
        `CSeq: ${cseq} ${method}`,
        'Max-Forwards: 70',
        `Contact: <sip:walker@127.0.0.1:9;${transport}>`,
        ...(body === '' ? [] : ['Content-Type: application/sdp']),
        `Content-Length: ${body.length}`,
        '',
        body,
      ].join('\r\n'),
    );
  }

  /** It was answered with this. */
  has(method: string, status: number): boolean {
    return this.came.some((one) => one.method === method && one.status === status);
  }
}
