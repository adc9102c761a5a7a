/**
 * The telephone over TLS, with the certificate of the service: it is rung, and has a number at a provider who
 * speaks it, too.
 */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { once } from 'node:events';
import { readFileSync } from 'node:fs';
import type { IncomingMessage } from 'node:http';
import { get } from 'node:https';
import { connect as connectPlain } from 'node:net';
import { connect } from 'node:tls';
import { brokenHandshakes, SipStream, TestPhone, TestRegistrar } from '@verbalon/hostile';
import { phonedProject } from '../../../../testing/phoned-service.js';
import {
  freshCertificate,
  freshFolder,
  startServing,
  until,
  type Serving,
} from '../../../../testing/service.js';

let service: Serving;
let provider: TestRegistrar;
let ca: Buffer;
/** `ADDRESS:PORT` of its telephone, over TLS. */
let at: string;

beforeAll(async () => {
  const { cert, key } = freshCertificate();
  ca = readFileSync(cert);
  provider = await TestRegistrar.openTls('4712', 'mountain-goat', { cert: ca, key: readFileSync(key) });
  const phone = `  tlsPort: 0
  numbers: { '100': tansy }
  registrations: [{ at: 'sip:127.0.0.1:${provider.port}', user: '4712', secret: PHONE_SECRET, protocol: tls }]
`;
  const env = { PHONE_SECRET: 'mountain-goat', NODE_EXTRA_CA_CERTS: cert };
  service = await startServing(await phonedProject({ phone }), freshFolder(), env, [
    '--cert',
    cert,
    '--cert-key',
    key,
  ]);
  at = /"tlsAddress":"sip:([^;"]+);transport=tls"/.exec(service.log())![1]!;
}, 120_000);
afterAll(async () => {
  await service.stop();
  provider.close();
});

/** A telephone that speaks TLS is answered. */
async function isAnswered(): Promise<void> {
  const [host, port] = at.split(':');
  const socket = connect({ host: host!, port: Number(port), ca });
  await once(socket, 'secureConnect');
  const call = new SipStream(socket, 'TLS', at);
  call.say('OPTIONS', 1);
  await until(() => call.has('OPTIONS', 200));
  socket.destroy();
}

it('it is rung, answers on the connection, and hangs up there', async () => {
  const [host, port] = at.split(':');
  const socket = connect({ host: host!, port: Number(port), ca });
  await once(socket, 'secureConnect');
  const call = new SipStream(socket, 'TLS', at);
  const ear = await TestPhone.open();
  call.say('INVITE', 1, ear.sdp());
  await until(() => call.has('INVITE', 200));
  const answer = call.came.find(({ status }) => status === 200)!;
  expect(answer.header('Via')).toMatch(/^SIP\/2\.0\/TLS /);
  expect(answer.header('Contact')).toBe(`<sip:100@${at};transport=tls>`);
  call.say('ACK', 1);
  await until(() => ear.heard.length > 20);
  call.say('BYE', 2);
  await until(() => call.has('BYE', 200));
  socket.destroy();
  ear.close();
});

it('a number at a provider is registered over TLS', async () => {
  await until(() => [...provider.registered.values()].includes(300));
  expect([...provider.registered.keys()]).toEqual([`sip:4712@${at};transport=tls`]);
  expect(provider.came.every((message) => message.header('Via').startsWith('SIP/2.0/TLS '))).toBe(true);
});

it('who speaks no TLS there, or does not trust the certificate, goes away, and it goes on', async () => {
  const [host, port] = at.split(':');
  const plain = connectPlain(Number(port), host);
  plain.on('error', () => undefined).write('REGISTER sip:100 SIP/2.0\r\n\r\n');
  await once(plain.resume(), 'close');
  await once(connect({ host: host!, port: Number(port) }), 'error');
  await isAnswered();
});

it('300 handshakes that never become one end nothing, by web and by telephone', async () => {
  const port = at.split(':')[1];
  const web = new URL(service.address);
  expect(web.protocol).toBe('https:');
  expect(await brokenHandshakes([Number(port), Number(web.port)], 300, 91)).toBe(300);
  const health = get({ host: web.hostname, port: web.port, path: '/healthz', ca });
  const [answer] = (await once(health, 'response')) as [IncomingMessage];
  expect(answer.resume().statusCode).toBe(200);
  await isAnswered();
  expect(service.child.exitCode).toBeNull();
});

it('a version of TLS that is broken is not spoken', async () => {
  const port = Number(at.split(':')[1]);
  for (const maxVersion of ['TLSv1', 'TLSv1.1'] as const) {
    const socket = connect({
      host: '127.0.0.1',
      port,
      ca,
      minVersion: 'TLSv1',
      maxVersion,
      ciphers: 'DEFAULT@SECLEVEL=0',
    });
    await once(socket, 'error');
  }
});
