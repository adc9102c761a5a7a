/** The telephone over real sockets, with a telephone of our own that can also say what none should: calls, holds, keys, ends, hand-over. */
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { joinPcm16, keyTones, levelDb, readWav, Resampler, seeded, toFloats, toPcm16, type Key } from '@verbalon/core'; // prettier-ignore
import type { PhoneCallView } from '@verbalon/protocol';
import { TestPhone, type Options } from '@verbalon/hostile';
import { demoCopy, startService, until, verbalon, type RunningService } from '../../../../testing/service.js';

let service: RunningService;
let at: string;
let phones: TestPhone[] = [];
let warden: TestPhone;

/** The demo project with a telephone at ports of its own. @param more lines of `phone:` */
function projectWith(more: string): string {
  const project = demoCopy();
  const path = join(project, 'project.yaml');
  const text = readFileSync(path, 'utf8').replace(
    /^phone:\n(?: .*\n)*/m,
    `phone:\n  port: 0\n  sound: { from: 21000, to: 21199 }\n${more}`,
  );
  writeFileSync(path, text);
  return project;
}

beforeAll(async () => {
  warden = await TestPhone.open({ user: 'warden' });
  service = await startService(projectWith(`  numbers: { '100': tansy, '*': porch }
  callsAtOnce: 3
  handOver: { to: 'sip:{hut}@127.0.0.1:${warden.port}' }
`)); // prettier-ignore
  at = (await service.http.telephone.view()).address!.replace('sip:', '');
}, 120_000);
afterEach(async () => {
  for (const phone of phones) phone.close();
  phones = [];
  for (const { id } of (await service.http.telephone.view()).calls.filter((call) => !isOver(call)))
    await service.http.telephone.hangUp(id);
});
afterAll(async () => {
  warden.close();
  await service.stop();
});

async function phone(options?: Options): Promise<TestPhone> {
  const opened = await TestPhone.open(options);
  phones.push(opened);
  return opened;
}

async function connected(options?: Options, number = '100'): Promise<TestPhone> {
  const opened = await phone(options);
  opened.ring(`sip:${number}@${at}`);
  await until(() => opened.last('INVITE', 200) !== undefined, () => JSON.stringify(opened.came.map(({ status, method }) => [status, method]))); // prettier-ignore
  return opened;
}

/** As a walker's voice, at the rate of a telephone. */
async function spoken(text: string): Promise<Int16Array> {
  const { channels, rateHz } = readWav((await service.http.aloud({ text, assistant: 'tansy' })).wav);
  return joinPcm16([
    new Int16Array(2_400),
    toPcm16(new Resampler(rateHz, 8_000).push(channels[0]!)),
    new Int16Array(8_000),
  ]);
}

const stages = (call: PhoneCallView | undefined) => call?.stages.map(({ stage }) => stage);
const newest = async () => (await service.http.telephone.view()).calls[0]!;
const isOver = (call: PhoneCallView) => stages(call)!.at(-1) === 'ended';
const isLoud = (samples: Int16Array) => levelDb(toFloats(samples)) > -45;
const reports = async (id: string) =>
  (await service.http.journal(id)).flatMap((entry) => (entry.kind === 'tell' && (entry.body as { message: { kind: string } }).message.kind === 'turn' ? [(entry.body as { message: { report: { text: string; heard: string; wait: unknown } } }).message.report] : [])); // prettier-ignore

describe('a call', () => {
  it('is answered, greeted, and over when the caller hangs up; the talk says so', async () => {
    const caller = await connected();
    expect(caller.last('INVITE', 100)).toBeDefined();
    await until(() => caller.heard.filter(({ samples }) => isLoud(samples)).length > 50);
    caller.hangUp();
    await until(() => caller.last('BYE', 200) !== undefined);
    const call = await newest();
    expect(call).toMatchObject({
      direction: 'in',
      from: `sip:walker@127.0.0.1:${caller.port}`,
      to: '100',
      assistant: 'tansy',
    });
    expect(stages(call)).toEqual(['ringing', 'connected', 'ended']);
    expect(call.stages.at(-1)!.detail).toBe('by the caller: they hung up');
    await until(
      async () => (await service.http.conversation(call.conversation!)).ending === 'the caller hung up',
    );
    const entries = await service.http.journal(call.conversation!);
    expect(entries.filter(({ kind }) => kind === 'phoned').map(({ body }) => (body as { stage: string }).stage)).toEqual(['ringing', 'connected', 'ended']); // prettier-ignore
  });

  it('comes in even packets of 20 ms, and in the law that was offered', async () => {
    const caller = await connected();
    await until(() => caller.heard.length > 150);
    const { heard } = caller;
    expect(new Set(heard.map(({ payloadType }) => payloadType))).toEqual(new Set([0]));
    heard.slice(1).forEach(({ sequence }, i) => expect((sequence - heard[i]!.sequence) & 0xffff).toBe(1));
  });

  it('to a number that nobody has goes to the one for all others', async () => {
    await connected({}, '999');
    expect(await newest()).toMatchObject({ to: '999', assistant: 'porch' });
  });

  it('more than there may be at once hears that it is busy, and an ended one makes room', async () => {
    const [first] = [await connected(), await connected(), await connected()];
    const late = await phone();
    late.ring(`sip:100@${at}`);
    await until(() => late.last('INVITE', 486) !== undefined);
    expect(late.last('INVITE', 486)!.header('Retry-After')).toBe('30');
    first.hangUp();
    await until(() => first.last('BYE', 200) !== undefined);
    await connected();
  });

  it('of sound that is not spoken here is refused, and so is one without a description that can be read', async () => {
    for (const body of [
      'v=0\r\nm=audio 4000 RTP/AVP 96\r\na=rtpmap:96 opus/48000/2\r\nc=IN IP4 127.0.0.1\r\n',
      'nonsense',
    ]) {
      const caller = await phone();
      caller.ring(`sip:100@${at}`, null);
      caller.request('INVITE', body);
      await until(() => caller.last('INVITE', 488) !== undefined);
    }
  });

  it('that offers nothing is offered something, and its answer comes with its acknowledgement', async () => {
    const caller = await phone();
    caller.isPolite = false;
    caller.ring(`sip:100@${at}`, null);
    await until(() => caller.last('INVITE', 200) !== undefined);
    expect(caller.last('INVITE', 200)!.body).toMatch(/m=audio \d+ RTP\/AVP 0 8 101/);
    caller.request('ACK', caller.sdp());
    await until(() => caller.heard.some(({ samples }) => isLoud(samples)));
  });

  it('that is put on hold is not talked to; taken up again it goes on; moved, it follows', async () => {
    const caller = await connected();
    await until(() => caller.heard.length > 0);
    caller.request('INVITE', caller.sdp({ direction: 'sendonly' }));
    await until(async () => stages(await newest())!.includes('on hold'));
    expect(caller.last('INVITE', 200)!.body).toContain('a=recvonly');
    const heardBefore = caller.heard.length;
    caller.say(new Int16Array(8_000));
    await until(() => !caller.isSaying);
    expect(caller.heard.length).toBeLessThanOrEqual(heardBefore + 1);
    caller.request('INVITE', caller.sdp());
    await until(async () => stages(await newest())!.includes('taken up'));
    await until(() => caller.heard.length > heardBefore + 1);
    const other = await phone();
    caller.request('INVITE', caller.sdp({ port: other.soundPort }));
    await until(async () => stages(await newest())!.includes('moved'));
    caller.hangUp();
    await until(async () => isOver(await newest()));
    expect(stages(await newest())).toEqual(['ringing', 'connected', 'on hold', 'taken up', 'moved', 'ended']);
  });

  it('is ended by us where the service is asked to, with a reason', async () => {
    const caller = await connected();
    const { id } = await newest();
    await service.http.telephone.hangUp(id);
    await until(() => caller.last('BYE') !== undefined);
    expect(caller.last('BYE')!.header('Reason')).toContain('it was asked to');
    expect((await service.http.telephone.call(id)).stages.at(-1)!.detail).toMatch(/^by anyone/);
  });

  it('agrees to session timers, and not to ones that are too short', async () => {
    const caller = await phone();
    caller.ring(`sip:100@${at}`, {}, ['Supported: timer', 'Session-Expires: 1800']);
    await until(() => caller.last('INVITE', 200) !== undefined);
    expect(caller.last('INVITE', 200)!.header('Session-Expires')).toBe('1800;refresher=uac');
    const hasty = await phone();
    hasty.ring(`sip:100@${at}`, {}, ['Supported: timer', 'Session-Expires: 20']);
    await until(() => hasty.last('INVITE', 422) !== undefined);
    expect(hasty.last('INVITE', 422)!.header('Min-SE')).toBe('90');
  });

  it('that nobody acknowledges is answered again and again over UDP', async () => {
    const caller = await phone();
    caller.isPolite = false;
    caller.ring(`sip:100@${at}`);
    await until(
      () => caller.came.filter(({ status, method }) => status === 200 && method === 'INVITE').length > 1,
    );
  });
});

describe('keys', () => {
  it.each(['events', 'tones'])('as %s interrupt, are collected, and are an answer', async (as) => {
    const caller = await phone();
    caller.ring(`sip:100@${at}`, { keys: as === 'events' });
    await until(() => caller.heard.filter(({ samples }) => isLoud(samples)).length > 20);
    if (as === 'events') caller.press('12#');
    else
      for (const key of '12#') caller.say(joinPcm16([keyTones(key as Key, 100, 8_000), new Int16Array(800)]));
    const { conversation } = await newest();
    let texts: string[] = [];
    const hasComeOut = async () =>
      (texts = (await reports(conversation!)).map(({ text }) => text)).includes('12');
    await until(hasComeOut, () => texts.join(' | '));
    const [greeting] = await reports(conversation!);
    expect(greeting!.heard.length).toBeLessThan(
      'Hello, this is Tansy of Tarnside Huts. How can I help you?'.length,
    );
  });
});

describe('whoever rings', () => {
  it('a mere question what is spoken is answered, and what belongs to no call is refused', async () => {
    const caller = await phone();
    caller.ring(`sip:100@${at}`, null);
    caller.request('OPTIONS');
    caller.request('REGISTER');
    await until(
      () => caller.last('OPTIONS', 200) !== undefined && caller.last('REGISTER', 405) !== undefined,
    );
    expect(caller.last('OPTIONS', 200)!.header('Allow')).toContain('INVITE');
  });

  it('with 3,000 broken messages and packets harms neither the service nor a call that goes on', async () => {
    const caller = await connected();
    const stray = await phone();
    stray.isPolite = false;
    stray.aim(`sip:100@${at}`);
    const random = seeded(41);
    const broken = (whole: string | Buffer) => {
      const bytes = Buffer.from(whole);
      for (let i = 0; i < 1 + random() * 5; i++)
        bytes[Math.floor(random() * bytes.length)] = Math.floor(random() * 256);
      return random() < 0.3 ? bytes.subarray(0, Math.floor(random() * bytes.length)) : bytes;
    };
    const invite = `INVITE sip:100@${at} SIP/2.0\r\nVia: SIP/2.0/UDP 127.0.0.1:${caller.port};rport;branch=z9hG4bKx\r\nFrom: <sip:m@127.0.0.1>;tag=1\r\nTo: <sip:100@127.0.0.1>\r\nCall-ID: 1@broken\r\nCSeq: 1 INVITE\r\nContact: <sip:m@127.0.0.1:9>\r\nContent-Length: 0\r\n\r\n`;
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
    expect(service.child.exitCode).toBeNull();
  });
});

describe('ringing somebody', () => {
  it('says who it is and why, presses the keys, and talks', async () => {
    const { id } = await service.http.telephone.ring({ to: `sip:warden@127.0.0.1:${warden.port}`, assistant: 'tansy', say: 'This is Tansy. The water at Heron Hut is out.', keys: '12#' }); // prettier-ignore
    await until(async () => stages(await service.http.telephone.call(id))!.includes('connected'));
    await until(() => warden.keysHeard.join('') === '12#');
    await until(() => warden.heard.filter(({ samples }) => isLoud(samples)).length > 60);
    const call = await service.http.telephone.call(id);
    expect(stages(call)).toEqual(['ringing', 'connected']);
    await until(async () => (await reports(call.conversation!)).length > 0);
    await service.http.telephone.hangUp(id);
    await until(() => warden.last('BYE') !== undefined);
    const [said] = await reports(call.conversation!);
    expect(said!.heard).toBe('This is Tansy. The water at Heron Hut is out.');
  });

  it('who is busy, or no address, says so', async () => {
    const busy = await phone();
    busy.answer = 'busy';
    const { id } = await service.http.telephone.ring({ to: `sip:200@127.0.0.1:${busy.port}`, say: 'Hello.' });
    await until(async () => isOver(await service.http.telephone.call(id)));
    expect((await service.http.telephone.call(id)).stages.at(-1)!.detail).toBe(
      'by whoever was rung: 486 Busy Here',
    );
    await expect(service.http.telephone.ring({ to: 'the warden', say: 'Hello.' })).rejects.toMatchObject({
      problem: { code: 'phone-number-malformed' },
    });
  });

  it('who does not answer is given up when the service is asked to', async () => {
    const slow = await phone();
    slow.answer = 'ring';
    const { id } = await service.http.telephone.ring({ to: `sip:200@127.0.0.1:${slow.port}`, say: 'Hello.' });
    await until(async () => stages(await service.http.telephone.call(id))!.includes('ringing'));
    await service.http.telephone.hangUp(id);
    await until(() => slow.last('CANCEL') !== undefined);
  });
});

describe('a caller who wants a person', () => {
  /** Asks to be put through, and waits until the caller's telephone is asked to ring the warden. */
  async function handedOver(): Promise<TestPhone> {
    const caller = await connected();
    const { conversation } = await newest();
    await until(async () => (await reports(conversation!)).length > 0);
    caller.press('0');
    await until(async () => (await reports(conversation!)).length > 1);
    caller.say(await spoken('heron hut'));
    await until(() => caller.last('REFER') !== undefined);
    return caller;
  }
  const told = (caller: TestPhone, status: string) => caller.request('NOTIFY', `SIP/2.0 ${status}\r\n`, ['Event: refer', 'Subscription-State: active']); // prettier-ignore

  it('is handed over with what is known, and the call is over when somebody has taken it', async () => {
    const caller = await handedOver();
    const target = caller.last('REFER')!.header('Refer-To');
    expect(target).toContain(`sip:heron-hut@127.0.0.1:${warden.port}`);
    const values = /User-to-User=([0-9a-f]+)/.exec(target)![1]!;
    expect(JSON.parse(Buffer.from(values, 'hex').toString())).toEqual({ hut: 'Heron Hut' });
    told(caller, '100 Trying');
    told(caller, '200 OK');
    await until(() => caller.last('BYE') !== undefined);
    expect((await newest()).stages.at(-1)!.detail).toBe(`by the service: handed over to sip:heron-hut@127.0.0.1:${warden.port}`); // prettier-ignore
  });

  it('has the assistant back when nobody takes it', async () => {
    const caller = await handedOver();
    const { conversation } = await newest();
    told(caller, '486 Busy Here');
    await until(async () =>
      (await reports(conversation!)).some(({ heard }) => heard.includes('nobody can take the call')),
    );
    expect(stages(await newest())!.slice(-2)).toEqual(['moved', 'taken up']);
    caller.hangUp();
  });
});

describe('the command', () => {
  it('shows the telephone and its calls', async () => {
    await connected();
    const { out } = verbalon(['phone'], { VERBALON_URL: service.address });
    expect(out).toContain(`The telephone can be rung at sip:${at}`);
    expect(out).toMatch(/sip:walker@127\.0\.0\.1:\d+ rang 100, tansy/);
    expect(out).toMatch(/connected/);
  });
});
