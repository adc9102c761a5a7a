/**
 * Packets of RTP and RTCP (RFC 3550) and the telephone's keys in them (RFC 4733), read and written. Nothing
 * in a packet is believed before it was measured.
 */
import { TELEPHONE_KEYS, type Key } from '@verbalon/core';

const VERSION = 2;
const HEADER_BYTES = 12;

export interface RtpPacket {
  payloadType: number;
  marker: boolean;
  sequence: number;
  timestamp: number;
  ssrc: number;
  payload: Buffer;
}

/** @returns null for what is no RTP packet */
export function readRtp(data: Buffer): RtpPacket | null {
  if (data.length < HEADER_BYTES || data[0]! >> 6 !== VERSION) return null;
  let from = HEADER_BYTES + (data[0]! & 0x0f) * 4;
  if (data[0]! & 0x10) {
    if (data.length < from + 4) return null;
    from += 4 + data.readUInt16BE(from + 2) * 4;
  }
  const padding = data[0]! & 0x20 ? data.at(-1)! : 0;
  if (from + padding > data.length) return null;
  return {
    payloadType: data[1]! & 0x7f,
    marker: (data[1]! & 0x80) !== 0,
    sequence: data.readUInt16BE(2),
    timestamp: data.readUInt32BE(4),
    ssrc: data.readUInt32BE(8),
    payload: data.subarray(from, data.length - padding),
  };
}

export function writeRtp({ payloadType, marker, sequence, timestamp, ssrc, payload }: RtpPacket): Buffer {
  const data = Buffer.allocUnsafe(HEADER_BYTES + payload.length);
  data[0] = VERSION << 6;
  data[1] = (marker ? 0x80 : 0) | payloadType;
  data.writeUInt16BE(sequence & 0xffff, 2);
  data.writeUInt32BE(timestamp >>> 0, 4);
  data.writeUInt32BE(ssrc, 8);
  payload.copy(data, HEADER_BYTES);
  return data;
}

/** A key in a packet: which one, for how many samples by now, and whether it is up again. */
export interface KeyEvent {
  key: Key;
  isOver: boolean;
  samples: number;
}

/** @returns null for another event than a key */
export function readKeyEvent(payload: Buffer): KeyEvent | null {
  const key = payload.length < 4 ? undefined : TELEPHONE_KEYS[payload[0]!];
  return key ? { key, isOver: (payload[1]! & 0x80) !== 0, samples: payload.readUInt16BE(2) } : null;
}

/** −10 dBm0, as telephones do. */
const KEY_VOLUME = 10;

export function writeKeyEvent({ key, isOver, samples }: KeyEvent): Buffer {
  const payload = Buffer.from([TELEPHONE_KEYS.indexOf(key), (isOver ? 0x80 : 0) | KEY_VOLUME, 0, 0]);
  payload.writeUInt16BE(Math.min(0xffff, samples), 2);
  return payload;
}

const SENDER_REPORT = 200;
const RECEIVER_REPORT = 201;
const DESCRIPTION = 202;
const GOODBYE = 203;
/** Of RTCP as RFC 3550 has it: what an application says. */
const LAST_TYPE = 204;
const CNAME = 1;
/** A signed number of 24 bits (RFC 3550, section 6.4.1). */
const MOST_LOST = 0x7f_ffff;
/** From 1900 to 1970, in s. */
const NTP_EPOCH_S = 2_208_988_800;

/** What we received of the other side, as it is told to it. */
export interface Reception {
  ssrc: number;
  /** Of 256, since the last report. */
  fractionLost: number;
  lost: number;
  highestSequence: number;
  jitterSamples: number;
}

export interface Sending {
  ssrc: number;
  unixMs: number;
  timestamp: number;
  packets: number;
  bytes: number;
  cname: string;
}

/** A compound packet: a sender's report and who it is of. */
export function writeReport(sending: Sending, reception: Reception | null): Buffer {
  const report = Buffer.alloc(28 + (reception ? 24 : 0));
  writeHeader(report, SENDER_REPORT, reception ? 1 : 0);
  report.writeUInt32BE(sending.ssrc, 4);
  report.writeUInt32BE((Math.floor(sending.unixMs / 1_000) + NTP_EPOCH_S) >>> 0, 8);
  report.writeUInt32BE(Math.floor(((sending.unixMs % 1_000) / 1_000) * 2 ** 32) >>> 0, 12);
  report.writeUInt32BE(sending.timestamp >>> 0, 16);
  report.writeUInt32BE(sending.packets >>> 0, 20);
  report.writeUInt32BE(sending.bytes >>> 0, 24);
  if (reception) {
    report.writeUInt32BE(reception.ssrc, 28);
    report.writeUInt8(reception.fractionLost & 0xff, 32);
    report.writeUIntBE(Math.min(MOST_LOST, Math.max(0, reception.lost)), 33, 3);
    report.writeUInt32BE(reception.highestSequence >>> 0, 36);
    report.writeUInt32BE(Math.round(reception.jitterSamples) >>> 0, 40);
  }
  return Buffer.concat([report, writeDescription(sending)]);
}

export function writeGoodbye(sending: Sending): Buffer {
  const goodbye = Buffer.alloc(8);
  writeHeader(goodbye, GOODBYE, 1);
  goodbye.writeUInt32BE(sending.ssrc, 4);
  return Buffer.concat([writeReport(sending, null), goodbye]);
}

function writeHeader(data: Buffer, type: number, count: number): void {
  data[0] = (VERSION << 6) | count;
  data[1] = type;
  data.writeUInt16BE(data.length / 4 - 1, 2);
}

function writeDescription({ ssrc, cname }: Sending): Buffer {
  const name = Buffer.from(cname, 'latin1').subarray(0, 255);
  const data = Buffer.alloc(Math.ceil((8 + 2 + name.length + 1) / 4) * 4);
  writeHeader(data, DESCRIPTION, 1);
  data.writeUInt32BE(ssrc, 4);
  data[8] = CNAME;
  data[9] = name.length;
  name.copy(data, 10);
  return data;
}

/** Is it a packet of RTCP (RFC 3550, appendix A.2)? */
export function isReport(data: Buffer): boolean {
  if (data.length < 8 || data[0]! >> 6 !== VERSION) return false;
  return data[1]! >= SENDER_REPORT && data[1]! <= LAST_TYPE && (data.readUInt16BE(2) + 1) * 4 <= data.length;
}

/**
 * What the other side says of our sound, in a packet of reports. @returns null where it says nothing of it
 */
export function readReception(
  data: Buffer,
  ssrc: number,
): Pick<Reception, 'fractionLost' | 'jitterSamples'> | null {
  for (let at = 0; at + 8 <= data.length;) {
    if (data[at]! >> 6 !== VERSION) return null;
    const bytes = (data.readUInt16BE(at + 2) + 1) * 4;
    const type = data[at + 1]!;
    const blocks = at + (type === SENDER_REPORT ? 28 : 8);
    if (type === SENDER_REPORT || type === RECEIVER_REPORT)
      for (let i = 0; i < (data[at]! & 0x1f); i++) {
        const block = blocks + i * 24;
        if (block + 24 > Math.min(data.length, at + bytes)) break;
        if (data.readUInt32BE(block) === ssrc)
          return { fractionLost: data[block + 4]!, jitterSamples: data.readUInt32BE(block + 12) };
      }
    at += bytes;
  }
  return null;
}
