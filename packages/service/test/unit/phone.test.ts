/** What comes by telephone: packets, descriptions and messages, whole and broken in every way. */
import { networkInterfaces } from 'node:os';
import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import pino from 'pino';
import { joinPcm16, levelDb, toFloats } from '@verbalon/core';
import { MayRing } from '../../src/phone/may-ring.js';
import {
  readKeyEvent,
  readReception,
  readRtp,
  writeGoodbye,
  writeKeyEvent,
  writeReport,
  writeRtp,
} from '../../src/phone/rtp-packet.js';
import { CODECS, coderAt } from '../../src/phone/codecs.js';
import { addressOf } from '../../src/phone/hand-over.js';
import { answering, readSdp, writeSdp } from '../../src/phone/sdp.js';
import { SessionTimer } from '../../src/phone/session-timer.js';
import { isRequest, readSip } from '../../src/phone/sip-end.js';
import { MessageStream } from '../../src/phone/sip-sockets.js';
import { OFFER } from '../../../../testing/sdp-offer.js';

const log = pino({ level: 'silent' });
const INVITE = [
  'INVITE sip:100@127.0.0.1:5060 SIP/2.0',
  'Via: SIP/2.0/UDP 127.0.0.1:4000;rport;branch=z9hG4bK1',
  'From: "Miller" <sip:m@127.0.0.1>;tag=1',
  'To: <sip:100@127.0.0.1>',
  'Call-ID: 1@test',
  'CSeq: 1 INVITE',
  'Contact: <sip:m@127.0.0.1:4000>',
  'Max-Forwards: 70',
  'Content-Type: application/sdp',
  `Content-Length: ${OFFER.length}`,
  '',
  OFFER,
].join('\r\n');

/** Text or bytes with a few places changed. */
const mutated = (whole: Buffer) =>
  fc
    .array(fc.tuple(fc.nat(whole.length - 1), fc.nat(255), fc.constantFrom('set', 'cut', 'double')), {
      minLength: 1,
      maxLength: 8,
    })
    .map((changes) => {
      let bytes = Buffer.from(whole);
      for (const [at, value, how] of changes) {
        const i = at % Math.max(1, bytes.length);
        if (how === 'set') bytes[i] = value;
        else if (how === 'cut')
          bytes = Buffer.concat([bytes.subarray(0, i), bytes.subarray(i + 1 + (value % 20))]);
        else
          bytes = Buffer.concat([
            bytes.subarray(0, i),
            bytes.subarray(Math.max(0, i - value)),
            bytes.subarray(i),
          ]);
      }
      return bytes;
    });

describe('RTP', () => {
  const packet = {
    payloadType: 0,
    marker: true,
    sequence: 65_535,
    timestamp: 2 ** 32 - 5,
    ssrc: 7,
    payload: Buffer.from([1, 2, 3]),
  };

  it('is read as it was written, with its extensions and padding left out', () => {
    expect(readRtp(writeRtp(packet))).toEqual(packet);
    const more = Buffer.concat([
      writeRtp({ ...packet, payload: Buffer.alloc(0) }),
      Buffer.from([0xbe, 0xde, 0, 1, 9, 9, 9, 9, 5, 6, 0, 2]),
    ]);
    more[0]! |= 0x30;
    expect(readRtp(more)!.payload).toEqual(Buffer.from([5, 6]));
  });

  it('of keys goes both ways, and other events are none', () => {
    const event = { key: '#' as const, isOver: true, samples: 800 };
    expect(readKeyEvent(writeKeyEvent(event))).toEqual(event);
    expect(readKeyEvent(Buffer.from([16, 0, 0, 0]))).toBeNull();
  });

  it('reports say what was lost to whom', () => {
    const sending = {
      ssrc: 7,
      unixMs: 1_700_000_000_500,
      timestamp: 160,
      packets: 10,
      bytes: 1_600,
      cname: 'verbalon@127.0.0.1',
    };
    const reception = { ssrc: 9, fractionLost: 200, lost: 5, highestSequence: 70_000, jitterSamples: 40 };
    const report = writeReport(sending, reception);
    expect(readReception(report, 9)).toEqual({ fractionLost: 200, jitterSamples: 40 });
    expect(readReception(report, 8)).toBeNull();
    expect(readReception(writeGoodbye(sending), 9)).toBeNull();
    // In whole words, as every packet of a compound one is.
    expect(report.length % 4).toBe(0);
  });

  it('stands 3,000 packets that were changed on their way', () => {
    const whole = Buffer.concat([
      writeRtp(packet),
      writeReport({ ssrc: 7, unixMs: 0, timestamp: 0, packets: 0, bytes: 0, cname: 'x' }, null),
    ]);
    fc.assert(
      fc.property(mutated(whole), (data) => {
        readRtp(data);
        readReception(data, 7);
        readKeyEvent(data);
      }),
      { numRuns: 3_000 },
    );
  });
});

describe('a description of sound', () => {
  it('is read, and answered with the first codec that both speak', () => {
    const remote = readSdp(OFFER)!;
    expect(remote).toMatchObject({
      address: '127.0.0.1',
      port: 4000,
      rtcpPort: 4001,
      codec: { name: 'PCMA', rateHz: 8_000 },
      payloadType: 8,
      keysType: 101,
      direction: 'sendrecv',
    });
    const answer = writeSdp(
      {
        address: '127.0.0.1',
        port: 20_000,
        version: 1,
        session: 3,
        direction: 'sendrecv',
        master: null,
        mustSeal: false,
      },
      remote,
    );
    expect(answer).toContain('m=audio 20000 RTP/AVP 8 101');
    expect(readSdp(answer)).toMatchObject({ codec: { name: 'PCMA' }, port: 20_000 });
  });

  it('knows a codec by its number where nothing else is said, and the old way to hold a call', () => {
    const plain = OFFER.replace(/a=rtpmap:(8|0).*\r\n/g, '');
    expect(readSdp(plain)).toMatchObject({ codec: { name: 'PCMA' } });
    // Its clock is said to be 8 kHz, though its sound has 16 (RFC 3551).
    expect(readSdp(plain.replace('18 8', '9 8'))).toMatchObject({ codec: { name: 'G722', rateHz: 16_000 } });
    const named = OFFER.replace('18 8', '99 8').replace('a=rtpmap:8', 'a=rtpmap:99 G722/8000\r\na=rtpmap:8');
    expect(readSdp(named)).toMatchObject({ codec: { name: 'G722' }, payloadType: 99 });
    expect(readSdp(OFFER.replace('c=IN IP4 127.0.0.1', 'c=IN IP4 0.0.0.0'))).toMatchObject({
      direction: 'inactive',
    });
    expect((['sendrecv', 'sendonly', 'recvonly', 'inactive'] as const).map(answering)).toEqual([
      'sendrecv',
      'recvonly',
      'sendonly',
      'inactive',
    ]);
  });

  it.each([
    '',
    'v=0',
    OFFER.replace('RTP/AVP 18 8 0 101', 'RTP/AVP 18'),
    OFFER.replace('audio 4000', 'audio 0'),
    OFFER.replace('RTP/AVP', 'RTP/SAVP'),
  ])('without sound that is spoken here is none (%#)', (text) => {
    expect(readSdp(text)).toBeNull();
  });
});

describe('a codec', () => {
  const tone = (rateHz: number) =>
    Int16Array.from({ length: rateHz / 50 }, (_, i) => 8_000 * Math.sin((2 * Math.PI * 400 * i) / rateHz));
  const cases = CODECS.flatMap((codec) =>
    [8_000, 16_000].map((rateHz) => ({ name: codec.name, codec, rateHz })),
  );

  it.each(cases)(
    '$name gives back what was said, 20 ms in 160 bytes, on a line of $rateHz Hz',
    ({ codec, rateHz }) => {
      const coder = coderAt(codec, rateHz);
      const heard: Int16Array[] = [];
      for (let i = 0; i < 10; i++) {
        const payload = coder.encode(tone(rateHz));
        expect(payload).toHaveLength(160);
        heard.push(coder.decode(payload));
        expect(heard.at(-1)).toHaveLength(rateHz / 50);
      }
      // It comes a little later, and is as loud: -15.3 dB.
      expect(levelDb(toFloats(joinPcm16(heard.slice(3))))).toBeCloseTo(-15.3, 0);
    },
  );
});

describe('SIP', () => {
  it('is read; what lacks a part that all messages have is none', () => {
    const message = readSip(INVITE, log)!;
    expect(isRequest(message) && message.method).toBe('INVITE');
    for (const part of ['Via', 'From', 'To', 'Call-ID', 'CSeq'])
      expect(readSip(INVITE.replace(new RegExp(`^${part}: .*\r\n`, 'm'), ''), log)).toBeNull();
  });

  it('stands 3,000 messages that were changed on their way', () => {
    fc.assert(
      fc.property(mutated(Buffer.from(INVITE)), (data) => {
        const message = readSip(data.toString('utf8'), log);
        if (message?.body) readSdp(message.body);
      }),
      { numRuns: 3_000 },
    );
  });

  it('comes whole out of a stream, however it is cut', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 400 }), { minLength: 1, maxLength: 20 }), (cuts) => {
        const got: string[] = [];
        const stream = new MessageStream((text) => got.push(text));
        let rest = Buffer.from(`${INVITE}\r\n\r\n${INVITE}`);
        let answers = '';
        for (let i = 0; rest.length > 0; i++) {
          const length = cuts[i % cuts.length]!;
          answers += stream.take(rest.subarray(0, length)) ?? '';
          rest = rest.subarray(length);
        }
        expect(got).toEqual([INVITE, INVITE]);
        expect(answers === '\r\n' || answers === '').toBe(true);
      }),
    );
    expect(new MessageStream(() => undefined).take(Buffer.alloc(100_000, 'a'))).toBeNull();
  });
});

describe('who may ring', () => {
  it('is this machine alone, at all of its addresses, where nobody is named', () => {
    const usual = new MayRing(undefined);
    for (const address of ['127.0.0.1', '127.0.0.2', '::1']) expect(usual.allows(address)).toBe(true);
    for (const all of Object.values(networkInterfaces()))
      for (const { address } of all ?? []) expect(usual.allows(address)).toBe(true);
    expect(usual.allows('203.0.113.9')).toBe(false);
  });

  it('is else whoever is named and nobody else; strangers are kept once, and not without end', () => {
    const named = new MayRing(['10.0.0.0/8', '203.0.113.9']);
    expect(['10.1.2.3', '203.0.113.9', '127.0.0.1'].map((one) => named.allows(one))).toEqual([
      true,
      true,
      false,
    ]);
    expect([named.turnAway('198.51.100.1'), named.turnAway('198.51.100.1')]).toEqual([true, false]);
    for (let i = 0; i < 100; i++) named.turnAway(`198.51.100.${i}`);
    expect(named.strangers).toHaveLength(20);
    expect(named.strangers[0]).toBe('198.51.100.1');
    expect(() => new MayRing(['nowhere'])).toThrow();
  });
});

describe('a session timer', () => {
  it('is agreed to where the other side knows of it', () => {
    const headed = (headers: Record<string, string>) => ({ getHeader: (name: string) => headers[name] });
    const timer = new SessionTimer(() => undefined);
    expect(
      timer.answer(headed({ 'session-expires': '600;refresher=uac', supported: 'timer, replaces' })),
    ).toEqual(['Require: timer', 'Session-Expires: 600;refresher=uac']);
    expect(timer.answer(headed({ 'session-expires': '600' }))).toEqual([]);
    expect(timer.answer(headed({}))).toEqual([]);
    timer.stop();
  });
});

describe('to whom a caller is handed over', () => {
  it('is named by what the caller has said', () => {
    expect(addressOf({ to: 'sip:{hut}@127.0.0.1:5066' }, { hut: 'Heron Hut' })).toBe(
      'sip:heron-hut@127.0.0.1:5066',
    );
    expect(addressOf({ to: 'sip:warden@huts.example' }, {})).toBe('sip:warden@huts.example');
    expect(addressOf({ to: 'sip:{hut}@127.0.0.1' }, { hut: '>\r\nX: 1' })).toBe('sip:x-1@127.0.0.1');
  });
});
