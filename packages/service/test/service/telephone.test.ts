/**
 * The telephone over real sockets, with a telephone of our own that can also say what none should: calls,
 * holds, keys, ends.
 */
import { networkInterfaces } from 'node:os';
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import { joinPcm16, keyTones, levelDb, readWav, resample, seeded, toFloats, type Key } from '@verbalon/core';
import { PhonedService, isLoud, isOver, stages } from '../../../../testing/phoned-service.js';
import { until } from '../../../../testing/service.js';

let on: PhonedService;

beforeAll(async () => {
  on = await PhonedService.start({
    hears: true,
    phone: `  numbers: { '100': tansy, '*': porch }\n  callsAtOnce: 3\n`,
  });
}, 120_000);
afterEach(() => on.quiet());
afterAll(() => on.service.stop());

describe('a call', () => {
  it('is answered, greeted, and over when the caller hangs up; the talk says so', async () => {
    const caller = await on.connected();
    expect(caller.last('INVITE', 100)).toBeDefined();
    await until(() => caller.heard.filter(({ samples }) => isLoud(samples)).length > 50);
    caller.hangUp();
    await until(() => caller.last('BYE', 200) !== undefined);
    const call = await on.newest();
    expect(call).toMatchObject({
      direction: 'in',
      from: `sip:walker@127.0.0.1:${caller.port}`,
      to: '100',
      assistant: 'tansy',
    });
    expect(stages(call)).toEqual(['ringing', 'connected', 'ended']);
    expect(call.stages.at(-1)!.detail).toBe('by the caller: they hung up');
    await until(async () => (await on.http.conversation(call.conversation!)).ending === 'the caller hung up');
    const entries = await on.http.journal(call.conversation!);
    expect(
      entries.filter(({ kind }) => kind === 'phoned').map(({ body }) => (body as { stage: string }).stage),
    ).toEqual(['ringing', 'connected', 'ended']);
  });

  it('comes in even packets of 20 ms, and in the codec that was offered', async () => {
    const caller = await on.connected();
    await until(() => caller.heard.length > 150);
    const { heard } = caller;
    expect(new Set(heard.map(({ payloadType }) => payloadType))).toEqual(new Set([0]));
    heard.slice(1).forEach(({ sequence }, i) => expect((sequence - heard[i]!.sequence) & 0xffff).toBe(1));
  });

  it('of twice the sharpness is one at 16 kHz, and stays one where the telephone goes back to G.711', async () => {
    const caller = await on.phone();
    caller.isWide = true;
    caller.ring(`sip:100@${on.at}`);
    await until(() => caller.heard.filter(({ samples }) => isLoud(samples)).length > 50);
    expect(
      new Set(caller.heard.map(({ payloadType, samples }) => `${payloadType} ${samples.length}`)),
    ).toEqual(new Set(['9 320']));
    // Half of its sound lies where G.711 has none.
    const said = toFloats(caller.heardSound);
    const high = said.map((sample, i) => sample - (said[i - 1] ?? 0) * 0.9);
    expect(levelDb(high)).toBeGreaterThan(
      levelDb(resample(resample(high, 16_000, 8_000), 8_000, 16_000)) + 1,
    );
    caller.isWide = false;
    caller.request('INVITE', caller.sdp());
    const before = caller.heard.length;
    await until(
      () =>
        caller.heard.slice(before).filter(({ payloadType, samples }) => payloadType === 0 && isLoud(samples))
          .length > 20,
    );
    const call = await on.newest();
    const heard = async () =>
      (await on.reports(call.conversation!))
        .filter(({ source }) => source === 'voice')
        .map(({ text }) => text);
    // On a narrow line a word may be misheard: then it is said again.
    for (let times = 1; times <= 3 && !/breakfast/i.test((await heard()).join()); times++) {
      caller.say(await on.spoken('When is breakfast?'));
      await until(async () => (await heard()).length >= times);
    }
    expect((await heard()).join()).toMatch(/breakfast/i);
    expect((await on.newest()).sound).toMatchObject({ codec: 'PCMU' });
    const { rateHz } = readWav(await on.http.conversationSound(call.conversation!));
    expect(rateHz).toBe(16_000);
  });

  it('to a number that nobody has goes to the one for all others', async () => {
    await on.connected({}, '999');
    expect(await on.newest()).toMatchObject({ to: '999', assistant: 'porch' });
  });

  it('more than there may be at once hears that it is busy, and an ended one makes room', async () => {
    const [first] = [await on.connected(), await on.connected(), await on.connected()];
    const late = await on.phone();
    late.ring(`sip:100@${on.at}`);
    await until(() => late.last('INVITE', 486) !== undefined);
    expect(late.last('INVITE', 486)!.header('Retry-After')).toBe('30');
    first.hangUp();
    await until(() => first.last('BYE', 200) !== undefined);
    await on.connected();
  });

  it('of sound that is not spoken here is refused, and so is one without a description that can be read', async () => {
    for (const body of [
      'v=0\r\nm=audio 4000 RTP/AVP 96\r\na=rtpmap:96 opus/48000/2\r\nc=IN IP4 127.0.0.1\r\n',
      'nonsense',
    ]) {
      const caller = await on.phone();
      caller.ring(`sip:100@${on.at}`, null);
      caller.request('INVITE', body);
      await until(() => caller.last('INVITE', 488) !== undefined);
    }
  });

  it('that offers nothing is offered something, and its answer comes with its acknowledgement', async () => {
    const caller = await on.phone();
    caller.isPolite = false;
    caller.ring(`sip:100@${on.at}`, null);
    await until(() => caller.last('INVITE', 200) !== undefined);
    expect(caller.last('INVITE', 200)!.body).toMatch(/m=audio \d+ RTP\/AVP 9 0 8 101/);
    caller.request('ACK', caller.sdp());
    await until(() => caller.heard.some(({ samples }) => isLoud(samples)));
  });

  it('that is put on hold is not talked to; taken up again it goes on; moved, it follows', async () => {
    const caller = await on.connected();
    await until(() => caller.heard.length > 0);
    caller.request('INVITE', caller.sdp({ direction: 'sendonly' }));
    await until(async () => stages(await on.newest()).includes('on hold'));
    expect(caller.last('INVITE', 200)!.body).toContain('a=recvonly');
    const heardBefore = caller.heard.length;
    caller.say(new Int16Array(8_000));
    await until(() => !caller.isSaying);
    expect(caller.heard.length).toBeLessThanOrEqual(heardBefore + 1);
    caller.request('INVITE', caller.sdp());
    await until(async () => stages(await on.newest()).includes('taken up'));
    await until(() => caller.heard.length > heardBefore + 1);
    const other = await on.phone();
    caller.request('INVITE', caller.sdp({ port: other.soundPort }));
    await until(async () => stages(await on.newest()).includes('moved'));
    caller.hangUp();
    await until(async () => isOver(await on.newest()));
    expect(stages(await on.newest())).toEqual([
      'ringing',
      'connected',
      'on hold',
      'taken up',
      'moved',
      'ended',
    ]);
  });

  it('is ended by us where the service is asked to, with a reason', async () => {
    const caller = await on.connected();
    const { id } = await on.newest();
    await on.http.telephone.hangUp(id);
    await until(() => caller.last('BYE') !== undefined);
    expect(caller.last('BYE')!.header('Reason')).toContain('it was asked to');
    expect((await on.http.telephone.call(id)).stages.at(-1)!.detail).toMatch(/^by anyone/);
  });

  it('agrees to session timers, and not to ones that are too short', async () => {
    const caller = await on.phone();
    caller.ring(`sip:100@${on.at}`, {}, ['Supported: timer', 'Session-Expires: 1800']);
    await until(() => caller.last('INVITE', 200) !== undefined);
    expect(caller.last('INVITE', 200)!.header('Session-Expires')).toBe('1800;refresher=uac');
    const hasty = await on.phone();
    hasty.ring(`sip:100@${on.at}`, {}, ['Supported: timer', 'Session-Expires: 20']);
    await until(() => hasty.last('INVITE', 422) !== undefined);
    expect(hasty.last('INVITE', 422)!.header('Min-SE')).toBe('90');
  });

  it('that nobody acknowledges is answered again and again over UDP', async () => {
    const caller = await on.phone();
    caller.isPolite = false;
    caller.ring(`sip:100@${on.at}`);
    await until(
      () => caller.came.filter(({ status, method }) => status === 200 && method === 'INVITE').length > 1,
    );
  });
});

describe('keys', () => {
  it.each(['events', 'tones'])('as %s interrupt, are collected, and are an answer', async (as) => {
    const caller = await on.phone();
    caller.ring(`sip:100@${on.at}`, { keys: as === 'events' });
    // Nothing interrupts the sentence that the call is recorded; the greeting after it is.
    await until(() => caller.heard.filter(({ samples }) => isLoud(samples)).length > 100);
    if (as === 'events') caller.press('12#');
    else
      for (const key of '12#') caller.say(joinPcm16([keyTones(key as Key, 100, 8_000), new Int16Array(800)]));
    const { conversation } = await on.newest();
    let texts: string[] = [];
    const hasComeOut = async () =>
      (texts = (await on.reports(conversation!)).map(({ text }) => text)).includes('12');
    await until(hasComeOut, () => texts.join(' | '));
    const [greeting] = await on.reports(conversation!);
    expect(greeting!.heard.length).toBeLessThan(
      'This call is recorded. Hello, this is Tansy of Tarnside Huts. How can I help you?'.length,
    );
  });
});

describe('whoever rings', () => {
  it('a mere question what is spoken is answered, and what belongs to no call is refused', async () => {
    const caller = await on.phone();
    caller.ring(`sip:100@${on.at}`, null);
    caller.request('OPTIONS');
    caller.request('REGISTER');
    await until(
      () => caller.last('OPTIONS', 200) !== undefined && caller.last('REGISTER', 405) !== undefined,
    );
    expect(caller.last('OPTIONS', 200)!.header('Allow')).toContain('INVITE');
  });

  it('from this machine may, at whichever of its addresses', async () => {
    const all = Object.values(networkInterfaces()).flatMap((some) => some ?? []);
    for (const { address } of all.filter(({ family }) => family === 'IPv4')) {
      const caller = await on.phone({ at: address });
      caller.ring(`sip:100@${on.at}`);
      await until(() => caller.last('INVITE', 200) !== undefined);
      await until(() => caller.heard.some(({ samples }) => isLoud(samples)));
      caller.hangUp();
      await until(() => caller.last('BYE', 200) !== undefined);
    }
    expect((await on.http.telephone.view()).strangers).toEqual([]);
  });

  it('with 3,000 broken messages and packets harms neither the service nor a call that goes on', async () => {
    const caller = await on.connected();
    const stray = await on.phone();
    stray.isPolite = false;
    stray.aim(`sip:100@${on.at}`);
    const random = seeded(41);
    const broken = (whole: string | Buffer) => {
      const bytes = Buffer.from(whole);
      for (let i = 0; i < 1 + random() * 5; i++)
        bytes[Math.floor(random() * bytes.length)] = Math.floor(random() * 256);
      return random() < 0.3 ? bytes.subarray(0, Math.floor(random() * bytes.length)) : bytes;
    };
    const invite = `INVITE sip:100@${on.at} SIP/2.0\r\nVia: SIP/2.0/UDP 127.0.0.1:${caller.port};rport;branch=z9hG4bKx\r\nFrom: <sip:m@127.0.0.1>;tag=1\r\nTo: <sip:100@127.0.0.1>\r\nCall-ID: 1@broken\r\nCSeq: 1 INVITE\r\nContact: <sip:m@127.0.0.1:9>\r\nContent-Length: 0\r\n\r\n`;
    for (let i = 0; i < 1_500; i++) {
      stray.send(broken(invite.replace('1@broken', `${i}@broken`)));
      caller.sendSound(
        broken(
          Buffer.concat([Buffer.from([0x80, 0, 0, i & 255, 0, 0, 0, 0, 0, 0, 0, 1]), Buffer.alloc(160)]),
        ),
      );
      if (i % 100 === 0) await new Promise((done) => setImmediate(done));
    }
    const before = caller.heard.length;
    await until(() => caller.heard.length > before + 20);
    caller.request('OPTIONS');
    await until(() => caller.last('OPTIONS', 200) !== undefined);
    caller.hangUp();
    await until(
      () => caller.last('BYE', 200) !== undefined,
      () =>
        JSON.stringify(
          caller.came
            .slice(-8)
            .map(({ status, method, header }) => [status, method, header('Call-ID'), header('CSeq')]),
        ),
    );
    expect(on.service.child.exitCode).toBeNull();
  });
});
