/**
 * A service that is reached from elsewhere: it wants a key first, speaks TLS, believes the proxy that it was
 * told of, and writes no files.
 */
import { appendFileSync } from 'node:fs';
import { request } from 'node:http';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import type { Visit } from '@verbalon/protocol';
import { lightProject } from '../../../../testing/light-project.js';
import {
  freshDatabase,
  freshCertificate,
  freshFolder,
  startServing,
  verbalon,
  verbalonProgram,
  type Serving,
} from '../../../../testing/service.js';

const HOST = 'voice.huts.example';
const data = freshFolder();
let env: Record<string, string>;
let key: string;

beforeAll(async () => {
  env = await freshDatabase();
}, 60_000);

/** @returns the answer to a request as a proxy, or a caller, sends it: fetch sets no Host */
function asks(
  address: string,
  path: string,
  headers: Record<string, string>,
  body?: string,
): Promise<{ status: number; body: Record<string, unknown>; cookie: string; more: number }> {
  return new Promise((resolve, reject) => {
    const outgoing = request(new URL(path, address), {
      headers,
      method: body === undefined ? 'GET' : 'POST',
    });
    outgoing.on('error', reject).on('response', (answer) => {
      let text = '';
      answer.on('data', (part: Buffer) => (text += part.toString()));
      answer.on('end', () =>
        resolve({
          status: answer.statusCode!,
          body: JSON.parse(text) as Record<string, unknown>,
          cookie: answer.headers['set-cookie']?.[0] ?? '',
          more: Number(answer.headers['retry-after'] ?? 0),
        }),
      );
    });
    outgoing.end(body);
  });
}

it.each([
  ['at another address', {}, ['--host', '0.0.0.0']],
  ['behind a proxy', { VERBALON_PROXY: '127.0.0.1' }, []],
  ['under another name', { VERBALON_HOSTS: HOST }, []],
])('does not start without a key that manages: %s', async (_how, more, args) => {
  await expect(startServing(await lightProject(), data, { ...env, ...more }, args)).rejects.toThrow(
    /keys-needed/,
  );
});

it('a proxy that is no address, and half of a certificate, are told', async () => {
  const start = async (more: Record<string, string>, args: string[] = []) =>
    startServing(await lightProject(), data, { ...env, ...more }, args);
  await expect(start({}, ['--cert', 'cert.pem'])).rejects.toThrow(/--cert and --cert-key go together/);
  await expect(start({}, ['--cert', 'no.pem', '--cert-key', 'no.pem'])).rejects.toThrow(/PEM files/);
});

it('the first key is made in the data folder, where no service runs', async () => {
  const made = await verbalon(
    ['keys', 'new', 'owner', '--scope', 'manage', 'read', 'talk', '--data', data],
    env,
  );
  expect(made).toMatchObject({ code: 0, err: expect.stringMatching(/no service runs/) });
  key = made.out.trim();
});

describe('behind a proxy', () => {
  let service: Serving;

  beforeAll(async () => {
    const project = await lightProject();
    appendFileSync(join(project, 'project.yaml'), '\nlimits: { requestsASecond: 5 }\n');
    service = await startServing(project, data, {
      ...env,
      VERBALON_PROXY: '127.0.0.1',
      VERBALON_HOSTS: HOST,
    });
  }, 120_000);

  afterAll(() => void service.child.kill('SIGKILL'));

  const forwarded = (address: string) => ({
    host: HOST,
    'x-forwarded-for': address,
    'x-forwarded-proto': 'https',
  });

  it('whose address it was, and that it was encrypted, is believed of the proxy', async () => {
    const json = { 'content-type': 'application/json', origin: `https://${HOST}` };
    const answer = await asks(
      service.address,
      '/v1/session',
      { ...forwarded('192.0.2.7'), ...json },
      JSON.stringify({ key }),
    );
    expect(answer).toMatchObject({
      status: 200,
      body: { who: 'owner', edit: false } satisfies Partial<Visit>,
    });
    expect(answer.cookie).toMatch(/Secure/);
    const audit = await asks(service.address, '/v1/audit', {
      ...forwarded('192.0.2.8'),
      authorization: `Bearer ${key}`,
    });
    expect(audit.body).toContainEqual(expect.objectContaining({ what: 'signIn', address: '192.0.2.7' }));
  });

  it('is never open, and its files are not written over HTTP', async () => {
    expect(await asks(service.address, '/v1/engines', forwarded('192.0.2.9'))).toMatchObject({ status: 401 });
    const put = await fetch(`${service.address}/v1/files/assistants/tansy`, {
      method: 'PUT',
      headers: { authorization: `Bearer ${key}`, 'content-type': 'text/yaml' },
      body: 'title: Mine',
    });
    expect(await put.json()).toMatchObject({ status: 403, code: 'edit-off' });
  });

  it('an address that asks too often waits, and another does not', async () => {
    const all = await Promise.all(
      Array.from({ length: 60 }, () => asks(service.address, '/v1/session', forwarded('192.0.2.10'))),
    );
    const refused = all.filter(({ status }) => status === 429);
    expect(refused.length).toBeGreaterThan(0);
    expect(refused[0]).toMatchObject({ body: { code: 'requests-too-many' }, more: 1 });
    expect((await asks(service.address, '/v1/session', forwarded('192.0.2.11'))).status).toBe(200);
  });
});

it('a proxy that it was not told of makes nobody of this machine', async () => {
  const service = await startServing(await lightProject(), freshFolder(), await freshDatabase());
  try {
    const said = { host: 'localhost', 'x-forwarded-for': '192.0.2.7' };
    expect(await asks(service.address, '/v1/session', said)).toMatchObject({
      status: 403,
      body: { code: 'proxy-unknown' },
    });
    expect(await asks(service.address, '/v1/session', { host: 'localhost' })).toMatchObject({
      status: 200,
      body: { open: true },
    });
  } finally {
    service.child.kill('SIGKILL');
  }
});

it('speaks TLS with its own certificate, to other addresses of this machine', async () => {
  const { cert, key: certKey } = freshCertificate();
  const service = await startServing(await lightProject(), data, env, [
    '--host',
    '0.0.0.0',
    '--cert',
    cert,
    '--cert-key',
    certKey,
  ]);
  try {
    expect(service.address).toMatch(/^https:/);
    const at = { VERBALON_URL: service.address, NODE_EXTRA_CA_CERTS: cert };
    expect(verbalonProgram(['keys'], { ...at, VERBALON_KEY: key })).toMatchObject({
      code: 0,
      out: expect.stringMatching(/owner/),
    });
    expect(verbalonProgram(['keys'], at)).toMatchObject({
      code: 1,
      err: expect.stringMatching(/key-missing/),
    });
  } finally {
    service.child.kill('SIGKILL');
  }
});
