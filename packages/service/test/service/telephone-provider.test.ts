/**
 * The telephone at a provider, over TCP, given up and gone dead; and what the service rings for: callers who
 * want a person, messages.
 */
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { connect, createServer, type AddressInfo, type Server } from 'node:net';
import { TypedTalk } from '@verbalon/client/node';
import { SipStream, TestPhone, TestRegistrar } from '@verbalon/hostile';
import { isLoud, isOver, PhonedService, stages } from '../../../../testing/phoned-service.js';
import { until } from '../../../../testing/service.js';

let on: PhonedService;
let provider: TestRegistrar;
let warden: TestPhone;
/** Takes connections and never answers. */
let silent: Server;
const SILENT_S = 3;
/** 1.5 s of a tone that is no key's. */
const tone = (hz: number) =>
  Int16Array.from({ length: 12_000 }, (_, i) => 9_000 * Math.sin((2 * Math.PI * hz * i) / 8_000));

beforeAll(async () => {
  silent = createServer(() => undefined).listen(0, '127.0.0.1');
  await once(silent, 'listening');
  provider = await TestRegistrar.open('4712', 'mountain-goat');
  warden = await TestPhone.open({ user: 'warden' });
  on = await PhonedService.start({
    phone: `  numbers: { '100': tansy, '300': slow }
  silentS: ${SILENT_S}
  registrations: [{ at: 'sip:127.0.0.1:${provider.port}', user: '4712', secret: PHONE_SECRET }]
`,
    rest: `handOver: { to: 'sip:{hut}@127.0.0.1:${warden.port}', announce: true, waitS: 40 }\n`,
    ways: '  telephone: { phone: true }\n',
    env: { PHONE_SECRET: 'mountain-goat' },
    files: {
      'contacts.yaml': `contacts:\n  maren: { name: Maren, ways: { telephone: 'sip:maren@127.0.0.1:${warden.port}' } }\n`,
      'assistants/slow.yaml':
        'title: S\nlanguage: en\npersona: P\nlineup: { stt: ears, llm: echo, tts: mute }\n',
      'engines/mute.yaml': `title: M\nrole: tts\nwhere: on-machine\nwire: http\nlanguages: [en]\nvoices: { one: one }\naddress: http://127.0.0.1:${(silent.address() as AddressInfo).port}\nhealth: /health\nsend: { open: [{ line: '{text}' }] }\nreceive: { form: sound, encoding: wav }\n`,
      'assistants/porch.yaml':
        'title: Tarnside Huts\nlanguage: en\npersona: P\nrecorded: true\nlineup: { stt: ears, llm: echo, tts: voice }\nerrands: [tell]\n',
    },
  });
}, 120_000);
afterEach(() => on.quiet());
afterAll(async () => {
  await on.service.stop();
  // It is taken back when the service stops.
  await until(() => [...provider.registered.values()].every((seconds) => seconds === 0));
  provider.close();
  silent.close();
  warden.close();
});

describe('a number at a provider', () => {
  it('is registered with its secret, and others are rung with it', async () => {
    await until(async () => (await on.http.telephone.view()).registrations[0]!.state === 'registered');
    // One without and one with the secret; either comes again where its answer is late.
    const asked = provider.came.filter(({ method }) => method === 'REGISTER');
    expect(new Set(asked.map((one) => one.header('CSeq'))).size).toBe(2);
    expect([...provider.registered]).toEqual([[`sip:4712@${on.at}`, 300]]);
    const { id } = await on.http.telephone.ring({ to: '051244', say: 'Hello.' });
    await until(async () => isOver(await on.http.telephone.call(id)));
    expect((await on.http.telephone.call(id)).stages.at(-1)!.detail).toContain('486 Busy Here');
    expect(provider.came.findLast(({ method }) => method === 'INVITE')!.header('From')).toContain(
      'sip:4712@',
    );
  });
});

describe('a call', () => {
  it('over TCP is answered on its connection, and over when that says so', async () => {
    const [host, port] = on.at.split(':');
    const socket = connect(Number(port), host);
    await once(socket, 'connect');
    const call = new SipStream(socket, 'TCP', on.at);
    const ear = await on.phone();
    call.say('INVITE', 1, ear.sdp());
    await until(() => call.has('INVITE', 200));
    call.say('ACK', 1);
    await until(() => ear.heard.length > 20);
    call.say('BYE', 2);
    await until(() => call.has('BYE', 200));
    expect(isOver(await on.newest())).toBe(true);
    socket.destroy();
  });

  it.each(['u1', 't1'])(
    'by SIPp (%s) goes as its own scenario of a caller expects, every one of ten',
    async (over) => {
      const sipp = spawn(
        'sipp',
        [
          '-sn',
          'uac',
          on.at,
          '-s',
          '100',
          '-m',
          '10',
          '-l',
          '3',
          '-r',
          '5',
          '-d',
          '300',
          '-t',
          over,
          '-i',
          '127.0.0.1',
          '-nostdin',
          '-timeout',
          '60s',
        ],
        { stdio: ['ignore', 'pipe', 'ignore'] },
      );
      let told = '';
      sipp.stdout.setEncoding('utf8').on('data', (text: string) => (told += text));
      const [code] = (await once(sipp, 'exit')) as [number];
      expect(told).toMatch(/Successful call *\| +\d+ +\| +10 /);
      expect(code).toBe(0);
    },
  );

  it('given up while it rings, as the engines are not ready, is over, and nothing of it stays', async () => {
    const caller = await on.phone();
    caller.ring(`sip:300@${on.at}`);
    await until(
      () => caller.last('INVITE', 180) !== undefined,
      () => JSON.stringify(caller.came.map(({ status, method }) => [status, method])),
    );
    caller.request('CANCEL');
    await until(() => caller.last('CANCEL', 200) !== undefined && caller.last('INVITE', 487) !== undefined);
    const call = await on.newest();
    expect(call).toMatchObject({ conversation: null, assistant: 'slow' });
    expect(call.stages.at(-1)!.detail).toBe('by the caller: they hung up before it was answered');
  });

  it('of which no sound comes any more is over after a while', async () => {
    const caller = await on.connected();
    await until(() => caller.said.length > 20);
    caller.fallSilent();
    await until(() => caller.last('BYE') !== undefined);
    expect((await on.newest()).stages.at(-1)!.detail).toBe(
      `by the service: no sound has come for ${SILENT_S} s`,
    );
  });
});

describe('a caller who wants a person', () => {
  it('is announced to whoever is rung, who takes the call with 1; both hear each other, and the assistant comes back', async () => {
    const { caller, talk } = await on.asksForPerson();
    await until(() => warden.last('INVITE') !== undefined);
    expect(warden.last('INVITE')!.header('To')).toContain('heron-hut@');
    await until(() => warden.heard.filter(({ samples }) => isLoud(samples)).length > 100);
    warden.press('1');
    await until(async () => (await on.http.waiting()).length === 0);
    const toward = (phone: TestPhone) => phone.heard.filter(({ samples }) => isLoud(samples)).length;
    await until(async () => (await on.http.journal(talk)).some(({ kind }) => kind === 'tookOver'));
    const before = [toward(caller), toward(warden)];
    warden.say(tone(440));
    await until(() => toward(caller) > before[0]! + 60);
    caller.say(tone(330));
    await until(() => toward(warden) > before[1]! + 60);
    warden.hangUp();
    await until(async () => (await on.reports(talk)).at(-1)!.heard.includes('talking with me again'));
    caller.hangUp();
  });

  it('hears that nobody comes where whoever is rung is busy', async () => {
    warden.answer = 'busy';
    const { caller, talk } = await on.asksForPerson();
    let all: Awaited<ReturnType<typeof on.reports>> = [];
    await until(
      async () =>
        (all = await on.reports(talk)).some(({ heard }) => heard.includes('nobody can take the call')),
      () => JSON.stringify(all.map(({ text, heard }) => [text, heard])),
    );
    warden.answer = 'take';
    caller.hangUp();
  });
});

describe('a message', () => {
  it('is delivered by telephone: whoever answers hears it', async () => {
    const line = await TypedTalk.begin(on.service.address, 'porch', { caller: { id: 'f', name: 'Fisher' } });
    const heard: string[] = [];
    for (const text of ['tell Maren that the bridge is closed', 'from Fisher', 'yes'])
      heard.push((await line.says(text)).heard);
    line.leave();
    expect(heard.at(-1)).toBe('It goes to Maren now.');
    await until(async () => (await on.http.messages({ limit: '1' }))[0]?.deliveries[0]?.state === 'sent');
    const call = await on.newest();
    expect(stages(call).slice(0, 2)).toEqual(['ringing', 'connected']);
    await until(async () => (await on.reports(call.conversation!)).length > 0);
    const [said] = await on.reports(call.conversation!);
    expect(said!.heard).toMatch(
      /^This call is recorded\. This is Tarnside Huts, with a message for you\. .*bridge is closed/i,
    );
    // Nobody says anything: it hangs up by itself.
    await until(async () => isOver(await on.newest()));
    expect((await on.newest()).stages.at(-1)!.detail).toContain('the message was said');
  });
});
