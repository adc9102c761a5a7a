/**
 * What engines are given and what they give: held to a promise, brought within bounds, keys hidden, hosts
 * that heed.
 */
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { BadEngine, type BadWay } from '@verbalon/hostile';
import type { EngineCard } from '@verbalon/protocol';
import { parse } from 'yaml';
import { FliteEngine, openEngine, type LlmEngine, type Surroundings } from '@verbalon/engines';
import { until } from '../../../../testing/service.js';
import { hiding } from '../../src/card/secrecy.js';
import type { EngineFault, LlmEvent } from '../../src/common/contract.js';
import { HostPool } from '../../src/hosts/host-pool.js';

let bad: BadEngine;
beforeAll(async () => {
  bad = await BadEngine.open();
});
afterAll(() => bad.close());

function engine(changes: object = {}, secrets: Record<string, string> = {}) {
  const around: Surroundings = {
    workFolder: tmpdir(),
    folder: tmpdir(),
    standins: {},
    secrets,
    answers: () => {
      throw new Error('there is no answers/nothing.yaml');
    },
    page: () => null,
    model: () => {
      throw new Error('there is no other');
    },
  };
  const card = { ...(parse(bad.card) as object), ...changes } as EngineCard;
  return openEngine('mind', card, around) as LlmEngine & { guard: { resting(): string | null } };
}

const ASKED = {
  persona: '',
  messages: [{ role: 'caller', text: 'Is it open?' }],
  answerLength: 'short',
  language: 'en',
  talk: 't',
} as const;

async function ask(llm: LlmEngine, stay: 'on-machine' | null = null): Promise<LlmEvent[]> {
  const events: LlmEvent[] = [];
  for await (const event of llm.think({ ...ASKED, stay, signal: new AbortController().signal }))
    events.push(event);
  return events;
}

async function faultOf(work: Promise<unknown>): Promise<EngineFault> {
  return work.then(
    () => Promise.reject(new Error('it was not refused')),
    (error: EngineFault) => error,
  );
}

describe('what an engine gives', () => {
  it.each<[BadWay, number, number]>([
    ['half tokens', 2, 3],
    ['more tokens than there are numbers', 2_147_483_647, 2_147_483_647],
    ['tokens below nothing', 0, 0],
    ['no number of tokens', 0, 0],
  ])('with %s is counted in whole numbers that can be kept', async (way, inputTokens, outputTokens) => {
    bad.way = way;
    const usage = (await ask(engine())).find(({ kind }) => kind === 'usage');
    if (usage) expect(usage).toEqual({ kind: 'usage', inputTokens, outputTokens });
    else expect(way).toBe('no number of tokens');
  });

  it('with halves of characters and NUL becomes text that can be kept', async () => {
    bad.way = 'halves of characters and NUL';
    const text = (await ask(engine())).map((event) => (event.kind === 'piece' ? event.text : '')).join('');
    expect(text.isWellFormed()).toBe(true);
    expect(text).not.toContain('\0');
    expect(text).toContain('yes.');
  });

  it('a fault of the request is never a fault of the engine', async () => {
    const one = engine();
    bad.way = '400';
    for (let i = 0; i < 6; i++) expect((await faultOf(ask(one))).code).toBe('engine-refused');
    expect(one.guard.resting()).toBeNull();
    bad.way = '500';
    for (let i = 0; i < 2; i++) await faultOf(ask(one));
    expect(one.guard.resting()).not.toBeNull();
  });
});

describe('what an engine is given', () => {
  afterEach(() => void (bad.way = 'right'));

  it('never leaves the machine where that was promised: nothing is sent', async () => {
    bad.way = 'right';
    const before = bad.asked;
    const cloud = engine({ where: 'cloud' });
    expect((await faultOf(ask(cloud, 'on-machine'))).code).toBe('engine-forbidden');
    const elsewhere = engine({ address: 'http://huts.example/think' });
    expect((await faultOf(ask(elsewhere, 'on-machine'))).code).toBe('engine-forbidden');
    const unknown = engine({ address: 'http://{host}/think', settings: { host: '127.0.0.1' } });
    expect((await faultOf(ask(unknown, 'on-machine'))).code).toBe('engine-forbidden');
    expect(bad.asked).toBe(before);
    expect(cloud.guard.resting()).toBeNull();
    await ask(engine(), 'on-machine');
    expect(bad.asked).toBe(before + 1);
  });

  it('a key’s last line’s end is left out; one that no header can carry is refused by name', async () => {
    const keyed = { secret: 'MIND_KEY', headers: { authorization: 'Bearer {secret}' } };
    await ask(engine(keyed, { MIND_KEY: 'abc123\n' }));
    for (const key of ['abc\n123', 'ключ', 'a\tb']) {
      const fault = await faultOf(ask(engine(keyed, { MIND_KEY: key })));
      expect(fault).toMatchObject({ code: 'engine-key-wrong', detail: expect.stringContaining('MIND_KEY') });
      expect(fault.detail).not.toContain(key);
    }
  });

  it('a header that cannot be sent is a fault of this request, and nothing else', async () => {
    const fault = await faultOf(ask(engine({ headers: { 'x-last': '{last}é\u0100' } })));
    expect(fault.code).toBe('engine-down');
    expect((await ask(engine())).length).toBeGreaterThan(0);
  });
});

describe('a key in what is shown', () => {
  const KEY = 'k-7f3a91c0e5d2';
  const hide = hiding(KEY);
  const forms: [string, string][] = [
    ['as it is', KEY],
    ['in base64', Buffer.from(KEY).toString('base64')],
    ['behind a name, in base64', Buffer.from(`me:${KEY}`).toString('base64')],
    ['behind two letters, in base64url', Buffer.from(`ab${KEY}~`).toString('base64url')],
    ['in hexadecimal', Buffer.from(KEY).toString('hex')],
  ];

  it.each(forms)('is hidden %s', (_how, written) => {
    const shown = hide(`the key ${written} is wrong`);
    for (let at = 0; at + 7 <= written.length - 6; at++)
      expect(shown).not.toContain(written.slice(at + 3, at + 10));
    expect(shown).toContain('…');
  });

  it('is hidden where the text was cut off in the middle of it', () => {
    expect(hide(`you sent ${KEY.slice(0, 11)}`)).toBe('you sent …');
  });

  it('is hidden before the text is cut', async () => {
    const keyed = {
      secret: 'MIND_KEY',
      headers: { authorization: 'Bearer {secret}' },
      address: `${bad.address}/think`,
    };
    const one = engine(
      { ...keyed, receive: { form: 'lines', read: [{ error: { message: '/why' } }, { piece: '/piece' }] } },
      { MIND_KEY: KEY },
    );
    // The engine's complaint would be cut in the middle of the key.
    bad.answerNext(`${JSON.stringify({ why: `${'x'.repeat(112)}${KEY} is wrong` })}\n`);
    const fault = await faultOf(ask(one));
    for (let length = 4; length <= KEY.length; length++)
      expect(fault.detail).not.toContain(KEY.slice(0, length));
  });
});

describe('authored answers', () => {
  it('without a file that can be used are an engine that is down, with the reason', async () => {
    const card = {
      title: 'T',
      role: 'llm',
      where: 'on-machine',
      languages: ['en'],
      wire: 'answers',
      answers: 'nothing',
    };
    const one = engine({ ...card, address: undefined, send: undefined, receive: undefined });
    expect(one.readiness()).toMatchObject({ state: 'down', why: expect.stringContaining('nothing.yaml') });
    expect((await faultOf(ask(one))).code).toBe('engine-down');
  });
});

describe('hosts', () => {
  /** A host of our own making. */
  function pool(source: string, size = 1) {
    const file = join(mkdtempSync(join(tmpdir(), 'verbalon-host-')), 'host.mjs');
    writeFileSync(file, source);
    return new HostPool<{ kind: string; job: number }, { kind: string; job: number }>({
      name: 'test',
      file: pathToFileURL(file),
      size,
      first: () => [],
    });
  }
  const READY = "process.send({ kind: 'ready' });\nprocess.on('disconnect', () => process.exit(0));\n";

  it('that does not heed a cancel is replaced, and the next one is served', async () => {
    const hosts = pool(`${READY}process.on('message', () => { for (;;); });`);
    await hosts.warm();
    const [before] = hosts.pids();
    const lease = await hosts.lease();
    lease.send({ kind: 'say', job: lease.job });
    lease.release();
    const next = await hosts.lease();
    expect(hosts.pids()[0]).not.toBe(before);
    next.release();
    await hosts.close();
  });

  it('that heeds one is kept', async () => {
    const hosts = pool(
      `${READY}process.on('message', ({ job }) => setTimeout(() => process.send({ kind: 'idle', job }), 50));`,
    );
    await hosts.warm();
    const [before] = hosts.pids();
    for (let i = 0; i < 5; i++) {
      const lease = await hosts.lease();
      lease.send({ kind: 'say', job: lease.job });
      lease.release();
    }
    expect(hosts.pids()).toEqual([before]);
    await hosts.close();
  });

  it('that cannot start are never given up for good', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'verbalon-host-'));
    const [mended, starts] = ['mended', 'starts'].map((name) => join(folder, name)) as [string, string];
    writeFileSync(starts, '');
    const hosts = pool(`import { appendFileSync, existsSync } from 'node:fs';
appendFileSync(${JSON.stringify(starts)}, '.');
if (!existsSync(${JSON.stringify(mended)})) process.exit(1);
${READY}`);
    expect((await faultOf(hosts.warm())).code).toBe('engine-down');
    // It fails as often as made them be given up for good before.
    await until(() => readFileSync(starts, 'utf8').length >= 3);
    writeFileSync(mended, '');
    await until(() => hosts.readiness().state === 'ready');
    await hosts.close();
  });

  it('are given no key of the service', async () => {
    process.env.VERBALON_TEST_KEY = 'a-key-for-nobody';
    const voice = new FliteEngine({
      name: 'v',
      title: 'v',
      languages: ['en'],
      voices: { kal16: 'kal16' },
      hosts: 1,
    });
    await voice.warm();
    const environment = spawnSync('cat', [`/proc/${voice.hostPids()[0]}/environ`]).stdout.toString();
    expect(environment).toContain('PATH=');
    expect(environment).not.toContain('a-key-for-nobody');
    await voice.close();
  });

  it('a cancelled phrase leaves the voice to the next one at once', async () => {
    const voice = new FliteEngine({
      name: 'v',
      title: 'v',
      languages: ['en'],
      voices: { rms: 'rms' },
      hosts: 1,
    });
    await voice.warm();
    const abort = new AbortController();
    const long = voice.speak({
      text: 'bunk '.repeat(3_000),
      language: 'en',
      voice: {},
      stay: null,
      signal: abort.signal,
    });
    const spoken = (async () => {
      for await (const event of long) return event;
      return null;
    })();
    setTimeout(() => abort.abort(), 50);
    expect(await spoken).toBeNull();
    const asked = {
      text: 'Yes.',
      language: 'en',
      voice: {},
      stay: null,
      signal: new AbortController().signal,
    };
    for await (const { samples } of voice.speak(asked)) expect(samples.length).toBeGreaterThan(1_000);
    await voice.close();
  });
});
