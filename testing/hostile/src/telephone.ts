/**
 * A telephone for tests and benches: SIP by hand over UDP, so that it can say what no telephone should, and
 * RTP in both directions.
 */
import { createSocket, type Socket } from 'node:dgram';
import { once } from 'node:events';
import { G722Decoder, G722Encoder, joinPcm16, MU_LAW, TELEPHONE_KEYS, type Key } from '@verbalon/core';
import { readText, type SipText } from './sip-text.js';
import type { Offer, Options } from './telephone-options.js';

const FRAME_TICKS = 160;
const FRAME_MS = 20;
/** What is not answered is sent again after so long, then after twice as long each time. */
const RESEND_MS = 500;
const MOST_RESEND_MS = 4_000;
const KEYS_TYPE = 101;

let ids = 0;

export class TestPhone {
  readonly came: SipText[] = [];
  /**
   * What was heard, 20 ms each, in the order in which it came; and when each came, by `performance.now()`.
   */
  readonly heard: { samples: Int16Array; atMs: number; sequence: number; payloadType: number }[] = [];
  readonly keysHeard: Key[] = [];
  /** What went out, 20 ms each, and when that began. */
  readonly said: Int16Array[] = [];
  startedMs: number | null = null;
  private target = { address: '127.0.0.1', port: 0 };
  private sound: { address: string; port: number } | null = null;
  private callId = '';
  private tag = '';
  private theirTag = '';
  private theirContact = '';
  private cseq = 0;
  private branch = '';
  private sequence = Math.floor(Math.random() * 65_536);
  private timestamp = Math.floor(Math.random() * 2 ** 31);
  private readonly ssrc = Math.floor(Math.random() * 2 ** 31);
  private queue: Int16Array[] = [];
  private keys: Key[] = [];
  private readonly resending = new Set<NodeJS.Timeout>();
  private isSilent = false;
  private ticking: NodeJS.Timeout | null = null;
  private sent = 0;
  /** How an incoming call is answered. */
  answer: 'busy' | 'ring' | 'take' = 'take';
  /** It speaks G.722, of 16 kHz, instead of G.711: so is what it says and hears. */
  isWide = false;
  private readonly encoder = new G722Encoder();
  private readonly decoder = new G722Decoder();
  seal: Options['seal'];
  /** Answers what comes in a dialog with 200 by itself. */
  isPolite = true;

  private constructor(
    readonly sip: Socket,
    readonly rtp: Socket,
    private readonly options: Options,
  ) {
    sip.on('message', (data) => this.take(data.toString('utf8')));
    rtp.on('message', (data) => this.takeSound(data));
  }

  /** Where it is. */
  private get at(): string {
    return this.options.at ?? '127.0.0.1';
  }

  static async open(options: Options = {}): Promise<TestPhone> {
    const [sip, rtp] = [createSocket('udp4'), createSocket('udp4')];
    sip.bind(0, options.at ?? '127.0.0.1');
    rtp.bind(0, options.at ?? '127.0.0.1');
    await Promise.all([once(sip, 'listening'), once(rtp, 'listening')]);
    return new TestPhone(sip, rtp, options);
  }

  get port(): number {
    return this.sip.address().port;
  }

  get soundPort(): number {
    return this.rtp.address().port;
  }

  sdp({
    direction = 'sendrecv',
    keys = true,
    port = this.soundPort,
    host = this.at,
    lines = [],
    profile = 'RTP/AVP',
  }: Offer = {}): string {
    const [type, name] = this.isWide ? [9, 'G722'] : [0, 'PCMU'];
    return [
      'v=0',
      `o=test 1 1 IN IP4 ${this.at}`,
      's=-',
      `c=IN IP4 ${host}`,
      't=0 0',
      `m=audio ${port} ${profile} ${type}${keys ? ` ${KEYS_TYPE}` : ''}`,
      `a=rtpmap:${type} ${name}/8000`,
      ...(keys ? [`a=rtpmap:${KEYS_TYPE} telephone-event/8000`, `a=fmtp:${KEYS_TYPE} 0-15`] : []),
      ...lines,
      `a=${direction}`,
      '',
    ].join('\r\n');
  }

  /** Rings `sip:NUMBER@ADDRESS:PORT`; what comes of it is waited for with `until`. */
  ring(address: string, offer: Offer | null = {}, headers: string[] = []): void {
    this.aim(address);
    this.callId = `${++ids}-${process.pid}-${Date.now()}@test`;
    this.tag = `t${ids}`;
    this.theirContact = address;
    this.theirTag = '';
    this.request('INVITE', offer === null ? '' : this.sdp(offer), headers);
  }

  /** It knows of another's call what everybody on the way knows, and not its tags. */
  knows(other: TestPhone): void {
    this.callId = other.callId;
    this.theirContact = other.theirContact;
    this.target = { ...other.target };
    this.tag = 'guessed';
    this.theirTag = 'guessed';
  }

  /** Where what is sent goes. */
  aim(address: string): void {
    const [, host, port] = /@([^:]+):(\d+)/.exec(address)!;
    this.target = { address: host!, port: Number(port) };
  }

  request(method: string, body = '', headers: string[] = [], uri = this.theirContact): void {
    if (method !== 'ACK' && method !== 'CANCEL') this.cseq++;
    if (method !== 'CANCEL') this.branch = `z9hG4bK${Math.random().toString(36).slice(2)}`;
    const sent = `${this.cseq} ${method}`;
    const { callId } = this;
    const isAnswered = () =>
      this.came.some(
        (one) => one.status !== null && one.header('CSeq') === sent && one.header('Call-ID') === callId,
      );
    this.insist(
      method === 'ACK' ? () => true : isAnswered,
      [
        `${method} ${uri} SIP/2.0`,
        `Via: SIP/2.0/UDP ${this.at}:${this.port};rport;branch=${this.branch}`,
        ...this.between(),
        `CSeq: ${this.cseq} ${method}`,
        'Max-Forwards: 70',
        `Contact: <sip:${this.options.user ?? 'walker'}@${this.at}:${this.port}>`,
        ...headers,
        ...(body === ''
          ? []
          : [`Content-Type: ${method === 'INFO' ? 'application/dtmf-relay' : 'application/sdp'}`]),
        `Content-Length: ${Buffer.byteLength(body)}`,
        '',
        body,
      ].join('\r\n'),
    );
  }

  /**
   * Sends it, and again as long as nothing comes of it: over UDP what is sent may be lost, or dropped by
   * whoever is busy (RFC 3261, section 17.1).
   */
  private insist(isAnswered: () => boolean, text: string): void {
    const target = { ...this.target };
    const again = (afterMs: number): void => {
      this.send(text, target);
      if (isAnswered() || afterMs > MOST_RESEND_MS) return;
      const timer = setTimeout(() => {
        this.resending.delete(timer);
        if (!isAnswered()) again(2 * afterMs);
      }, afterMs);
      this.resending.add(timer);
    };
    again(RESEND_MS);
  }

  private between(): string[] {
    const to = this.theirTag === '' ? '' : `;tag=${this.theirTag}`;
    return [
      `From: "Miller" <sip:${this.options.user ?? 'walker'}@${this.at}:${this.port}>;tag=${this.tag}`,
      `To: <${this.theirContact}>${to}`,
      `Call-ID: ${this.callId}`,
    ];
  }

  send(text: string | Buffer, { address, port } = this.target): void {
    this.sip.send(text, port, address);
  }

  reply({ headers, header }: SipText, status: string, body = '', more: string[] = []): void {
    const to = header('To').includes('tag=') ? header('To') : `${header('To')};tag=${this.tag}`;
    const [, port] = /SIP\/2\.0\/UDP [^:;]+:(\d+)/.exec(header('Via'))!;
    this.target.port = Number(port);
    const isAcknowledged = () =>
      this.came.some((one) => one.method === 'ACK' && one.header('Call-ID') === header('Call-ID'));
    const isFinal = header('CSeq').endsWith('INVITE') && status.startsWith('200');
    this.insist(
      isFinal ? isAcknowledged : () => true,
      [
        `SIP/2.0 ${status}`,
        ...headers('Via').map((via) => `Via: ${via}`),
        `From: ${header('From')}`,
        `To: ${to}`,
        `Call-ID: ${header('Call-ID')}`,
        `CSeq: ${header('CSeq')}`,
        `Contact: <sip:${this.options.user ?? 'walker'}@${this.at}:${this.port}>`,
        ...more,
        ...(body === '' ? [] : ['Content-Type: application/sdp']),
        `Content-Length: ${Buffer.byteLength(body)}`,
        '',
        body,
      ].join('\r\n'),
    );
  }

  private take(text: string): void {
    // Sound for whoever had this port before.
    if (!text.includes('SIP/2.0')) return;
    const message = readText(text);
    this.came.push(message);
    const { status, method } = message;
    if (status !== null) {
      if (method !== 'INVITE' || status < 200) return;
      this.theirTag = /tag=([^;>\s]+)/.exec(message.header('To'))?.[1] ?? '';
      this.theirContact = /<([^>]+)>/.exec(message.header('Contact'))?.[1] ?? this.theirContact;
      if (status < 300) this.connect(message.body);
      if (this.isPolite) this.request('ACK');
      return;
    }
    if (method === 'ACK' || !this.isPolite) return;
    if (method !== 'INVITE') return this.reply(message, method === 'REFER' ? '202 Accepted' : '200 OK');
    this.callId = message.header('Call-ID');
    this.tag = `t${++ids}`;
    this.theirTag = /tag=([^;>\s]+)/.exec(message.header('From'))?.[1] ?? '';
    this.theirContact = /<([^>]+)>/.exec(message.header('Contact'))![1]!;
    if (this.answer === 'busy') return this.reply(message, '486 Busy Here');
    this.reply(message, '180 Ringing');
    if (this.answer === 'ring') return;
    this.connect(message.body);
    this.reply(message, '200 OK', this.sdp());
  }

  private connect(sdp: string): void {
    const address = /^c=IN IP4 (\S+)/m.exec(sdp)?.[1];
    const port = /^m=audio (\d+)/m.exec(sdp)?.[1];
    if (address === undefined || port === undefined) return;
    this.sound = { address, port: Number(port) };
    if (this.ticking || this.isSilent) return;
    let next = performance.now();
    this.ticking = setInterval(() => {
      for (; next <= performance.now(); next += FRAME_MS) this.tick();
    }, 5);
  }

  /** Says this after what is being said. */
  say(samples: Int16Array): void {
    const { frame } = this;
    for (let at = 0; at < samples.length; at += frame) this.queue.push(samples.slice(at, at + frame));
  }

  private get frame(): number {
    return this.isWide ? 2 * FRAME_TICKS : FRAME_TICKS;
  }

  get isSaying(): boolean {
    return this.queue.length > 0;
  }

  press(keys: string): void {
    for (const key of keys) this.keys.push(...new Array<Key>(8).fill(key as Key));
  }

  /** No sound goes out any more, or ever. */
  fallSilent(): void {
    this.isSilent = true;
    if (this.ticking) clearInterval(this.ticking);
    this.ticking = null;
  }

  private keyFrame = 0;
  private keyTimestamp = 0;

  private tick(): void {
    this.timestamp = (this.timestamp + FRAME_TICKS) >>> 0;
    const key = this.keys.shift();
    if (key !== undefined) {
      const frame = this.keyFrame++ % 8;
      if (frame === 0) this.keyTimestamp = this.timestamp;
      const payload = Buffer.from([TELEPHONE_KEYS.indexOf(key), (frame >= 4 ? 0x80 : 0) | 10, 0, 0]);
      payload.writeUInt16BE(Math.min(frame + 1, 5) * FRAME_TICKS, 2);
      if (frame < 7) this.packet(KEYS_TYPE, payload, this.keyTimestamp);
      return;
    }
    const samples = this.queue.shift() ?? new Int16Array(this.frame);
    this.said.push(samples);
    this.startedMs ??= performance.now();
    if (this.isWide) this.packet(9, Buffer.from(this.encoder.encode(samples)), this.timestamp);
    else this.packet(0, Buffer.from(MU_LAW.encode(samples)), this.timestamp);
  }

  packet(payloadType: number, payload: Buffer, timestamp: number): void {
    const head = Buffer.alloc(12);
    head[0] = 0x80;
    head[1] = payloadType;
    this.sequence = (this.sequence + 1) & 0xffff;
    head.writeUInt16BE(this.sequence, 2);
    head.writeUInt32BE(timestamp, 4);
    head.writeUInt32BE(this.ssrc, 8);
    const lateMs = this.options.network?.(this.sent++) ?? (this.options.network ? null : 0);
    if (lateMs === null) return;
    const data = Buffer.concat([head, payload]);
    if (lateMs > 0) setTimeout(() => this.sendSound(data), lateMs);
    else this.sendSound(data);
  }

  sendSound(data: Buffer): void {
    const packet = this.seal?.out(data) ?? data;
    if (this.sound && !this.isClosed) this.rtp.send(packet, this.sound.port, this.sound.address);
  }

  private lastKey = -1;

  private takeSound(packet: Buffer): void {
    const data = this.seal ? this.seal.in(packet) : packet;
    if (!data) return;
    const payloadType = data[1]! & 0x7f;
    if (payloadType === KEYS_TYPE) {
      const timestamp = data.readUInt32BE(4);
      if (timestamp !== this.lastKey) this.keysHeard.push(TELEPHONE_KEYS[data[12]!]!);
      this.lastKey = timestamp;
      return;
    }
    const payload = data.subarray(12);
    const samples = payloadType === 9 ? this.decoder.decode(payload) : MU_LAW.decode(payload);
    this.heard.push({ samples, atMs: performance.now(), sequence: data.readUInt16BE(2), payloadType });
  }

  /** Both sides on the caller's axis: what was heard lies where it came. */
  get lanes(): { caller: Int16Array; assistant: Int16Array } {
    const caller = joinPcm16(this.said);
    const assistant = new Int16Array(caller.length);
    for (const { samples, atMs } of this.heard) {
      const at = Math.round((atMs - this.startedMs!) / FRAME_MS) * this.frame;
      if (at >= 0 && at + samples.length <= assistant.length) assistant.set(samples, at);
    }
    return { caller, assistant };
  }

  /** Everything that was heard, as one sound. */
  get heardSound(): Int16Array {
    return joinPcm16(this.heard.map(({ samples }) => samples));
  }

  last(method: string, status?: number): SipText | undefined {
    return this.came.findLast(
      (one) => one.method === method && (status === undefined ? one.status === null : one.status === status),
    );
  }

  hangUp(): void {
    this.request('BYE');
  }

  private isClosed = false;

  close(): void {
    this.fallSilent();
    for (const timer of this.resending) clearTimeout(timer);
    this.isClosed = true;
    this.sip.close();
    this.rtp.close();
  }
}
