/**
 * What a page, a caller, an engine or a file sends to a running service: the one request or talk that it came
 * with suffers, and nothing else.
 */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { get, type IncomingMessage } from 'node:http';
import { connect } from 'node:net';
import { join } from 'node:path';
import { WebSocket } from 'ws';
import { lineAddress, ServiceError } from '@verbalon/client';
import { callWithRecording } from '@verbalon/client/node';
import { quickTurn } from '@verbalon/hostile';
import type { ServiceMessage, ServiceMessageOf } from '@verbalon/protocol';
import { cloudsProject } from '../../../../testing/clouds-project.js';
import {
  freshFolder,
  OWN_DATABASE,
  startService,
  until,
  patientWalker,
  type RunningService,
} from '../../../../testing/service.js';

const MOST_TALKS = 10;
const KEY = 'a-key-for-nobody-4711';

let service: RunningService;
let project: string;
const dataFolder = freshFolder();

beforeAll(async () => {
  project = cloudsProject();
  mkdirSync(join(dataFolder, 'uploads'));
  writeFileSync(join(dataFolder, 'uploads/left-behind'), 'x');
  service = await startService(project, dataFolder, {
    ...OWN_DATABASE,
    VERBALON_TALKS: String(MOST_TALKS),
    VERBALON_TEST_KEY: KEY,
  });
}, 60_000);
afterAll(() => service.stop());

/** Others can be served; a busy machine may need a moment for that. */
const well = () => until(async () => (await service.http.waitingFor()).length === 0, service.log);
const AUDIO = { encoding: 's16le', rateHz: 16_000 };
const arrive = (assistant: string) => ({ kind: 'arrive', line: 'web', audio: AUDIO, assistant });

interface OpenLine {
  socket: WebSocket;
  messages: ServiceMessage[];
  told<K extends ServiceMessage['kind']>(kind: K): ServiceMessageOf<K>[];
  send(message: object): void;
}

async function openLine(assistant: string): Promise<OpenLine> {
  const socket = new WebSocket(lineAddress(service.address));
  const messages: ServiceMessage[] = [];
  socket.on('error', () => undefined);
  socket.on(
    'message',
    (data: Buffer, isBinary) => !isBinary && messages.push(JSON.parse(data.toString()) as ServiceMessage),
  );
  await new Promise((done) => socket.once('open', done));
  const told = <K extends ServiceMessage['kind']>(kind: K) =>
    messages.filter((one): one is ServiceMessageOf<K> => one.kind === kind);
  const send = (message: object) => socket.send(JSON.stringify(message));
  send(arrive(assistant));
  return { socket, messages, told, send };
}

const post = (path: string, body: unknown, headers: Record<string, string> = {}, method = 'POST') =>
  fetch(service.address + path, {
    method,
    headers: { 'content-type': 'application/json', ...headers },
    body: typeof body === 'string' ? body : JSON.stringify(body),
  });

describe('at the door', () => {
  it.each([
    ['an upgrade to no path', 'GET // HTTP/1.1\r\nHost: 127.0.0.1'],
    ['a refused upgrade', 'GET /v1/line HTTP/1.1\r\nHost: elsewhere.example'],
    ['an upgrade to nothing', 'GET /nothing?x=http:// HTTP/1.1\r\nHost: 127.0.0.1'],
  ])('%s whose socket is reset ends nothing', async (_what, start) => {
    for (let i = 0; i < 5; i++)
      await new Promise<void>((done) => {
        const socket = connect(Number(new URL(service.address).port), '127.0.0.1', () => {
          socket.write(`${start}\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\r\n`);
          setImmediate(() => socket.resetAndDestroy());
        });
        socket.on('error', () => undefined).on('close', () => done());
      });
    await well();
  });

  it('a page from elsewhere can neither load nor frame anything of ours', async () => {
    // fetch sets these headers itself.
    const load = (mode: string, dest: string) =>
      new Promise<IncomingMessage>((done, fail) => {
        const headers = { 'sec-fetch-site': 'cross-site', 'sec-fetch-mode': mode, 'sec-fetch-dest': dest };
        get(service.address, { headers }, (answer) => done(answer.resume())).on('error', fail);
      });
    for (const [mode, dest] of [
      ['no-cors', 'script'],
      ['no-cors', 'image'],
      ['navigate', 'iframe'],
    ] as const)
      expect((await load(mode, dest)).statusCode).toBe(403);
    const { statusCode, headers } = await load('navigate', 'document');
    expect(statusCode).toBe(200);
    expect(headers['content-security-policy']).toContain("frame-ancestors 'none'");
    expect(headers['cross-origin-resource-policy']).toBe('same-origin');
  });

  it('what a killed service left of uploads is gone', () => {
    expect(readdirSync(join(dataFolder, 'uploads'))).toEqual([]);
  });

  it('children are given no key', async () => {
    const children = spawnSync('pgrep', ['-P', String(service.child.pid)])
      .stdout.toString()
      .split('\n')
      .filter(Boolean);
    // One that has ended in the meantime is looked at no more.
    const environments = [...children, String(service.pids.database)].flatMap((pid) => {
      try {
        return [readFileSync(`/proc/${pid}/environ`, 'utf8')];
      } catch {
        return [];
      }
    });
    expect(environments.length).toBeGreaterThan(5);
    for (const environment of environments) expect(environment).not.toContain(KEY);
  });

  it.each<[string, string, string | object, number, string]>([
    ['half of a character to a model', '/v1/ask', '{"text":"x\\ud800"}', 400, 'request-broken'],
    ['a body that is no JSON', '/v1/ask', '{', 400, 'request-broken'],
    [
      'recordings of a folder',
      '/v1/tryouts',
      { role: 'stt', engines: ['ears'], brought: '../..' },
      400,
      'request-broken',
    ],
    [
      'a text for an engine that the promise forbids',
      '/v1/aloud',
      { text: 'x', assistant: 'stays', engine: 'alder-voice' },
      409,
      'engine-forbidden',
    ],
  ])('%s is refused', async (_what, path, body, status, code) => {
    const answer = await post(path, body);
    const problem = (await answer.json()) as { code: string; detail: string };
    expect([answer.status, problem.code]).toEqual([status, code]);
    expect(problem.detail).not.toMatch(/Unexpected|position \d/);
  });

  it('a body in an unknown encoding, and a name that every object has, are refused', async () => {
    expect((await post('/v1/ask', '{}', { 'content-encoding': 'x-strange' })).status).toBe(400);
    expect((await fetch(`${service.address}/v1/schemas/constructor.json`)).status).toBe(404);
  });
});

describe('a caller', () => {
  it('who sends what no line sends is told so, and storing goes on for all', async () => {
    const line = await openLine('clouds');
    for (const bad of [
      { kind: 'toString' },
      { kind: '__proto__' },
      { kind: 'played', speech: 1, sample: 1, capture: 1e300 },
      { kind: 'played', speech: 1, sample: 1, capture: 16_000 * 3_600 },
      { kind: 'press', capture: 16_000 * 3_600 },
      { kind: 'typed', text: 'x\ud800' },
    ])
      line.send(bad);
    await until(() => line.told('trouble').length === 6);
    expect(line.told('trouble').map(({ code }) => code)).toEqual([
      'message-malformed',
      'message-malformed',
      'message-malformed',
      'played-too-far',
      'played-too-far',
      'message-malformed',
    ]);
    line.send({ kind: 'typed', text: 'What time is supper?' });
    await until(() => line.told('speech').length > 0);
    const { conversation } = line.told('admitted')[0]!;
    line.send({ kind: 'leave' });
    await until(async () => (await service.http.conversation(conversation)).endedAt !== null);
    expect((await service.http.conversation(conversation)).gaps).toEqual([]);
    await well();
  });

  it('who leaves in mid-answer leaves no use unbooked: it is booked as waste', async () => {
    const line = await openLine('clouds');
    line.send({ kind: 'typed', text: 'How many bunks are free at Heron Hut on Saturday?' });
    await until(() => line.told('reply').length > 0);
    line.send({ kind: 'leave' });
    const { conversation } = line.told('admitted')[0]!;
    await until(async () => {
      const { engines } = await service.http.cost(conversation);
      const model = engines.find(({ role }) => role === 'llm');
      return model !== undefined && model.tokensOut > 0;
    });
    const { sums } = await service.http.cost(conversation);
    expect(sums.some(({ wasted }) => wasted > 0)).toBe(true);
  });

  it('for whom there is no room is told at once when to come again', async () => {
    const lines = await Promise.all(Array.from({ length: MOST_TALKS }, () => openLine('echo')));
    await until(() => lines.every(({ messages }) => messages.length > 0));
    const one = await openLine('echo');
    const closed = new Promise<number>((done) => one.socket.on('close', done));
    expect(await closed).toBe(1013);
    expect(one.told('trouble')).toMatchObject([
      {
        code: 'service-full',
        detail: expect.stringMatching(/10 talks go on.*come again in 10 s/),
        fatal: true,
      },
    ]);
    for (const { socket } of lines) socket.close();
    await until(async () => {
      const next = await openLine('echo');
      await until(() => next.messages.length > 0);
      next.socket.close();
      return next.told('admitted').length > 0;
    });
  });

  it('who has 4,000 letters without a stop said back, or aloud, keeps nobody waiting', async () => {
    const abort = new AbortController();
    const long = fetch(`${service.address}/v1/aloud`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ text: 'a'.repeat(20_000), assistant: 'echo' }),
      signal: abort.signal,
    }).catch(() => null);
    const line = await openLine('echo');
    line.send({ kind: 'typed', text: 'b'.repeat(4_000) });
    await until(() => line.told('speech').length > 0);
    expect((await service.http.aloud({ text: 'Yes.', assistant: 'echo' })).wav.length).toBeGreaterThan(1_000);
    abort.abort();
    await long;
    line.socket.close();
    expect((await service.http.aloud({ text: 'Yes.', assistant: 'echo' })).wav.length).toBeGreaterThan(1_000);
  });
});

describe('"stay: on-machine"', () => {
  const seen = async () =>
    Promise.all(
      ['alder', 'birch', 'thinker'].map(async (name) => {
        const { requests, bytes } = (await (
          await fetch(`${service.pids.standins[name]!.address}/seen`)
        ).json()) as { requests: object; bytes: number };
        return { requests, bytes };
      }),
    );
  const refused = async (work: Promise<unknown>) => {
    const error = await work.then(
      () => null,
      (one: unknown) => one,
    );
    expect(error).toBeInstanceOf(ServiceError);
    return (error as ServiceError).problem.code;
  };
  const tryout = async (request: Parameters<typeof service.http.tryout>[0]) => {
    for await (const event of service.http.tryout(request)) void event;
  };

  it('is a promise of the assistant and of the talk: on no way does anything reach a cloud', async () => {
    const call = await callWithRecording({
      address: service.address,
      assistant: 'stays',
      ...patientWalker('miller-asks', 22),
    });
    const { conversation, reports } = call;
    const spoken = reports.find(({ source }) => source === 'voice')!;
    await until(async () => (await service.http.conversation(conversation)).reports.length > 0);
    expect((await service.http.conversation(conversation)).stay).toBe('on-machine');
    const correction = { turn: spoken.turn, text: 'Is the path over the saddle open?' };
    expect((await post(`/v1/conversations/${conversation}/corrections`, correction, {}, 'PUT')).status).toBe(
      200,
    );
    const nul = await post(
      `/v1/conversations/${conversation}/corrections`,
      { ...correction, text: 'a\0b' },
      {},
      'PUT',
    );
    expect(nul.status).toBe(400);
    const before = await seen();
    const ways: [string, () => Promise<unknown>][] = [
      [
        'a tryout of its talk with another assistant’s clouds',
        () =>
          tryout({
            role: 'stt',
            engines: ['alder-ears'],
            assistant: 'clouds',
            conversations: [conversation],
          }),
      ],
      [
        'a tryout of its own with a cloud',
        () => tryout({ role: 'llm', engines: ['alder-mind'], assistant: 'stays', texts: ['x'] }),
      ],
      [
        'its text aloud with a cloud’s voice',
        () => service.http.aloud({ text: 'x', assistant: 'stays', engine: 'birch-voice' }),
      ],
      [
        'a swap in its talk',
        async () => {
          const line = await openLine('stays');
          await until(() => line.told('admitted').length > 0);
          line.send({ kind: 'swap', role: 'llm', engine: 'alder-mind' });
          await until(() => line.told('trouble').length > 0);
          line.socket.close();
          throw new ServiceError(line.told('trouble')[0]!);
        },
      ],
    ];
    for (const [way, run] of ways) expect([way, await refused(run())]).toEqual([way, 'engine-forbidden']);
    await service.http.question({ text: 'x', assistant: 'stays' });
    await service.http.aloud({ text: 'Yes.', assistant: 'stays' });
    await quickTurn(service.address, { text: 'What time is supper?' }, { assistant: 'stays' });
    expect(await seen()).toEqual(before);
  });
});

describe('a file that is saved', () => {
  it('with new settings opens its engine; all assistants stay listed, and its callers are served', async () => {
    const { text, etag } = await service.http.file('assistants', 'clouds');
    const changed = text.replace(
      'alder-mind, thinker',
      '{ engine: alder-mind, settings: { mood: glad } }, thinker',
    );
    expect(changed).not.toBe(text);
    await service.http.writeFile('assistants', 'clouds', changed, etag);
    expect((await service.http.assistants()).map(({ name }) => name)).toEqual(
      expect.arrayContaining(['clouds', 'stays', 'staged']),
    );
    const turn = await quickTurn(service.address, { text: 'What time is supper?' }, { assistant: 'clouds' });
    expect(turn.report.answered).toBe(true);
    await until(async () => (await service.http.waitingFor()).length === 0);
  });

  it('over HTTP may not come to name a module', async () => {
    writeFileSync(
      join(project, 'stages/evil.mjs'),
      `import { writeFileSync } from 'node:fs'; writeFileSync(${JSON.stringify(join(project, 'ran'))}, '');`,
    );
    const { text } = await service.http.file('assistants', 'clouds');
    const answer = await fetch(`${service.address}/v1/files/assistants/clouds`, {
      method: 'PUT',
      headers: { 'content-type': 'text/yaml' },
      body: `${text}stages: { heard: { at: stages/evil.mjs } }\n`,
    });
    expect([answer.status, ((await answer.json()) as { code: string }).code]).toEqual([
      403,
      'file-runs-code',
    ]);
    await quickTurn(service.address, { text: 'What time is supper?' }, { assistant: 'clouds' });
    expect(existsSync(join(project, 'ran'))).toBe(false);
  });
});

describe('readiness', () => {
  it('is what a caller would meet now, with the reason, for each assistant', async () => {
    const ears = () =>
      spawnSync('pkill', ['-KILL', '-P', String(service.child.pid), '-f', 'pocketsphinx/host.js']);
    let seenDown: { waitingFor: string[] } | undefined;
    await until(async () => {
      ears();
      const answer = await fetch(`${service.address}/readyz`);
      const { assistants } = (await answer.json()) as {
        assistants: { name: string; ready: boolean; waitingFor: string[] }[];
      };
      seenDown = assistants.find(({ name, ready }) => name === 'stays' && !ready);
      return seenDown !== undefined;
    });
    expect(seenDown!.waitingFor.join()).toMatch(/stt: ears is (loading|down)/);
    await until(async () => (await fetch(`${service.address}/readyz`)).ok);
  });
});
