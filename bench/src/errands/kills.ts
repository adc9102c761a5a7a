/**
 * Whether anything is done twice, or without being known: the service killed at random moments around a yes,
 * and a system that breaks off.
 */
import { createServer, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { chmodSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { HttpClient } from '@verbalon/client';
import { TypedTalk } from '@verbalon/client/node';
import { ServiceUnderFire } from '@verbalon/hostile';
import { seeded } from '@verbalon/core';

const root = fileURLToPath(new URL('../../..', import.meta.url));
const KILLS = 50;
const FAULT_TIMES = 10;
/** The kill comes at a random moment within this time after the yes, in ms. */
const KILL_WITHIN_MS = 90;
/** What the system does: before or after it has done what was asked. */
const FAULTS = [
  '500 before',
  '500 after',
  'reset before',
  'reset after',
  'page after',
  'silence after',
] as const;
type Fault = (typeof FAULTS)[number];
const BOOKING = 'book one bunk at Heron Hut for Monday under Miller';

/** A system that books, and counts what was asked for with which key. */
class Office {
  readonly counts = new Map<string, number>();
  fault: Fault | null = null;
  private readonly server = createServer((request, response) => {
    request.resume();
    const key = String(request.headers['idempotency-key'] ?? '');
    if (request.method === 'GET') return this.known(request.url!.split('/').at(-1)!, response);
    const { fault } = this;
    this.fault = null;
    setTimeout(() => this.book(key, fault, response), this.random() * 20);
  });

  constructor(private readonly random: () => number) {}

  async open(): Promise<string> {
    await new Promise<void>((done) => this.server.listen(0, '127.0.0.1', done));
    return `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }

  close(): void {
    this.server.closeAllConnections();
    this.server.close();
  }

  private known(key: string, response: ServerResponse): void {
    const found = this.counts.has(decodeURIComponent(key));
    response.writeHead(found ? 200 : 404, { 'content-type': 'application/json' });
    response.end(found ? '{"number":"1"}' : '{}');
  }

  private book(key: string, fault: Fault | null, response: ServerResponse): void {
    const answer = (status: number, body: string, type = 'application/json') =>
      response.writeHead(status, { 'content-type': type }).end(body);
    if (fault === '500 before') return void answer(500, '{}');
    if (fault === 'reset before') return void response.destroy();
    // It keeps no keys by itself: what is counted is how often it was asked to do it, and did.
    this.counts.set(key, (this.counts.get(key) ?? 0) + 1);
    if (fault === '500 after') return void answer(500, '{}');
    if (fault === 'reset after') return void response.destroy();
    if (fault === 'page after') return void answer(200, '<html>', 'text/html');
    if (fault === 'silence after') return;
    setTimeout(() => answer(201, '{"number":"1"}'), this.random() * 20);
  }
}

export async function killsBench(seed: number): Promise<object> {
  const random = seeded(seed);
  const folder = mkdtempSync(join(tmpdir(), 'verbalon-errands-'));
  // The database's user must be able to enter it.
  chmodSync(folder, 0o755);
  const office = new Office(random);
  const address = await office.open();
  const service = await ServiceUnderFire.start({ root, folder });
  try {
    await tellOf(service, address);
    const faults = [];
    for (const fault of FAULTS) faults.push({ fault, ...(await withFault(service, office, fault)) });
    return { faults, kills: await killed(service, office, random) };
  } finally {
    await service.stop();
    office.close();
    rmSync(folder, { recursive: true, force: true });
  }
}

/** The errand asks this office from now on. */
async function tellOf(service: ServiceUnderFire, address: string): Promise<void> {
  const file = join(service.project, 'errands/book-bunks.yaml');
  const text = readFileSync(file, 'utf8')
    .replaceAll('standin:office', address)
    .replace(/^ *(?:secret|headers): .*\n/gm, '')
    .replace('deadlineMs: 5000', 'deadlineMs: 500');
  writeFileSync(file, text);
  await service.killAndBegin();
}

async function withFault(service: ServiceUnderFire, office: Office, fault: Fault) {
  const sum = { tried: 0, done: 0, failed: 0, unsure: 0, twice: 0, wronglyTold: 0 };
  const talk = await TypedTalk.begin(service.address, 'tansy');
  for (let i = 0; i < FAULT_TIMES; i++) {
    const before = office.counts.size;
    await talk.says(BOOKING);
    office.fault = fault;
    const { errands = [] } = await talk.says('yes');
    const stage = errands[0]?.stage;
    sum.tried++;
    if (stage === 'done' || stage === 'failed' || stage === 'unsure') sum[stage]++;
    if (stage !== 'unsure' && office.counts.size > before !== (stage === 'done')) sum.wronglyTold++;
  }
  talk.leave();
  sum.twice = [...office.counts.values()].filter((count) => count > 1).length;
  return sum;
}

async function killed(service: ServiceUnderFire, office: Office, random: () => number) {
  const sum = { tried: 0, neverTried: 0, done: 0, notDone: 0, unsure: 0, twice: 0, wronglyKept: 0 };
  for (let i = 0; i < KILLS; i++) {
    const talk = await TypedTalk.begin(service.address, 'tansy');
    await talk.says(BOOKING);
    const { conversation } = talk;
    talk.types('yes');
    await new Promise((done) => setTimeout(done, random() * KILL_WITHIN_MS));
    await service.killAndBegin();
    const [row] = await new HttpClient(service.address).runs({ conversation });
    const count = [...office.counts]
      .filter(([key]) => key.startsWith(conversation))
      .reduce((all, [, one]) => all + one, 0);
    sum.tried++;
    if (count > 1) sum.twice++;
    if (!row) sum.neverTried++;
    else if (row.state === 'done') sum.done++;
    else if (row.state === 'unsure') sum.unsure++;
    else sum.notDone++;
    const isDone = row?.state === 'done';
    if (row?.state !== 'unsure' && isDone !== count > 0) sum.wronglyKept++;
  }
  return sum;
}
