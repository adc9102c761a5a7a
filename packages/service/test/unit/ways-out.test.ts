/**
 * Every way out of the service, against the promise that an assistant stays on the machine; and what stays
 * within its place on the way.
 */
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { Writable } from 'node:stream';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { addressOf } from '@verbalon/engines';
import pino from 'pino';
import { addressUnit } from '../../src/access/address-unit.js';
import { Audit } from '../../src/access/audit.js';
import { RequestRate } from '../../src/access/request-rate.js';
import { csvCell } from '../../src/common/csv-cell.js';
import { doneOverHttp } from '../../src/errands/over-http.js';
import { post, sendLetter } from '../../src/messages/ways.js';
import { nestsTooDeep, yamlNestsTooDeep } from '../../src/common/nesting.js';
import { sipHost } from '../../src/phone/outgoing.js';
import { makeLogger } from '../../src/safe-log.js';
import { OwnStages } from '../../src/stages/own-stages.js';
import { MessageAllowance } from '../../src/talk/line/message-allowance.js';
import { ComputingBudget } from '../../src/talk/line/computing-budget.js';
import { askOutside, whyNotOut, type StayOf } from '../../src/common/ways-out.js';

/** Nobody is there (RFC 5737): what is sent there would only be late. */
const ELSEWHERE = 'http://192.0.2.1:9';
const log = pino({ level: 'silent' });
let server: Server;
let here: string;
let asked: string[] = [];

beforeAll(async () => {
  server = createServer((request, response) => {
    asked.push(request.url!);
    response.setHeader('content-type', 'application/json').end('{}');
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  here = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => void server.close());

const around = { standins: {}, secrets: {}, ring: () => Promise.resolve({ is: 'sent' as const }) };
const letter = { id: '1', to: 'a@b.example', name: 'A', from: '', subject: '', text: 'x' };
const stages = (at: string, stay: StayOf) =>
  new OwnStages({
    talk: 't',
    stages: { spoken: { at, deadlineMs: 5_000 } },
    folder: '.',
    stay,
    workers: {} as never,
    page: null,
    log,
  });

/** Each way out, and how it is told that it may not be gone. */
const WAYS: Record<string, (to: string, stay: StayOf) => Promise<unknown>> = {
  errand: (to, stay) =>
    doneOverHttp(
      { to, body: { text: 'x' } },
      { run: '1' },
      { standins: {}, secrets: {}, stay, signal: new AbortController().signal, tell: () => undefined },
    ).then(({ ending }) => ending),
  'message by webhook': (to, stay) =>
    sendLetter({ webhook: to }, letter, around, { assistant: 'a', stay }).then(({ is }) => is),
  'hand-over by webhook': (to, stay) =>
    post({ webhook: to }, { known: 'x' }, '1', around, stay).then(({ is }) => is),
  'own stage': (to, stay) => stages(to, stay).spoken('x'),
  'look-up of values': (to, stay) =>
    askOutside(stay, to, {}).then(
      () => 'asked',
      () => 'not asked',
    ),
};

describe('an assistant that stays on the machine', () => {
  it.each(Object.keys(WAYS))('has nothing leave it by: %s', async (name) => {
    asked = [];
    const way = WAYS[name]!;
    const fast = await Promise.race([
      way(ELSEWHERE, 'on-machine'),
      new Promise((done) => setTimeout(done, 4_000, 'it went out')),
    ]);
    expect(['failed', 'refused', 'later', 'x', 'not asked']).toContain(fast);
    await way(`${here}/stays`, 'on-machine');
    await way(`${here}/any`, null);
    expect(asked).toEqual(['/stays', '/any']);
  });

  it('sends no mail elsewhere, and rings nobody there', async () => {
    const way = { smtp: 'smtp://192.0.2.1:25', from: 'a@b.example' };
    expect(await sendLetter(way, letter, around, { assistant: 'a', stay: 'on-machine' })).toMatchObject({
      is: 'refused',
    });
    expect(whyNotOut('on-machine', sipHost('sip:warden@192.0.2.1'))).toMatch(/elsewhere/);
    expect(whyNotOut('on-machine', sipHost('sip:warden@127.0.0.1:5066'))).toBeNull();
    expect(whyNotOut(null, sipHost('sip:warden@192.0.2.1'))).toBeNull();
  });
});

describe('a value of an address', () => {
  it.each(['..', '.', ''])('that would name something else is refused: "%s"', (text) => {
    expect(() => addressOf(`${here}/notes/{text}`, { text }, {})).toThrow();
  });

  it.each([
    ['../../admin', '/notes/..%2F..%2Fadmin'],
    ['%2e%2e', '/notes/%252e%252e'],
    ['..\\', '/notes/..%5C'],
    ['a/b?c=1#d', '/notes/a%2Fb%3Fc%3D1%23d'],
  ])('is one segment: %s', (text, path) => {
    const url = addressOf(`${here}/notes/{text}`, { text }, {});
    expect(url.href).toBe(`${here}${path}`);
  });

  it('may be empty where it is not a whole segment', () =>
    expect(addressOf(`${here}/notes?q={text}`, { text: '' }, {}).href).toBe(`${here}/notes?q=`));
});

describe('limits', () => {
  it('count a network of 64 bits as one address', () => {
    expect(addressUnit('2001:db8:1:2:3:4:5:6')).toBe(addressUnit('2001:db8:1:2::1'));
    expect(addressUnit('2001:db8:1:2::1')).not.toBe(addressUnit('2001:db8:1:3::1'));
    expect(addressUnit('::ffff:192.0.2.7')).toBe('192.0.2.7');
  });

  it('are the same for requests and for lines, and do not hold where the service is open', async () => {
    let isOpen = false;
    const rate = new RequestRate({ most: () => (isOpen ? undefined : 3), isOpen: () => isOpen });
    for (const host of [1, 2, 3]) await rate.take(`2001:db8::${host}`);
    await expect(rate.take('2001:db8::4')).rejects.toMatchObject({ code: 'requests-too-many' });
    await rate.take('2001:db8:0:1::1');
    isOpen = true;
    for (let i = 0; i < 200; i++) await rate.take('2001:db8::4');
    rate.stop();
  });

  it('of messages let a line catch up after five seconds in which one end stood still, and no flood', () => {
    const inOneGo = (messages: number, restMs: number) => {
      const allowance = new MessageAllowance(0);
      return Array.from({ length: messages }, () => allowance.take(restMs)).every(Boolean);
    };
    // Sound every 20 ms, and as much again of what a page tells while it plays.
    expect(inOneGo(2 * 250, 5_000)).toBe(true);
    expect(inOneGo(1_001, 60_000)).toBe(false);
  });

  it('of computing hold a line back for as long as its share is overdrawn, and no other', () => {
    const budget = new ComputingBudget();
    // It begins with 40 ms, and 10 more come in 50: the fourth message of 20 ms overdraws it by 10, and waits
    // for five times that.
    expect([0, 1, 2, 3].map((at) => budget.spend(20, at * 50))).toEqual([0, 0, 0, 50]);
    // 180 messages of 43 ms each: one every 215 ms is a fifth of the time.
    let nowMs = 200;
    for (let i = 0; i < 180; i++) nowMs += 43 + budget.spend(43, nowMs);
    expect(nowMs / 180).toBeGreaterThan(200);
    expect(nowMs / 180).toBeLessThan(230);
    expect(new ComputingBudget().spend(1, 0)).toBe(0);
  });
});

it('refusals of nobody are counted by their kind, and told at the end of the minute', () => {
  const rows: { who: string; about: string }[] = [];
  const audit = new Audit((row) => rows.push(row));
  const refused = { who: 'nobody', address: '192.0.2.7', what: 'makeKey', about: '/v1/keys', status: 401 };
  for (let i = 0; i < 1_200; i++) audit.note(refused);
  audit.note({ ...refused, who: 'owner', status: 200 });
  expect(rows).toHaveLength(2);
  audit.stop();
  expect(rows).toHaveLength(3);
  expect(rows[2]!.about).toMatch(/1200 times/);
});

it('an error of the database is logged by its cause, never with what callers said', () => {
  let written = '';
  const out = new Writable({
    write: (part: Buffer, _encoding, done) => ((written += part.toString()), done()),
  });
  const own = makeLogger('info', out);
  const error = new Error('Failed query: insert into turns values ($1)\nparams: the pump is loose', {
    cause: new Error('connection refused'),
  });
  Object.assign(error, { query: 'insert', params: ['the pump is loose'] });
  own.error(error);
  own.error({ err: error }, 'it failed');
  own.warn({ why: 'x' }, String(error));
  expect(written).not.toMatch(/pump is loose/);
  expect(written.match(/connection refused/g)!.length).toBeGreaterThanOrEqual(2);
});

describe('what comes in nests no deeper than is meant', () => {
  it('of JSON, whatever stands in its texts', () => {
    expect(nestsTooDeep(Buffer.from('['.repeat(200_000)))).toBe(true);
    expect(nestsTooDeep(Buffer.from(JSON.stringify({ text: '[[[['.repeat(100), quote: '\\"[' })))).toBe(
      false,
    );
  });

  it('of YAML, in brackets and in lists', () => {
    for (const text of ['['.repeat(200_000), '- '.repeat(50_000), `${'{a: '.repeat(50_000)}`])
      expect(yamlNestsTooDeep(text)).toBe(true);
    expect(yamlNestsTooDeep("begins: ['[a] [b]', '(c|d) [e]']\n".repeat(2_000))).toBe(false);
  });
});

it('a cell of a table is no formula', () => {
  for (const text of ['=1', '+1', '-1', '@a', '\tx', '＝1', '＋1', '－1', '＠a'])
    expect(csvCell(text)).toMatch(/^"?'/);
  expect(csvCell('a,"b"')).toBe('"a,""b"""');
});
