/**
 * What strangers, and people whose key was taken from them, get out of a service that asks for keys: nothing,
 * and it costs nothing.
 */
import { appendFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { HttpClient } from '@verbalon/client';
import { TypedTalk } from '@verbalon/client/node';
import type { ServiceMessageOf } from '@verbalon/protocol';
import { lightProject } from '../../../../testing/light-project.js';
import { startService, until, type RunningService } from '../../../../testing/service.js';

const SAYS_BACK = `title: Back
language: en
persona: You say it back.
recorded: true
lineup: { stt: ears, llm: [echo, thinker], tts: voice }
origins: ['https://huts.example']
callersMaySwap: { llm: [thinker] }
`;
let service: RunningService;
let owner: HttpClient;
let ownerKey: string;

beforeAll(async () => {
  const project = await lightProject({
    standins: ['thinker'],
    engines: ['thinker', 'porch'],
    assistants: { tansy: null, back: SAYS_BACK },
  });
  appendFileSync(join(project, 'project.yaml'), '\nsecrets: [ALDER_KEY, BIRCH_KEY]\n');
  service = await startService(project);
  ({ key: ownerKey } = await service.http.makeKey({ name: 'owner', scopes: ['talk', 'read', 'manage'] }));
  owner = new HttpClient(service.address, ownerKey);
}, 120_000);
afterAll(() => service.stop());

interface Asked {
  status: number;
  code: string;
  detail: string;
}

async function send(
  path: string,
  body: string | Buffer<ArrayBuffer>,
  headers: Record<string, string> = {},
  method = 'POST',
): Promise<Asked> {
  const answer = await fetch(`${service.address}${path}`, {
    method,
    body,
    headers: { 'content-type': 'application/json', ...headers },
  });
  const { code = '', detail = '' } = (await answer.json().catch(() => ({}))) as Partial<Asked>;
  return { status: answer.status, code, detail };
}

const asOwner = () => ({ authorization: `Bearer ${ownerKey}` });
const deep = (depth: number) => `${'['.repeat(depth)}${']'.repeat(depth)}`;

describe('a body', () => {
  it('of somebody without a key is not even read', async () => {
    const bomb = gzipSync(deep(500_000));
    for (const body of [bomb, Buffer.from('not gzip'), deep(1_000)])
      expect(await send('/v1/keys', body, { 'content-encoding': 'gzip' })).toMatchObject({
        status: 401,
        code: 'key-missing',
      });
  });

  it('is never inflated, nested without end, or large where anybody may send it', async () => {
    expect(
      await send('/v1/keys', gzipSync('{}'), { ...asOwner(), 'content-encoding': 'gzip' }),
    ).toMatchObject({ status: 400, detail: expect.stringMatching(/compressed/) });
    expect(await send('/v1/keys', deep(100), asOwner())).toMatchObject({
      status: 400,
      detail: expect.stringMatching(/nested too deep/),
    });
    expect(await send('/v1/session', JSON.stringify({ key: 'k'.repeat(10_000) }))).toMatchObject({
      status: 400,
      detail: expect.stringMatching(/4 kB/),
    });
  });
});

describe('a visitor of a page', () => {
  const visit = async () =>
    TypedTalk.begin(service.address, 'back', { pass: (await owner.makeToken({ assistant: 'back' })).token });
  const troubles = ({ messages }: TypedTalk) =>
    messages.filter((one): one is ServiceMessageOf<'trouble'> => one.kind === 'trouble');

  it('chooses among what the assistant offers, and is told a sentence without what is the owner’s', async () => {
    const talk = await visit();
    talk.swaps('llm', 'birch-mind');
    talk.speaks('de');
    await talk.until(() => troubles(talk).length === 2);
    for (const trouble of troubles(talk))
      expect(trouble).toMatchObject({
        code: 'choice-not-offered',
        title: 'That cannot be chosen here.',
        detail: '',
        remedy: '',
      });
    talk.swaps('llm', 'thinker');
    await talk.until(() => talk.messages.some(({ kind }) => kind === 'swapped'));
    talk.leave();
  });

  it('somebody with a key of their own chooses any, and reads why', async () => {
    const talk = await TypedTalk.begin(service.address, 'back', { key: ownerKey });
    talk.swaps('llm', 'porch');
    await talk.until(() => talk.messages.some(({ kind }) => kind === 'swapped'));
    talk.swaps('llm', 'nobody');
    await talk.until(() => troubles(talk).length === 1);
    expect(troubles(talk)[0]!.detail).toMatch(/nobody/);
    await owner.swap(talk.conversation, 'llm', 'thinker');
    await talk.until(() => talk.messages.filter(({ kind }) => kind === 'swapped').length === 2);
    talk.leave();
  });

  it('of an origin that nobody named: the audit says what to write', async () => {
    await send('/v1/tokens', '{}', { origin: 'https://elsewhere.example' });
    await until(async () =>
      (await owner.audit(20)).some(({ about }) =>
        /origin https:\/\/elsewhere\.example was refused: add it to "origins"/.test(about),
      ),
    );
  });
});

describe('what hangs on a key', () => {
  it('ends with it: talks, their tokens’ talks, links, and whoever is there by them', async () => {
    const { key } = await owner.makeKey({ name: 'guesthouse', scopes: ['talk', 'read'] });
    const theirs = new HttpClient(service.address, key);
    const [own, mine] = [
      await TypedTalk.begin(service.address, 'back', { key }),
      await TypedTalk.begin(service.address, 'back', { key: ownerKey }),
    ];
    const page = await TypedTalk.begin(service.address, 'back', {
      pass: (await theirs.makeToken({ assistant: 'back' })).token,
    });
    const link = await theirs.view(mine.conversation, {});
    const watched = fetch(new URL(link.events, service.address)).then((answer) => answer.text());
    await owner.revokeKey('guesthouse');
    await own.until(() => own.isOver);
    await page.until(() => page.isOver);
    await watched;
    expect((await fetch(new URL(link.events, service.address))).status).toBe(404);
    expect((await fetch(new URL(link.captions, service.address))).status).toBe(404);
    expect(mine.isOver).toBe(false);
    mine.leave();
    // It is written a moment later.
    await until(async () =>
      /key .* holds no more/.test((await owner.conversation(own.conversation)).ending!),
    );
  });

  it('may go on where that was said, and nothing new begins', async () => {
    const { key } = await owner.makeKey({ name: 'inn', scopes: ['talk'] });
    const talk = await TypedTalk.begin(service.address, 'back', { key });
    await owner.revokeKey('inn', true);
    expect((await talk.says('still here')).answered).toBe(true);
    await expect(TypedTalk.begin(service.address, 'back', { key })).resolves.toMatchObject({ isOver: true });
    talk.leave();
  });
});

describe('the audit', () => {
  it('is not buried by refusals of nobody, and goes on page by page', async () => {
    for (let i = 0; i < 40; i++) await send('/v1/keys', '{}');
    const all = await owner.audit(1_000);
    expect(all.filter(({ who, what }) => who === 'nobody' && what === 'makeKey').length).toBeLessThanOrEqual(
      2,
    );
    expect(all.find(({ who }) => who === 'nobody')!.about).toMatch(/\S/);
    const [first, second] = [
      await owner.audit(2),
      await owner.audit(2, (await owner.audit(2)).at(-1)!.number),
    ];
    expect([...first, ...second].map(({ number }) => number)).toEqual(
      all.slice(0, 4).map(({ number }) => number),
    );
  });
});

it('over HTTP no file comes to name another secret, or sends one elsewhere', async () => {
  const put = (name: string, yaml: string) =>
    send(
      `/v1/files/engines/${name}`,
      yaml,
      { ...asOwner(), 'content-type': 'text/yaml', 'if-none-match': '*' },
      'PUT',
    );
  const card = (secret: string) =>
    `title: Mine\nrole: tts\nwire: http\nwhere: cloud\nlanguages: [en]\nvoices: { usual: x }\naddress: https://mine.example/speak\nsecret: ${secret}\nheaders: { a: '{secret}' }\nsend: { open: [{ text: '{text}' }] }\nreceive: { form: sound, encoding: auto }\n`;
  for (const secret of ['HOME', 'ALDER_KEY'])
    expect(await put('mine', card(secret))).toMatchObject({ status: 403, code: 'file-sends-secret' });
  expect(
    await put('mine', card('HOME').replace("secret: HOME\nheaders: { a: '{secret}' }\n", '')),
  ).toMatchObject({ status: 200 });
});

it('pages are pages when they are opened directly; nothing that is said is kept on the way', async () => {
  for (const path of ['/captions', '/conversations', '/files/assistants/tansy', '/access'])
    expect((await fetch(`${service.address}${path}`)).headers.get('content-type')).toMatch(/text\/html/);
  const { headers } = await fetch(`${service.address}/v1/conversations`, { headers: asOwner() });
  expect(headers.get('cache-control')).toBe('no-store');
});
