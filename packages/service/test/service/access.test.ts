/**
 * Who may: every operation and the socket, with every kind of wrong key, from the documents that describe
 * them.
 */
import { appendFileSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import pg from 'pg';
import { lineAddress } from '@verbalon/client';
import { TypedTalk } from '@verbalon/client/node';
import { SCOPES, type NewToken, type Scope, type ServiceMessage } from '@verbalon/protocol';
import { WebSocket } from 'ws';
import { lightProject } from '../../../../testing/light-project.js';
import {
  freshDatabase,
  freshFolder,
  startService,
  until,
  verbalon,
  type RunningService,
} from '../../../../testing/service.js';

const PUBLIC_ORIGIN = 'https://huts.example';
const FORGED = `verbalon-key-0123456789abcdef-${'A'.repeat(32)}`;
let service: RunningService;
let database: pg.Client;
/** A key for each scope alone, and those that hold no more. */
const keys: Record<Scope | 'expired' | 'revoked', string> = {
  talk: '',
  read: '',
  manage: '',
  expired: '',
  revoked: '',
};
const given: string[] = [];

const bearer = (key: string) => ({ authorization: `Bearer ${key}` });
const ask = (path: string, init: RequestInit = {}) => fetch(`${service.address}${path}`, init);
const codeOf = async (answer: Response) => ((await answer.json()) as { code: string }).code;

async function newKey(name: string, scopes: Scope[], more: object = {}, by = keys.manage): Promise<string> {
  const headers = { 'content-type': 'application/json', ...(by === '' ? {} : bearer(by)) };
  const answer = await ask('/v1/keys', {
    method: 'POST',
    headers,
    body: JSON.stringify({ name, scopes, ...more }),
  });
  const { key } = (await answer.json()) as { key: string };
  expect(answer.status).toBe(200);
  given.push(key);
  return key;
}

async function token(wanted: object, by = keys.talk): Promise<string> {
  const headers = { 'content-type': 'application/json', ...bearer(by) };
  const answer = await ask('/v1/tokens', { method: 'POST', headers, body: JSON.stringify(wanted) });
  const { token: text } = (await answer.json()) as NewToken;
  given.push(text);
  return text;
}

/**
 * What comes of somebody who arrives: `admitted`, or the code of why not; the talk that was let in goes on
 * until `leave`.
 */
async function arrives(
  {
    headers = {},
    ...arrive
  }: { headers?: Record<string, string>; pass?: string; assistant?: string; caller?: object },
  at = service.address,
): Promise<{ what: string; leave: () => Promise<void> }> {
  const socket = new WebSocket(lineAddress(at), { headers });
  const closed = new Promise<void>((done) => socket.on('close', () => done()));
  const what = await new Promise<string>((done) => {
    socket.on('unexpected-response', (_request, response) => {
      let text = '';
      response.on('data', (part: Buffer) => (text += part.toString()));
      response.on('end', () => {
        done((JSON.parse(text) as { code: string }).code);
        socket.terminate();
      });
    });
    socket.on('error', () => undefined);
    socket.on('open', () =>
      socket.send(
        JSON.stringify({
          kind: 'arrive',
          line: 'web',
          audio: { encoding: 's16le', rateHz: 16_000 },
          ...arrive,
        }),
      ),
    );
    socket.on('message', (data: Buffer, isBinary) => {
      if (isBinary) return;
      const message = JSON.parse(data.toString()) as ServiceMessage;
      if (message.kind === 'admitted') done('admitted');
      if (message.kind === 'trouble') done(message.code);
    });
  });
  const leave = async () => {
    if (socket.readyState === socket.OPEN) socket.send(JSON.stringify({ kind: 'leave' }));
    await closed;
  };
  if (what !== 'admitted') await leave();
  return { what, leave };
}

async function arrivesAndLeaves(who: Parameters<typeof arrives>[0]): Promise<string> {
  const { what, leave } = await arrives(who);
  await leave();
  return what;
}

const append = (project: string, file: string, line: string) =>
  appendFileSync(join(project, file), `\n${line}\n`);

beforeAll(async () => {
  const project = await lightProject({ standins: ['site'], assistants: { tansy: null, porch: null } });
  append(project, 'project.yaml', 'limits: { requestsASecond: 5000 }');
  const tansy = join(project, 'assistants/tansy.yaml');
  writeFileSync(tansy, readFileSync(tansy, 'utf8').replace('standin:site', PUBLIC_ORIGIN));
  const env = await freshDatabase();
  database = new pg.Client(env.DATABASE_URL);
  await database.connect();
  service = await startService(project, freshFolder(), env);
}, 120_000);

afterAll(async () => {
  await database.end();
  await service.stop();
});

it('without any key everybody on this machine may do everything, and the first key must be one that manages', async () => {
  expect(await service.http.visit()).toEqual({ who: 'anyone', scopes: [...SCOPES], open: true, edit: true });
  await expect(service.http.makeKey({ name: 'reader', scopes: ['read'] })).rejects.toMatchObject({
    problem: { code: 'keys-needed' },
  });
  keys.manage = await newKey('owner', ['manage'], {}, '');
  expect(await service.http.visit()).toEqual({ who: 'nobody', scopes: [], open: false, edit: true });
  keys.talk = await newKey('talker', ['talk']);
  keys.read = await newKey('reader', ['read']);
  keys.expired = await newKey('old', [...SCOPES], { days: 1 });
  await database.query("update keys set expires_at = now() - interval '1 second' where name = 'old'");
  keys.revoked = await newKey('gone', [...SCOPES]);
  const revoked = await ask('/v1/keys/gone', { method: 'DELETE', headers: bearer(keys.manage) });
  expect(revoked.status).toBe(204);
  const twice = {
    method: 'POST',
    headers: { 'content-type': 'application/json', ...bearer(keys.manage) },
    body: JSON.stringify({ name: 'owner', scopes: ['talk'] }),
  };
  expect(await codeOf(await ask('/v1/keys', twice))).toBe('key-name-taken');
});

describe('over HTTP', () => {
  interface Described {
    security: Record<string, Scope[]>[];
  }

  it('every operation that the document describes asks for its scope, and takes nothing else for it', async () => {
    const document = (await (await ask('/v1/openapi.json')).json()) as {
      paths: Record<string, Record<string, Described>>;
    };
    const page = await token({ origins: [], talks: 100 });
    const open: string[] = [];
    const wrong: string[] = [];
    let asked = 0;
    for (const [path, methods] of Object.entries(document.paths))
      for (const [method, { security }] of Object.entries(methods)) {
        const name = `${method.toUpperCase()} ${path}`;
        const scope = security[0]?.key?.[0];
        if (!scope) {
          open.push(name);
          continue;
        }
        const at = path.replaceAll(/\{kind\}/g, 'assistants').replaceAll(/\{\w+\}/g, 'nothing-such');
        const body = method === 'get' ? {} : { body: '{"names":[]}' };
        const comes = async (headers: Record<string, string>) => {
          const answer = await ask(at, {
            method: method.toUpperCase(),
            headers: { 'content-type': 'application/json', ...headers },
            ...body,
          });
          return [401, 403, 429].includes(answer.status) ? codeOf(answer) : 'let in';
        };
        const expected: [string, Record<string, string>, string][] = [
          ['without a key', {}, 'key-missing'],
          ...SCOPES.filter((one) => one !== scope).map((one): [string, Record<string, string>, string] => [
            one,
            bearer(keys[one]),
            'scope-missing',
          ]),
          ['expired', bearer(keys.expired), 'key-unknown'],
          ['revoked', bearer(keys.revoked), 'key-unknown'],
          ['forged', bearer(FORGED), 'key-unknown'],
          [
            'another secret',
            bearer(`${keys[scope].slice(0, -1)}${keys[scope].endsWith('A') ? 'B' : 'A'}`),
            'key-unknown',
          ],
          ['a page token', bearer(page), 'key-unknown'],
          ['no bearer', { authorization: `Basic ${keys[scope]}` }, 'key-unknown'],
          ['a foreign page', { ...bearer(keys[scope]), origin: 'https://evil.example' }, 'origin-foreign'],
          ['its own scope', bearer(keys[scope]), 'let in'],
        ];
        for (const [how, headers, code] of expected) {
          asked++;
          const got = await comes(headers);
          if (got !== code) wrong.push(`${name}, ${how}: ${got} instead of ${code}`);
        }
      }
    expect(wrong).toEqual([]);
    expect(asked).toBeGreaterThan(450);
    // What needs no key is said here, so that nothing comes to it unseen.
    expect(open.sort()).toEqual([
      'DELETE /v1/session',
      'GET /v1/schemas/{name}.json',
      'GET /v1/session',
      'GET /v1/views/{token}/captions.vtt',
      'GET /v1/views/{token}/events',
      'POST /v1/session',
    ]);
  });

  it('a page of an origin that an assistant names gets a token, and nothing else', async () => {
    const headers = { origin: PUBLIC_ORIGIN, 'content-type': 'application/json' };
    const preflight = await ask('/v1/tokens', { method: 'OPTIONS', headers });
    expect(preflight.status).toBe(204);
    expect(preflight.headers.get('access-control-allow-origin')).toBe(PUBLIC_ORIGIN);
    expect(preflight.headers.get('access-control-allow-credentials')).toBeNull();
    const tokenFor = (assistant: string) =>
      ask('/v1/tokens', {
        method: 'POST',
        headers,
        body: JSON.stringify({ assistant, talks: 50, caller: { id: 'somebody else' } }),
      });
    const answer = await tokenFor('tansy');
    expect(answer.headers.get('access-control-allow-origin')).toBe(PUBLIC_ORIGIN);
    const made = (await answer.json()) as NewToken;
    // What it wished for counts for nothing.
    expect(made).toMatchObject({ assistant: 'tansy', origins: [PUBLIC_ORIGIN], talks: 1 });
    expect(await codeOf(await tokenFor('porch'))).toBe('origin-foreign');
    expect(await codeOf(await ask('/v1/keys', { headers: { ...headers, ...bearer(keys.manage) } }))).toBe(
      'key-missing',
    );
    const page = { headers: { origin: PUBLIC_ORIGIN }, pass: made.token };
    expect(await arrivesAndLeaves({ ...page, headers: {} })).toBe('origin-foreign');
    expect(await arrivesAndLeaves(page)).toBe('admitted');
    expect(await arrivesAndLeaves(page)).toBe('token-spent');
  });

  it('a session of the console is a cookie for this origin alone, and ends', async () => {
    const headers = { 'content-type': 'application/json' };
    const signIn = (key: string) =>
      ask('/v1/session', { method: 'POST', headers, body: JSON.stringify({ key }) });
    expect(await codeOf(await signIn(FORGED))).toBe('key-unknown');
    const answer = await signIn(keys.read);
    const said = answer.headers.get('set-cookie')!;
    expect(said).toMatch(/HttpOnly/);
    expect(said).toMatch(/SameSite=Strict/);
    const cookie = said.split(';')[0]!;
    given.push(cookie.split('=')[1]!);
    const list = (more: object = {}) => ask('/v1/conversations', { headers: { cookie, ...more } });
    expect((await list()).status).toBe(200);
    expect(await codeOf(await list({ origin: 'https://evil.example' }))).toBe('origin-foreign');
    // A page that may talk does not talk as whoever is signed in.
    expect(await codeOf(await list({ origin: PUBLIC_ORIGIN }))).toBe('key-missing');
    await ask('/v1/session', { method: 'DELETE', headers: { cookie } });
    expect(await codeOf(await list())).toBe('key-unknown');
    expect(await (await ask('/v1/session', { headers: { cookie } })).json()).toMatchObject({ who: 'nobody' });
  });

  it('what was changed or refused is kept, with who it was', async () => {
    const answer = await ask('/v1/audit?limit=1000', { headers: bearer(keys.manage) });
    const all: unknown = await answer.json();
    expect(all).toContainEqual(
      expect.objectContaining({ what: 'makeKey', who: 'anyone', status: 200, about: 'owner: manage' }),
    );
    expect(all).toContainEqual(
      expect.objectContaining({ what: 'revokeKey', who: 'owner', status: 204, about: 'gone' }),
    );
    expect(all).toContainEqual(expect.objectContaining({ what: 'writeFile', who: 'nobody', status: 401 }));
    expect(all).toContainEqual(expect.objectContaining({ what: 'signIn', who: 'reader', status: 200 }));
  });
});

describe('on the socket', () => {
  it('asks for the scope that the document names', async () => {
    const document = (await (await ask('/v1/asyncapi.json')).json()) as {
      channels: Record<string, { address: string }>;
      operations: Record<string, { action: string; 'x-scope'?: Scope }>;
    };
    const incoming = Object.values(document.operations).filter(({ action }) => action === 'receive');
    expect(Object.values(document.channels).map(({ address }) => address)).toEqual(['/v1/line']);
    expect(incoming.map((one) => one['x-scope'])).toEqual(['talk']);
    const table: [Parameters<typeof arrives>[0], string][] = [
      [{}, 'key-missing'],
      [{ headers: bearer(keys.read) }, 'scope-missing'],
      [{ headers: bearer(keys.manage) }, 'scope-missing'],
      [{ headers: bearer(keys.expired) }, 'key-unknown'],
      [{ headers: bearer(keys.revoked) }, 'key-unknown'],
      [{ headers: bearer(FORGED) }, 'key-unknown'],
      [{ headers: { ...bearer(keys.talk), origin: 'https://evil.example' } }, 'origin-foreign'],
      // A page of somebody else's has no rights but those of its token.
      [{ headers: { ...bearer(keys.talk), origin: PUBLIC_ORIGIN } }, 'key-missing'],
      [{ pass: `verbalon-page-0123456789abcdef-${'A'.repeat(32)}` }, 'key-unknown'],
      [{ pass: keys.talk }, 'key-unknown'],
      [{ headers: bearer(keys.talk) }, 'admitted'],
    ];
    for (const [who, what] of table) expect([who, await arrivesAndLeaves(who)]).toEqual([who, what]);
  });

  it('a page token is for its origins, its assistant, its time and its number of talks', async () => {
    const origin = 'https://shop.example';
    expect(await arrivesAndLeaves({ headers: { origin }, pass: FORGED.replace('key', 'page') })).toBe(
      'origin-foreign',
    );
    const pass = await token({ assistant: 'tansy', origins: [origin], talks: 2 });
    const page = { headers: { origin }, pass };
    expect(await arrivesAndLeaves({ pass })).toBe('origin-foreign');
    expect(await arrivesAndLeaves({ headers: { origin: PUBLIC_ORIGIN }, pass })).toBe('origin-foreign');
    expect(await arrivesAndLeaves({ ...page, assistant: 'porch' })).toBe('scope-missing');
    expect(await arrivesAndLeaves(page)).toBe('admitted');
    expect(await arrivesAndLeaves({ ...page, assistant: 'tansy' })).toBe('admitted');
    expect(await arrivesAndLeaves(page)).toBe('token-spent');
    const late = await token({ origins: [origin], talks: 9 });
    await database.query("update passes set until = now() - interval '1 second' where talks = 9");
    expect(await arrivesAndLeaves({ headers: { origin }, pass: late })).toBe('key-unknown');
    const key = await newKey('short', ['talk']);
    const orphan = await token({ origins: [origin] }, key);
    await ask('/v1/keys/short', { method: 'DELETE', headers: bearer(keys.manage) });
    expect(await arrivesAndLeaves({ headers: { origin }, pass: orphan })).toBe('key-unknown');
  });

  it('the caller that a token names is believed, what a page says of an id is not, and both are stored as such', async () => {
    const caller = { id: 'guest-7', name: 'Miller', values: { hut: 'rowan' } };
    const stored = async (pass: string, says: object) => {
      const talk = await TypedTalk.begin(service.address, 'tansy', { pass, caller: says });
      await talk.says('is there supper');
      talk.leave();
      const read = () => ask(`/v1/conversations/${talk.conversation}`, { headers: bearer(keys.read) });
      await until(
        async () => typeof ((await (await read()).json()) as { endedAt?: unknown }).endedAt === 'string',
      );
      return (await read()).json();
    };
    expect(await stored(await token({ caller }), { id: 'forged' })).toMatchObject({
      caller,
      callerSure: true,
      admittedBy: 'page of talker',
    });
    expect(await stored(await token({}), { id: 'forged', name: 'Fisher' })).toMatchObject({
      caller: { name: 'Fisher' },
      callerSure: false,
    });
  });

  it('a key has its number of talks at once and a day, and is told when to come again', async () => {
    const one = await newKey('one at once', ['talk'], { limits: { talksAtOnce: 1 } });
    const first = await arrives({ headers: bearer(one) });
    expect(first.what).toBe('admitted');
    expect(await arrivesAndLeaves({ headers: bearer(one) })).toBe('talks-too-many');
    await first.leave();
    await until(async () => (await arrivesAndLeaves({ headers: bearer(one) })) === 'admitted');
    const daily = await newKey('two a day', ['talk'], { limits: { talksADay: 2 } });
    // All at once: no more are let in than there are left.
    const all = await Promise.all(
      Array.from({ length: 5 }, () => arrivesAndLeaves({ headers: bearer(daily) })),
    );
    expect(all.filter((what) => what === 'admitted')).toHaveLength(2);
    expect(all.filter((what) => what === 'talks-too-many')).toHaveLength(3);
  });
});

it('the command line shows its key, and says what to do without one', async () => {
  const env = { VERBALON_URL: service.address };
  expect(await verbalon(['conversations'], env)).toMatchObject({
    code: 1,
    err: expect.stringMatching(/VERBALON_KEY/),
  });
  expect((await verbalon(['conversations'], { ...env, VERBALON_KEY: keys.read })).code).toBe(0);
  expect((await verbalon(['keys'], { ...env, VERBALON_KEY: keys.manage })).out).toMatch(
    /talker +talk +until revoked/,
  );
});

it('nothing that opens the door stands in the log, in the database or in the audit', async () => {
  const rows = await database.query(
    'select t::text from (select row_to_json(k) from keys k union all select row_to_json(p) from passes p union all select row_to_json(a) from audit a) t',
  );
  const everything = `${service.log()}\n${rows.rows.map((row) => JSON.stringify(row)).join('\n')}`;
  expect(given.length).toBeGreaterThan(8);
  for (const text of given) expect(everything).not.toContain(text.slice(-20));
});
