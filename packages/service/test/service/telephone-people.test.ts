/**
 * The telephone over real sockets, with a telephone of our own that can also say what none should: ringing
 * somebody, and a person who takes over.
 */
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import { TestPhone } from '@verbalon/hostile';
import { PhonedService, isLoud, isOver, stages } from '../../../../testing/phoned-service.js';
import { until, verbalon } from '../../../../testing/service.js';

let on: PhonedService;
let warden: TestPhone;

beforeAll(async () => {
  warden = await TestPhone.open({ user: 'warden' });
  on = await PhonedService.start({
    phone: `  numbers: { '100': tansy, '*': porch }\n  callsAtOnce: 3\n`,
    rest: `handOver: { to: 'sip:{hut}@127.0.0.1:${warden.port}' }\n`,
  });
}, 120_000);
afterEach(() => on.quiet());
afterAll(async () => {
  warden.close();
  await on.service.stop();
});

describe('ringing somebody', () => {
  it('says who it is and why, presses the keys, and talks', async () => {
    const { id } = await on.http.telephone.ring({
      to: `sip:warden@127.0.0.1:${warden.port}`,
      assistant: 'tansy',
      say: 'This is Tansy. The water at Heron Hut is out.',
      keys: '12#',
    });
    await until(async () => stages(await on.http.telephone.call(id)).includes('connected'));
    await until(() => warden.keysHeard.join('') === '12#');
    await until(() => warden.heard.filter(({ samples }) => isLoud(samples)).length > 60);
    const call = await on.http.telephone.call(id);
    expect(stages(call)).toEqual(['ringing', 'connected']);
    await until(async () => (await on.reports(call.conversation!)).length > 0);
    await on.http.telephone.hangUp(id);
    await until(() => warden.last('BYE') !== undefined);
    const [said] = await on.reports(call.conversation!);
    expect(said!.heard).toBe('This call is recorded. This is Tansy. The water at Heron Hut is out.');
  });

  it('who is busy, or no address, says so', async () => {
    const busy = await on.phone();
    busy.answer = 'busy';
    const { id } = await on.http.telephone.ring({ to: `sip:200@127.0.0.1:${busy.port}`, say: 'Hello.' });
    await until(async () => isOver(await on.http.telephone.call(id)));
    expect((await on.http.telephone.call(id)).stages.at(-1)!.detail).toBe(
      'by whoever was rung: 486 Busy Here',
    );
    await expect(on.http.telephone.ring({ to: 'the warden', say: 'Hello.' })).rejects.toMatchObject({
      problem: { code: 'phone-number-malformed' },
    });
  });

  it('who does not answer is given up when the service is asked to', async () => {
    const slow = await on.phone();
    slow.answer = 'ring';
    const { id } = await on.http.telephone.ring({ to: `sip:200@127.0.0.1:${slow.port}`, say: 'Hello.' });
    await until(async () => stages(await on.http.telephone.call(id)).includes('ringing'));
    await on.http.telephone.hangUp(id);
    await until(() => slow.last('CANCEL') !== undefined);
  });
});

describe('a caller who wants a person', () => {
  /** Asks to be put through, and waits until the caller's telephone is asked to ring the warden. */
  async function handedOver(): Promise<TestPhone> {
    const { caller } = await on.asksForPerson();
    await until(() => caller.last('REFER') !== undefined);
    return caller;
  }
  const told = (caller: TestPhone, status: string) =>
    caller.request('NOTIFY', `SIP/2.0 ${status}\r\n`, ['Event: refer', 'Subscription-State: active']);

  it('is handed over with what is known, and the call is over when somebody has taken it', async () => {
    const caller = await handedOver();
    const target = caller.last('REFER')!.header('Refer-To');
    expect(target).toContain(`sip:heron-hut@127.0.0.1:${warden.port}`);
    const values = /User-to-User=([0-9a-f]+)/.exec(target)![1]!;
    expect(JSON.parse(Buffer.from(values, 'hex').toString())).toEqual({ hut: 'Heron Hut' });
    told(caller, '100 Trying');
    told(caller, '200 OK');
    await until(() => caller.last('BYE') !== undefined);
    expect((await on.newest()).stages.at(-1)!.detail).toBe(
      `by the service: handed over to sip:heron-hut@127.0.0.1:${warden.port}`,
    );
  });

  it('has the assistant back when nobody takes it', async () => {
    const caller = await handedOver();
    const { conversation } = await on.newest();
    told(caller, '486 Busy Here');
    await until(async () =>
      (await on.reports(conversation!)).some(({ heard }) => heard.includes('nobody can take the call')),
    );
    expect(stages(await on.newest()).slice(-2)).toEqual(['moved', 'taken up']);
    caller.hangUp();
  });
});

describe('the command', () => {
  it('shows the telephone and its calls', async () => {
    await on.connected();
    const { out } = await verbalon(['phone'], { VERBALON_URL: on.service.address });
    expect(out).toContain(`The telephone can be rung at sip:${on.at}`);
    expect(out).toMatch(/sip:walker@127\.0\.0\.1:\d+ rang 100, tansy/);
    expect(out).toMatch(/connected/);
  });
});
