/**
 * The sound of a call: whose it is, where it may go, sealed; and that whatever it comes upon ends nothing but
 * the call.
 */
import { describe, expect, it } from '@jest/globals';
import { CallSound } from '../../src/phone/call-sound.js';
import { SoundPorts, type SoundSockets } from '../../src/phone/ports.js';
import { writeReport, writeRtp } from '../../src/phone/rtp-packet.js';
import { readSdp } from '../../src/phone/sdp.js';
import { ourAddresses } from '../../src/common/plain-address.js';
import { SoundSource } from '../../src/phone/sound-source.js';
import { newMaster, sessionKeys, SrtpReceiver, SrtpSender } from '../../src/phone/srtp.js';
import { Ticker } from '../../src/phone/ticker.js';
import { OFFER } from '../../../../testing/sdp-offer.js';

describe('what a description may not name', () => {
  it.each([
    ['a name, which would be looked up', OFFER.replace('c=IN IP4 127.0.0.1', 'c=IN IP4 sound.example')],
    ['a port that is none', OFFER.replace('audio 4000', 'audio 70000')],
    ['sealed sound without a key', OFFER.replace('RTP/AVP', 'RTP/SAVP')],
    [
      'a key of another length',
      OFFER.replace('RTP/AVP', 'RTP/SAVP').replace(
        'a=sendrecv',
        'a=crypto:1 AES_CM_128_HMAC_SHA1_80 inline:c2hvcnQ=\r\na=sendrecv',
      ),
    ],
  ])('%s: there is no sound', (_, text) => expect(readSdp(text)).toBeNull());

  it.each([
    ['65535', 'a=sendrecv', null],
    ['4000', 'a=rtcp:70000\r\na=sendrecv', null],
    ['4000', 'a=rtcp:0\r\na=sendrecv', null],
    ['4000', 'a=rtcp:4009\r\na=sendrecv', 4_009],
  ])('reports go to a port that there is, or nowhere: %s %s', (port, line, rtcpPort) => {
    const text = OFFER.replace('audio 4000', `audio ${port}`).replace('a=sendrecv', line);
    expect(readSdp(text)).toMatchObject({ port: Number(port), rtcpPort });
  });

  it('is a third host: its sound would go there, and it would speak for the caller', () => {
    const source = new SoundSource(
      () => '198.51.100.7',
      (address) => address.startsWith('203.0.113.'),
    );
    expect(
      ['198.51.100.7', '203.0.113.9', '10.1.2.3', '192.0.2.1', '0.0.0.0'].map((address) =>
        source.mayDescribe({ address }),
      ),
    ).toEqual([true, true, true, false, true]);
  });
});

it('a telephone of this machine may name any address of it, and nobody else may', () => {
  const of = (peer: string) =>
    new SoundSource(
      () => peer,
      () => false,
    );
  for (const address of ourAddresses()) expect(of('127.0.0.1').mayDescribe({ address })).toBe(true);
  expect(of('127.0.0.1').mayDescribe({ address: '203.0.113.9' })).toBe(false);
  const sound = of('203.0.113.9');
  for (const address of ourAddresses()) {
    sound.describe({ address, port: 4_000 });
    expect(sound.target).toBeNull();
  }
});

describe('whose sound is heard', () => {
  const [caller, stranger] = ['198.51.100.7', '203.0.113.66'];
  const source = (address = caller, port = 4_000) => {
    const made = new SoundSource(
      () => caller,
      () => false,
    );
    made.describe({ address, port });
    return made;
  };

  it('is the caller’s, and no stranger’s, not even before the caller’s first packet', () => {
    const on = source();
    expect(on.takes({ address: stranger, port: 4_000 }, 1)).toBe(false);
    expect(on.target).toMatchObject({ address: caller, port: 4_000 });
    expect(on.takes({ address: caller, port: 4_000 }, 2)).toBe(true);
    expect(on.takes({ address: stranger, port: 9 }, 2)).toBe(false);
    expect([on.reports(stranger), on.reports(caller)]).toEqual([false, true]);
  });

  it('comes behind a router from another port of the address that rings, and then from that one alone', () => {
    const on = source('10.0.0.5');
    expect(on.target).toBeNull();
    for (let i = 0; i < 3; i++) expect(on.takes({ address: caller, port: 7_000 }, 5)).toBe(true);
    expect(on.target).toMatchObject({ address: caller, port: 7_000 });
    expect(on.takes({ address: caller, port: 7_001 }, 5)).toBe(false);
    expect(on.takes({ address: caller, port: 7_000 }, 6)).toBe(false);
  });

  it('goes out when our answer is acknowledged, and not for long to somebody who is not heard', () => {
    const on = source();
    expect(on.mayTalk(0)).toBe(false);
    on.acknowledged(100);
    expect([on.mayTalk(200), on.mayTalk(2_200)]).toEqual([true, false]);
    on.takes({ address: caller, port: 4_000 }, 1);
    expect(on.mayTalk(9_000)).toBe(true);
  });
});

describe('sealed sound', () => {
  const hex = (text: string) => Buffer.from(text, 'hex');
  // RFC 3711, appendix B.3, and a packet sealed with its keys.
  const master = hex('e1f97a0d3e018be0d64fa32c06de41390ec675ad498afeebb6960b3aabe6');
  const plain = hex(`800f1234decafbadcafebabe${'ab'.repeat(16)}`);
  const sealed = hex('800f1234decafbadcafebabe4e55dc4ce79978d88ca4d215949d2402b78d6acc99ea179b8dbb');

  it('has the keys and the packets of the standard', () => {
    const { key, salt, auth } = sessionKeys(master, 'rtp');
    expect([key, salt, auth].map((one) => one.toString('hex'))).toEqual([
      'c61e7a93744f39ee10734afe3ff7a087',
      '30cbbc08863d8c85d49db34a9ae1',
      'cebe321f6ff7716b6fd4ab49af256a156d38baa4',
    ]);
    expect(new SrtpSender(master).protect(plain)).toEqual(sealed);
    expect(new SrtpReceiver(master).open(sealed)).toEqual(plain);
  });

  it('opens each packet once, in any order, over the turn of its numbers, and none that was touched', () => {
    const [sender, receiver] = [new SrtpSender(master), new SrtpReceiver(master)];
    const packets = Array.from({ length: 40 }, (_, i) =>
      writeRtp({
        payloadType: 0,
        marker: false,
        sequence: (65_520 + i) & 0xffff,
        timestamp: i,
        ssrc: 7,
        payload: Buffer.from([i]),
      }),
    );
    const all = packets.map((packet) => sender.protect(packet));
    const order = [0, 2, 1, ...Array.from({ length: 37 }, (_, i) => i + 3)];
    for (const i of order) expect(receiver.open(all[i]!)).toEqual(packets[i]);
    expect(receiver.open(all[39]!)).toBeNull();
    const touched = Buffer.from(
      sender.protect(
        writeRtp({
          payloadType: 0,
          marker: false,
          sequence: 30,
          timestamp: 1,
          ssrc: 7,
          payload: Buffer.from([1]),
        }),
      ),
    );
    touched[12]! ^= 1;
    expect(receiver.open(touched)).toBeNull();
    expect(new SrtpReceiver(newMaster()).open(all[0]!)).toBeNull();
    for (let bytes = 0; bytes < 30; bytes++) expect(receiver.open(Buffer.alloc(bytes, 0x80))).toBeNull();
  });

  it('seals reports too', () => {
    const report = writeReport({ ssrc: 7, unixMs: 0, timestamp: 0, packets: 0, bytes: 0, cname: 'x' }, null);
    const [sender, receiver] = [new SrtpSender(master), new SrtpReceiver(master)];
    const once = sender.protectReport(report);
    expect(once.subarray(8, 20)).not.toEqual(report.subarray(8, 20));
    expect(receiver.openReport(once)).toEqual(report);
    expect(receiver.openReport(once)).toBeNull();
    expect(receiver.openReport(report)).toBeNull();
  });
});

describe('nothing of a call ends the service', () => {
  it.each(['send', 'close'] as const)('sockets of which each %s throws', async (broken) => {
    const socket = () => ({
      on: () => undefined,
      address: () => ({ address: '127.0.0.1' }),
      send: (_data: unknown, _port: number, _address: string, sent?: () => void) => sent?.(),
      close: () => undefined,
      [broken]: () => {
        throw new RangeError('ERR_SOCKET_BAD_PORT');
      },
    });
    const failures: unknown[] = [];
    const ticker = new Ticker();
    const ports = new SoundPorts('127.0.0.1', { from: 1, to: 2 });
    const sockets = { rtp: socket(), rtcp: socket(), port: 2 } as unknown as SoundSockets;
    const source = new SoundSource(
      () => '127.0.0.1',
      () => false,
    );
    let frames = 0;
    const done = new Promise<void>((resolve) => {
      const sound = new CallSound(sockets, ports, ticker, source, {
        heard: () => {
          if (++frames < 5) return;
          sound.close();
          resolve();
        },
        wanted: (count) => new Int16Array(count),
        key: () => undefined,
        failed: (error) => failures.push(error),
      });
      sound.connect(readSdp(OFFER)!, null);
      sound.acknowledged();
    });
    await done;
    expect(failures).toEqual([]);
  });

  it('a call that fails in the ticker, and fails once more when that is told, leaves the others', async () => {
    const ticker = new Ticker();
    const leave = ticker.join(
      () => {
        throw new Error('a');
      },
      () => {
        throw new Error('b');
      },
    );
    await new Promise<void>((resolve) => {
      const other = ticker.join(
        () => {
          other();
          resolve();
        },
        () => resolve(),
      );
    });
    leave();
  });
});
