/**
 * What a telephone, or whoever sends to its ports, may send: SIP, descriptions of sound, sound and its
 * reports, by a seed.
 */
import { seeded } from '@verbalon/core';
import { below, mutated, pick, type Random } from '../common/mutated.js';

const METHODS = [
  'INVITE',
  'INVITE',
  'INVITE',
  'ACK',
  'BYE',
  'CANCEL',
  'INFO',
  'OPTIONS',
  'REFER',
  'NOTIFY',
  'UPDATE',
  'PRACK',
  'REGISTER',
  'constructor',
];
const HOSTS = [
  '127.0.0.1',
  '127.0.0.9',
  '203.0.113.9',
  '0.0.0.0',
  '255.255.255.255',
  '224.0.0.1',
  'sound.example',
  '::1',
  '',
  '127.0.0.1/127/3',
];
const PORTS = [0, 1, 9, 5060, 40_000, 65_534, 65_535, 65_536, 70_000, -1, 1e300, 'x'];
const LINES = [
  'a=rtcp:70000',
  'a=rtcp:0',
  'a=rtcp:65535 IN IP4 203.0.113.9',
  'a=rtcp-mux',
  'a=ptime:0',
  'a=ptime:1e9',
  'a=fmtp:101 0-99999999',
  'a=rtpmap:0 __proto__/8000',
  'a=rtpmap:101 telephone-event/0',
  'a=inactive',
  'a=sendonly',
  'b=AS:-1',
  'm=video 9 RTP/AVP 31',
  'a=crypto:1 AES_CM_128_HMAC_SHA1_80 inline:AAAA',
  'a=crypto:1 AES_CM_128_HMAC_SHA1_80 inline:x|2^99|1:4',
  'a=crypto:9 NULL inline:',
  'a='.padEnd(4_000, 'a'),
];
const HEADERS = [
  'Session-Expires: 0',
  'Session-Expires: 1;refresher=uas',
  'Session-Expires: -9',
  'Min-SE: 99999999999',
  'Supported: timer,100rel',
  'Require: 100rel',
  'Route: <sip:203.0.113.9;lr>',
  'Record-Route: <sip:[::1]:0;lr>',
  'Replaces: a;to-tag=b;from-tag=c',
  'Refer-To: <sip:203.0.113.9>',
  'Content-Encoding: gzip',
  'Max-Forwards: -1',
  'Expires: 99999999999',
  'Contact: *',
  'Via: SIP/2.0/UDP 203.0.113.9:0;branch=x',
];
const BODIES = [
  'Signal=1\r\nDuration=160',
  'Signal=constructor\r\nDuration=1e300',
  'SIP/2.0 200 OK',
  '\0'.repeat(900),
];
/** Calls that are spoken of, so that some messages meet. */
const CALLS = 40;

/**
 * One message of SIP as a datagram. @param to `ADDRESS:PORT` of the service's telephone @param from the same
 * of the sender
 */
export function hostileSip(seed: number, to: string, from: string): Uint8Array {
  const random = seeded(seed);
  const whole = new TextEncoder().encode(random() < 0.12 ? answer(random, from) : request(random, to, from));
  return random() < 0.6 ? whole : mutated(whole, seed);
}

function request(random: Random, to: string, from: string): string {
  const method = pick(random, METHODS);
  const call = below(random, CALLS);
  const body =
    method === 'INFO' || random() < 0.1
      ? pick(random, BODIES)
      : method === 'ACK'
        ? ''
        : description(random, from);
  const tag = random() < 0.3 ? ';tag=guessed' : '';
  return [
    `${method} sip:${pick(random, ['100', '101', '', '__proto__', 'a'.repeat(900)])}@${to} SIP/2.0`,
    `Via: SIP/2.0/UDP ${random() < 0.9 ? from : pick(random, HOSTS)};rport;branch=z9hG4bK${call}-${below(random, 4)}`,
    `From: <sip:walker@${from}>;tag=t${call}`,
    `To: <sip:100@${to}>${tag}`,
    `Call-ID: ${call}@hostile`,
    `CSeq: ${pick(random, [1, 2, 3, 4_294_967_296, 'x'])} ${method}`,
    'Max-Forwards: 70',
    `Contact: <sip:walker@${random() < 0.9 ? from : pick(random, HOSTS)}>`,
    ...(random() < 0.4 ? [pick(random, HEADERS)] : []),
    `Content-Type: ${method === 'INFO' ? 'application/dtmf-relay' : 'application/sdp'}`,
    `Content-Length: ${random() < 0.95 ? body.length : pick(random, [0, -1, 1e9, 'x'])}`,
    '',
    body,
  ].join('\r\n');
}

function answer(random: Random, from: string): string {
  const call = below(random, CALLS);
  return [
    `SIP/2.0 ${pick(random, [100, 180, 200, 202, 401, 407, 486, 603, 999, 'x'])} OK`,
    `Via: SIP/2.0/UDP ${from};branch=z9hG4bK${call}-0`,
    `From: <sip:100@${from}>;tag=t${call}`,
    'To: <sip:walker@127.0.0.1>;tag=u',
    `Call-ID: ${call}@hostile`,
    `CSeq: 1 ${pick(random, METHODS)}`,
    'Content-Length: 0',
    '',
    '',
  ].join('\r\n');
}

function description(random: Random, from: string): string {
  const host = random() < 0.7 ? from.split(':')[0]! : pick(random, HOSTS);
  const port = random() < 0.6 ? 40_000 + 2 * below(random, 999) : pick(random, PORTS);
  const extra = Array.from({ length: below(random, 4) }, () => pick(random, LINES));
  return [
    'v=0',
    `o=x 1 1 IN IP4 ${host}`,
    's=-',
    `c=IN IP4 ${host}`,
    't=0 0',
    `m=audio ${port} ${pick(random, ['RTP/AVP', 'RTP/AVP', 'RTP/SAVP', 'UDP/TLS/RTP/SAVPF', ''])} ${pick(random, ['0 101', '8', '9 0 8 101', '999', ''])}`,
    'a=rtpmap:101 telephone-event/8000',
    ...extra,
    '',
  ].join('\r\n');
}

/** One packet of sound (RTP), or of a report on it (RTCP). */
export function hostilePacket(seed: number): Uint8Array {
  const random = seeded(seed);
  const packet = new Uint8Array(12 + pick(random, [0, 1, 4, 160, 160, 320, 1_400]));
  for (let i = 0; i < packet.length; i++) packet[i] = below(random, 256);
  packet[0] = pick(random, [0x80, 0x80, 0x90, 0xa0, 0x8f, 0x00]);
  packet[1] = pick(random, [0, 8, 9, 101, 127, 200, 201, 203, 255]);
  return random() < 0.7 ? packet : mutated(packet, seed);
}
