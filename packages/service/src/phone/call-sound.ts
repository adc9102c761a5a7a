/**
 * The sound of a telephone call: RTP in and out (RFC 3550), every 20 ms a frame. It knows of no signalling
 * and of no talk.
 */
import { randomInt } from 'node:crypto';
import type { RemoteInfo, Socket } from 'node:dgram';
import { Concealment, JitterBuffer, ToneDetector, type JitterCounts, type Key } from '@verbalon/core';
import { CLOCK_HZ, coderAt, type Codec, type Coder } from './codecs.js';
import type { SoundPorts, SoundSockets } from './ports.js';
import {
  isReport,
  readKeyEvent,
  readReception,
  readRtp,
  writeGoodbye,
  writeKeyEvent,
  writeReport,
  writeRtp,
  type Reception,
  type RtpPacket,
  type Sending,
} from './rtp-packet.js';
import type { RemoteSound } from './sdp.js';
import type { SoundSource } from './sound-source.js';
import { SrtpReceiver, SrtpSender } from './srtp.js';
import { FRAME_MS, type Ticker } from './ticker.js';

/** Ticks of RTP's clock in a frame. */
const FRAME_TICKS = (CLOCK_HZ * FRAME_MS) / 1_000;
const REPORT_MS = 5_000;
/**
 * A key that we send is down for so many frames, and its end is said so often (RFC 4733, section 2.5.1.4).
 */
const KEY_FRAMES = 5;
const KEY_ENDS = 3;
const KEY_PAUSE_FRAMES = 3;
/** A packet with more sound is nobody's, in bytes: 200 ms. */
const MOST_BYTES = 1_600;
/** Of RTP, RFC 3550, appendix A.8. */
const JITTER_SHARE = 1 / 16;

export interface SoundEvents {
  /** 20 ms of the caller's sound. */
  heard: (samples: Int16Array) => void;
  /** The next 20 ms of ours; null while nothing is to be heard. */
  wanted: (count: number) => Int16Array;
  key: (key: Key) => void;
  /** It came upon something that nobody foresaw, and is over. */
  failed: (error: unknown) => void;
}

/** What is told of a call's sound. */
export interface SoundCounts extends JitterCounts {
  sent: number;
  codec: Codec['name'];
  jitterMs: number;
  /** What the other side says it lost, of 1. */
  lostThere: number;
}

/** What is counted of a stream that begins with this packet (RFC 3550, appendix A). */
const receivedFrom = (sequence: number) => ({
  first: sequence,
  highest: sequence,
  packets: 0,
  expectedBefore: 0,
  packetsBefore: 0,
  jitter: 0,
  transit: 0,
});

/** What a call's sound goes through. Its rate is that of the first codec and stays: a talk's line has one. */
interface Way {
  rateHz: number;
  buffer: JitterBuffer;
  concealment: Concealment;
  tones: ToneDetector;
  codec: Codec;
  coder: Coder;
}

const wayAt = (rateHz: number) => ({
  rateHz,
  buffer: new JitterBuffer(rateHz, CLOCK_HZ),
  concealment: new Concealment(rateHz),
  tones: new ToneDetector(rateHz),
});

export class CallSound {
  private remote: RemoteSound | null = null;
  private way: Way | null = null;
  private seals: { ours: SrtpSender; theirs: SrtpReceiver } | null = null;
  private theirSsrc: number | null = null;
  private readonly ours = randomInt(2 ** 31);
  private sequence = randomInt(2 ** 15);
  private timestamp = randomInt(2 ** 31);
  private sent = { packets: 0, bytes: 0 };
  private received = receivedFrom(0);
  private lostThere = 0;
  private lastKeyAt: number | null = null;
  private keys: { key: Key; frame: number; timestamp: number }[] = [];
  private isTalking = false;
  private reportedMs = 0;
  private isClosed = false;
  /** When something last came, by `performance.now()`. */
  lastCameMs = performance.now();
  private readonly leave: () => void;

  constructor(
    private readonly sockets: SoundSockets,
    private readonly ports: SoundPorts,
    ticker: Ticker,
    private readonly source: SoundSource,
    private readonly events: SoundEvents,
  ) {
    sockets.rtp.on('message', (data, from) => this.guarded(() => this.take(data, from)));
    sockets.rtcp.on('message', (data, from) => this.guarded(() => this.takeReport(data, from)));
    this.leave = ticker.join((nowMs) => this.tick(nowMs), events.failed);
  }

  get port(): number {
    return this.sockets.port;
  }

  /** Of what is heard and wanted; null before it is known. */
  get rateHz(): number | null {
    return this.way?.rateHz ?? null;
  }

  /** Null before anything could be heard. */
  get counts(): SoundCounts | null {
    const { way } = this;
    return (
      way && {
        ...way.buffer.counts,
        sent: this.sent.packets,
        codec: way.codec.name,
        jitterMs: Math.round((this.received.jitter * 1_000) / CLOCK_HZ),
        lostThere: this.lostThere,
      }
    );
  }

  /**
   * Where the other side wants its sound, and how. @param master with which ours is sealed, where theirs is
   */
  connect(remote: RemoteSound, master: Buffer | null): void {
    this.source.describe(remote);
    const before = this.remote?.crypto?.master;
    this.remote = remote;
    const theirs = remote.crypto?.master;
    if (!theirs || master === null) this.seals = null;
    else if (!this.seals || !before?.equals(theirs))
      this.seals = { ours: this.seals?.ours ?? new SrtpSender(master), theirs: new SrtpReceiver(theirs) };
    const { codec } = remote;
    if (this.way?.codec === codec) return;
    const way = this.way ?? wayAt(codec.rateHz);
    this.way = { ...way, codec, coder: coderAt(codec, way.rateHz) };
  }

  /** Our answer has reached the other side. */
  acknowledged(): void {
    this.source.acknowledged(performance.now());
  }

  get isSealed(): boolean {
    return this.seals !== null;
  }

  /** Presses keys at the other side, one after the other. */
  press(keys: readonly Key[]): void {
    for (const key of keys) this.keys.push({ key, frame: 0, timestamp: 0 });
  }

  close(): void {
    if (this.isClosed) return;
    this.isClosed = true;
    this.leave();
    const { remote } = this;
    const isToldOf = remote !== null && this.sent.packets > 0;
    // The goodbye of our sound, and then the sockets.
    if (!isToldOf || !this.sendReport(writeGoodbye(this.sending), () => this.ports.close(this.sockets)))
      this.ports.close(this.sockets);
  }

  private guarded(work: () => void): void {
    try {
      work();
    } catch (error) {
      this.events.failed(error);
    }
  }

  private tick(nowMs: number): void {
    const { way } = this;
    if (!way) return;
    const frame = (way.rateHz * FRAME_MS) / 1_000;
    const { samples, there } = way.buffer.pull(frame, nowMs);
    this.events.heard(there ? way.concealment.heard(samples) : way.concealment.lost(frame));
    // What is not to go out yet is not taken either: a greeting is heard from its beginning.
    if (this.source.mayTalk(performance.now())) this.say(way.coder, this.events.wanted(frame));
    if (nowMs - this.reportedMs > REPORT_MS) this.report(nowMs);
  }

  private say(coder: Coder, samples: Int16Array): void {
    const { remote } = this;
    this.timestamp = (this.timestamp + FRAME_TICKS) >>> 0;
    if (!remote || remote.direction === 'inactive' || remote.direction === 'sendonly') return;
    if (this.keys.length > 0 && remote.keysType !== null) return this.sendKey(remote.keysType);
    this.send(remote.payloadType, Buffer.from(coder.encode(samples)), !this.isTalking, this.timestamp);
    this.isTalking = true;
  }

  private sendKey(payloadType: number): void {
    const event = this.keys[0]!;
    if (event.frame === 0) event.timestamp = this.timestamp;
    event.frame++;
    const isOver = event.frame >= KEY_FRAMES;
    if (event.frame < KEY_FRAMES + KEY_ENDS) {
      const samples = Math.min(event.frame, KEY_FRAMES) * FRAME_TICKS;
      this.send(
        payloadType,
        writeKeyEvent({ key: event.key, isOver, samples }),
        event.frame === 1,
        event.timestamp,
      );
    }
    this.isTalking = false;
    if (event.frame >= KEY_FRAMES + KEY_ENDS + KEY_PAUSE_FRAMES) this.keys.shift();
  }

  private send(payloadType: number, payload: Buffer, marker: boolean, timestamp: number): void {
    const { target } = this.source;
    if (!target) return;
    const { sequence, ours: ssrc } = this;
    this.sequence = (sequence + 1) & 0xffff;
    this.sent.packets++;
    this.sent.bytes += payload.length;
    const packet = writeRtp({ payloadType, marker, sequence, timestamp, ssrc, payload });
    sendTo(this.sockets.rtp, this.seals?.ours.protect(packet) ?? packet, target);
  }

  /** @returns false where it goes nowhere: then `sent` is not called */
  private sendReport(report: Buffer, sent?: () => void): boolean {
    const { target } = this.source;
    const port = this.remote?.rtcpPort ?? null;
    if (!target || port === null) return false;
    return sendTo(
      this.sockets.rtcp,
      this.seals?.ours.protectReport(report) ?? report,
      { address: target.address, port },
      sent,
    );
  }

  private get sending(): Sending {
    const { packets, bytes } = this.sent;
    const { address } = this.sockets.rtp.address();
    return {
      ssrc: this.ours,
      unixMs: Date.now(),
      timestamp: this.timestamp,
      packets,
      bytes,
      cname: `verbalon@${address}`,
    };
  }

  private take(data: Buffer, from: RemoteInfo): void {
    const opened = this.seals ? this.seals.theirs.open(data) : data;
    const packet = opened && readRtp(opened);
    if (!packet || !this.remote || this.isClosed) return;
    const { payloadType, ssrc } = packet;
    if (payloadType !== this.remote.payloadType && payloadType !== this.remote.keysType) return;
    if (!this.source.takes(from, ssrc)) return;
    this.lastCameMs = performance.now();
    if (ssrc !== this.theirSsrc) this.begin(packet);
    this.count(packet, this.lastCameMs);
    if (payloadType === this.remote.keysType) return this.takeKey(packet);
    if (packet.payload.length > MOST_BYTES) return;
    const { buffer, coder, tones } = this.way!;
    // As it comes: one that was overtaken disturbs G.722, whose bytes go by those before, for some ms.
    const samples = coder.decode(packet.payload);
    if (this.remote.keysType === null) {
      for (const key of tones.hear(samples)) this.events.key(key);
      // Else the ear would take it for a voice.
      if (tones.isDown) samples.fill(0);
    }
    buffer.put({ timestamp: packet.timestamp, samples }, this.lastCameMs);
  }

  /** A new stream of the other side's: it has started again, or is somebody else. */
  private begin({ ssrc, sequence }: RtpPacket): void {
    this.theirSsrc = ssrc;
    this.way!.buffer = new JitterBuffer(this.way!.rateHz, CLOCK_HZ);
    this.received = receivedFrom(sequence);
  }

  private count({ sequence, timestamp }: RtpPacket, nowMs: number): void {
    const { received } = this;
    const step = ((sequence - received.highest) << 16) >> 16;
    if (step > 0) received.highest += step;
    received.packets++;
    const transit = (nowMs * CLOCK_HZ) / 1_000 - timestamp;
    if (received.packets > 1)
      received.jitter +=
        (Math.min(CLOCK_HZ, Math.abs(transit - received.transit)) - received.jitter) * JITTER_SHARE;
    received.transit = transit;
  }

  /** A key is told once, at the first of its packets that comes. */
  private takeKey({ payload, timestamp }: RtpPacket): void {
    const event = readKeyEvent(payload);
    if (!event || timestamp === this.lastKeyAt) return;
    this.lastKeyAt = timestamp;
    this.events.key(event.key);
  }

  private takeReport(sealed: Buffer, from: RemoteInfo): void {
    if (!this.source.reports(from.address) || this.isClosed) return;
    const data = this.seals ? this.seals.theirs.openReport(sealed) : sealed;
    if (!data || !isReport(data)) return;
    this.lastCameMs = performance.now();
    const reception = readReception(data, this.ours);
    if (reception) this.lostThere = reception.fractionLost / 256;
  }

  private report(nowMs: number): void {
    this.reportedMs = nowMs;
    if (this.sent.packets > 0) this.sendReport(writeReport(this.sending, this.reception()));
  }

  private reception(): Reception | null {
    const { received, theirSsrc } = this;
    if (theirSsrc === null) return null;
    const expected = received.highest - received.first + 1;
    const since = expected - received.expectedBefore;
    const lost = since - (received.packets - received.packetsBefore);
    received.expectedBefore = expected;
    received.packetsBefore = received.packets;
    const fractionLost = since <= 0 || lost <= 0 ? 0 : Math.min(255, Math.round((lost * 256) / since));
    const { highest, jitter } = received;
    return {
      ssrc: theirSsrc,
      fractionLost,
      lost: Math.max(0, expected - received.packets),
      highestSequence: highest,
      jitterSamples: jitter,
    };
  }
}

/** Never throws: a packet that cannot be sent is lost, as on any way. @returns whether it is on its way */
function sendTo(
  socket: Socket,
  data: Buffer,
  { address, port }: { address: string; port: number },
  sent: () => void = () => undefined,
): boolean {
  try {
    socket.send(data, port, address, sent);
    return true;
  } catch {
    return false;
  }
}
