/**
 * What a telephone, or somebody who only knows of a call, may send that must not end the service, reach
 * others, or speak for a caller.
 */
import { createSocket } from 'node:dgram';
import { once } from 'node:events';
import { connect } from 'node:net';
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import { MU_LAW } from '@verbalon/core';
import type { TestPhone } from '@verbalon/hostile';
import { isLoud, isOver, PhonedService, stages } from '../../../../testing/phoned-service.js';
import { until } from '../../../../testing/service.js';
import { newMaster, SrtpReceiver, SrtpSender } from '../../src/phone/srtp.js';

let on: PhonedService;

beforeAll(async () => {
  // Strangers are at 127.0.0.3 and 127.0.0.4: this machine has whole networks of its own.
  on = await PhonedService.start({
    phone: `  numbers: { '*': tansy }\n  peers: [127.0.0.1, 127.0.0.2]\n  callsAtOnce: 6\n`,
  });
}, 120_000);
afterEach(() => on.quiet());
afterAll(() => on.service.stop());

const status = (phone: TestPhone) =>
  phone.came.find(({ status: is, method }) => method === 'INVITE' && (is ?? 0) >= 200)?.status;
const loudIn = (phone: TestPhone) => phone.heard.filter(({ samples }) => isLoud(samples)).length;

describe('a description', () => {
  it('whose reports would go to port 65536, 70000 or 0: the call goes on, ends, and ends nothing else', async () => {
    const other = await on.connected();
    const calls: { port?: number; lines?: string[] }[] = [
      { port: 65_535 },
      { lines: ['a=rtcp:70000'] },
      { lines: ['a=rtcp:0'] },
    ];
    const phones = await Promise.all(calls.map(() => on.phone()));
    phones.forEach((phone, i) => phone.ring(`sip:100@${on.at}`, calls[i]!));
    await until(() => phones.every((phone) => status(phone) === 200));
    // Reports go out every 5 s.
    await until(() => other.heard.length > 300 && loudIn(other) > 100);
    for (const phone of phones) phone.hangUp();
    const views = async () => (await on.http.telephone.view()).calls;
    await until(async () => (await views()).filter((call) => !isOver(call)).length === 1);
    for (const call of (await views()).slice(0, 3)) expect(stages(call)).toContain('connected');
    expect(on.service.log()).not.toMatch(/puts everything away|nobody foresaw/);
  });

  it.each([
    ['a name, which is not looked up', 'sound.example'],
    ['a third host, which is not flooded', '203.0.113.9'],
  ])('of %s: it is refused', async (_, host) => {
    const phone = await on.phone();
    phone.ring(`sip:100@${on.at}`, { host });
    await until(() => status(phone) === 488);
  });
});

describe('sound', () => {
  it('goes to nobody before they acknowledge the answer, and not for long to somebody who is not heard', async () => {
    const phone = await on.phone();
    phone.isPolite = false;
    phone.ring(`sip:100@${on.at}`);
    await until(() => status(phone) === 200);
    const silent = await on.phone();
    silent.fallSilent();
    silent.ring(`sip:100@${on.at}`);
    await until(() => status(silent) === 200);
    expect(phone.heard).toHaveLength(0);
    const other = await on.connected();
    await until(() => silent.heard.length > 80 && other.heard.length > 150);
    // Two seconds, in packets of 20 ms, and what was under way.
    expect(silent.heard.length).toBeLessThan(120);
  });

  it('and keys of strangers count for nothing, before the caller’s first packet or later', async () => {
    const phone = await on.phone();
    phone.ring(`sip:100@${on.at}`);
    await until(() => status(phone) === 200);
    const port = Number(/^m=audio (\d+)/m.exec(phone.last('INVITE', 200)!.body)![1]);
    const stranger = createSocket('udp4');
    stranger.bind(0, '127.0.0.3');
    await once(stranger, 'listening');
    let theirs = 0;
    stranger.on('message', () => theirs++);
    const packet = (i: number, type: number, payload: Buffer) => {
      const head = Buffer.alloc(12);
      head.writeUInt16BE(0x8000 | type, 0);
      head.writeUInt16BE(i, 2);
      head.writeUInt32BE(type === 101 ? 5 : i * 160, 4);
      return Buffer.concat([head, payload]);
    };
    for (let i = 0; i < 30; i++) {
      stranger.send(packet(i, 0, Buffer.from(MU_LAW.encode(new Int16Array(160)))), port, '127.0.0.1');
      stranger.send(packet(i, 101, Buffer.from([0, 0x8a, 3, 32])), port, '127.0.0.1');
    }
    await until(() => loudIn(phone) > 50);
    expect(theirs).toBe(0);
    const { conversation } = await on.newest();
    expect((await on.http.journal(conversation!)).some(({ kind }) => kind === 'keyed')).toBe(false);
    stranger.close();
  });

  it('is sealed where the telephone offers that', async () => {
    const phone = await on.phone();
    const ours = newMaster();
    phone.ring(`sip:100@${on.at}`, {
      profile: 'RTP/SAVP',
      lines: [`a=crypto:3 AES_CM_128_HMAC_SHA1_80 inline:${ours.toString('base64')}`],
    });
    await until(() => status(phone) === 200);
    const { body } = phone.last('INVITE', 200)!;
    expect(body).toMatch(/^m=audio \d+ RTP\/SAVP/m);
    const theirs = Buffer.from(/^a=crypto:3 AES_CM_128_HMAC_SHA1_80 inline:(\S+)/m.exec(body)![1]!, 'base64');
    const [sender, receiver] = [new SrtpSender(ours), new SrtpReceiver(theirs)];
    const sealed = phone.heard.length;
    phone.seal = { out: (packet) => sender.protect(packet), in: (packet) => receiver.open(packet) };
    await until(() => loudIn(phone) > 50);
    expect(sealed).toBeLessThan(50);
    phone.press('9');
    await until(async () =>
      (await on.http.journal((await on.newest()).conversation!)).some(({ kind }) => kind === 'keyed'),
    );
  });
});

describe('signalling', () => {
  it('is not moved by somebody who only knows a Call-ID', async () => {
    const phone = await on.connected();
    const stranger = await on.phone({ at: '127.0.0.2' });
    stranger.knows(phone);
    stranger.request('INFO', 'Signal=1\r\nDuration=160');
    stranger.request('BYE');
    await until(() => stranger.came.length > 0);
    await on.http.telephone.hangUp((await on.newest()).id);
    await until(() => phone.last('BYE') !== undefined);
    expect(stranger.last('BYE')).toBeUndefined();
  });

  it('a byte on the port of reports keeps no dead call alive', async () => {
    const short = await PhonedService.start({ phone: `  numbers: { '*': tansy }\n  silentS: 2\n` });
    const phone = await short.connected();
    const port = Number(/^m=audio (\d+)/m.exec(phone.last('INVITE', 200)!.body)![1]) + 1;
    phone.fallSilent();
    const junk = setInterval(() => phone.rtp.send(Buffer.from([7]), port, '127.0.0.1'), 100);
    await until(async () => isOver(await short.newest()));
    clearInterval(junk);
    await short.quiet();
    await short.service.stop();
  });

  it('connections of strangers are not even kept', async () => {
    const [, port] = on.at.split(':');
    const socket = connect({ port: Number(port), host: '127.0.0.1', localAddress: '127.0.0.4' });
    socket.on('error', () => undefined);
    await once(socket, 'close');
    expect((await on.http.telephone.view()).strangers).toContain('127.0.0.4');
  });
});

it('a caller by telephone is told that the call is recorded, before anything of theirs is kept', async () => {
  const phone = await on.connected();
  await until(async () => (await on.reports((await on.newest()).conversation!)).length > 0);
  const { conversation } = await on.newest();
  expect((await on.reports(conversation!))[0]!.heard).toMatch(/^This call is recorded\. /);
  phone.hangUp();
});
