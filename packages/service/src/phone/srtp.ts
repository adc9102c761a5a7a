/**
 * Encrypted sound: SRTP and SRTCP (RFC 3711) with AES-CM of 128 bits and HMAC-SHA1 of 80, whose keys stand in
 * the description (SDES, RFC 4568). No MKI, no key derivation rate.
 */
import { createCipheriv, createHmac, randomBytes, timingSafeEqual } from 'node:crypto';

export const SRTP_SUITE = 'AES_CM_128_HMAC_SHA1_80';
/** Of a master key and its salt together, in bytes. */
export const MASTER_BYTES = 30;
const KEY_BYTES = 16;
const SALT_BYTES = 14;
const AUTH_KEY_BYTES = 20;
const TAG_BYTES = 10;
const RTP_HEADER_BYTES = 12;
const RTCP_HEADER_BYTES = 8;
/** Packets so far behind the newest one are too old, and each one within counts once (section 3.3.2). */
const REPLAY_WINDOW = 64;
/** Streams of one side: each has its own count of packets. A side that names more is not believed. */
const MOST_STREAMS = 4;
/** Of SRTCP: the rest of the packet is encrypted. */
const ENCRYPTED = 0x8000_0000;
/** Labels of session keys (section 4.3.2). */
const LABELS = { rtp: { key: 0, auth: 1, salt: 2 }, rtcp: { key: 3, auth: 4, salt: 5 } } as const;

export const newMaster = (): Buffer => randomBytes(MASTER_BYTES);

interface Keys {
  key: Buffer;
  auth: Buffer;
  salt: Buffer;
}

/** Session keys of a master key (section 4.3). @param master key and salt, MASTER_BYTES */
export function sessionKeys(master: Buffer, use: keyof typeof LABELS): Keys {
  const [key, salt] = [master.subarray(0, KEY_BYTES), master.subarray(KEY_BYTES, MASTER_BYTES)];
  const derived = (label: number, bytes: number) => {
    const iv = Buffer.alloc(16);
    salt.copy(iv);
    iv[7]! ^= label;
    return createCipheriv('aes-128-ctr', key, iv).update(Buffer.alloc(bytes));
  };
  const { key: k, auth, salt: s } = LABELS[use];
  return { key: derived(k, KEY_BYTES), auth: derived(auth, AUTH_KEY_BYTES), salt: derived(s, SALT_BYTES) };
}

/**
 * AES in counter mode over a payload (section 4.1.1): the same there and back. @param index of the packet, up
 * to 2^48
 */
function ciphered({ key, salt }: Keys, ssrc: number, index: number, payload: Buffer): Buffer {
  const iv = Buffer.alloc(16);
  salt.copy(iv);
  const mixed = Buffer.alloc(16);
  mixed.writeUInt32BE(ssrc, 4);
  mixed.writeUIntBE(index, 8, 6);
  for (let i = 0; i < 14; i++) iv[i]! ^= mixed[i]!;
  return createCipheriv('aes-128-ctr', key, iv).update(payload);
}

function tagOf({ auth }: Keys, ...parts: Buffer[]): Buffer {
  const hmac = createHmac('sha1', auth);
  for (const part of parts) hmac.update(part);
  return hmac.digest().subarray(0, TAG_BYTES);
}

const fourBytes = (value: number): Buffer => {
  const bytes = Buffer.alloc(4);
  bytes.writeUInt32BE(value >>> 0);
  return bytes;
};

/** Where a packet's payload begins; its whole length for what is no packet. */
function headerOf(packet: Buffer): number {
  let bytes = RTP_HEADER_BYTES + (packet[0]! & 0x0f) * 4;
  if (packet[0]! & 0x10 && packet.length >= bytes + 4) bytes += 4 + packet.readUInt16BE(bytes + 2) * 4;
  return Math.min(packet.length, bytes);
}

/** What we send: one stream. */
export class SrtpSender {
  private readonly rtp: Keys;
  private readonly rtcp: Keys;
  private rollover = 0;
  private last: number | null = null;
  private reports = 0;

  constructor(master: Buffer) {
    this.rtp = sessionKeys(master, 'rtp');
    this.rtcp = sessionKeys(master, 'rtcp');
  }

  /** @param packet of RTP, in the order of its numbers */
  protect(packet: Buffer): Buffer {
    const sequence = packet.readUInt16BE(2);
    if (this.last !== null && sequence < this.last && this.last - sequence > 0x8000) this.rollover++;
    this.last = sequence;
    const header = headerOf(packet);
    const index = this.rollover * 0x1_0000 + sequence;
    const sealed = Buffer.concat([
      packet.subarray(0, header),
      ciphered(this.rtp, packet.readUInt32BE(8), index, packet.subarray(header)),
    ]);
    return Buffer.concat([sealed, tagOf(this.rtp, sealed, fourBytes(this.rollover))]);
  }

  protectReport(packet: Buffer): Buffer {
    const index = this.reports++;
    const payload = ciphered(this.rtcp, packet.readUInt32BE(4), index, packet.subarray(RTCP_HEADER_BYTES));
    const sealed = Buffer.concat([
      packet.subarray(0, RTCP_HEADER_BYTES),
      payload,
      fourBytes(ENCRYPTED + index),
    ]);
    return Buffer.concat([sealed, tagOf(this.rtcp, sealed)]);
  }
}

/** Packets of one stream that have come: which of them is new. */
class Window {
  private highest = -1;
  private readonly seen = new Set<number>();

  /** The index of a packet with this number (section 3.3.1). */
  indexOf(sequence: number): number {
    if (this.highest < 0) return sequence;
    const [rollover, newest] = [Math.floor(this.highest / 0x1_0000), this.highest % 0x1_0000];
    const turns = sequence - newest > 0x8000 ? -1 : newest - sequence > 0x8000 ? 1 : 0;
    return Math.max(0, rollover + turns) * 0x1_0000 + sequence;
  }

  isNew(index: number): boolean {
    return index > this.highest - REPLAY_WINDOW && !this.seen.has(index);
  }

  take(index: number): void {
    this.highest = Math.max(this.highest, index);
    this.seen.add(index);
    if (this.seen.size > 2 * REPLAY_WINDOW)
      for (const one of this.seen) if (one <= this.highest - REPLAY_WINDOW) this.seen.delete(one);
  }
}

/** What the other side sends. Packets that are not its own, or come again, are none. */
export class SrtpReceiver {
  private readonly rtp: Keys;
  private readonly rtcp: Keys;
  private readonly streams = new Map<number, Window>();
  private readonly reports = new Window();

  constructor(master: Buffer) {
    this.rtp = sessionKeys(master, 'rtp');
    this.rtcp = sessionKeys(master, 'rtcp');
  }

  /** @returns the packet of RTP; null for one that was not sealed with the key, or has come before */
  open(data: Buffer): Buffer | null {
    if (data.length < RTP_HEADER_BYTES + TAG_BYTES) return null;
    const sealed = data.subarray(0, data.length - TAG_BYTES);
    const [sequence, ssrc] = [data.readUInt16BE(2), data.readUInt32BE(8)];
    const window = this.streams.get(ssrc) ?? new Window();
    const index = window.indexOf(sequence);
    const tag = tagOf(this.rtp, sealed, fourBytes(Math.floor(index / 0x1_0000)));
    if (!timingSafeEqual(tag, data.subarray(-TAG_BYTES)) || !window.isNew(index)) return null;
    if (!this.streams.has(ssrc) && this.streams.size >= MOST_STREAMS) return null;
    this.streams.set(ssrc, window);
    window.take(index);
    const header = headerOf(sealed);
    return Buffer.concat([
      sealed.subarray(0, header),
      ciphered(this.rtp, ssrc, index, sealed.subarray(header)),
    ]);
  }

  /** @returns the packet of RTCP; null as above */
  openReport(data: Buffer): Buffer | null {
    if (data.length < RTCP_HEADER_BYTES + 4 + TAG_BYTES) return null;
    const sealed = data.subarray(0, data.length - TAG_BYTES);
    if (!timingSafeEqual(tagOf(this.rtcp, sealed), data.subarray(-TAG_BYTES))) return null;
    const mark = sealed.readUInt32BE(sealed.length - 4);
    const index = mark % ENCRYPTED;
    if (!this.reports.isNew(index)) return null;
    this.reports.take(index);
    const [header, payload] = [sealed.subarray(0, RTCP_HEADER_BYTES), sealed.subarray(RTCP_HEADER_BYTES, -4)];
    return mark < ENCRYPTED
      ? Buffer.concat([header, payload])
      : Buffer.concat([header, ciphered(this.rtcp, data.readUInt32BE(4), index, payload)]);
  }
}
