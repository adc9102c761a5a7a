/** What goes wrong from outside: bad messages, and processes that die during a talk. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { request } from 'node:http';
import { WebSocket } from 'ws';
import { callWithRecording, type RecordedCall } from '@verbalon/client/node';
import { writeFrame, type ServiceMessage, type ServiceMessageOf } from '@verbalon/protocol';
import {
  freshFolder,
  OWN_DATABASE,
  startService,
  until,
  patientWalker,
  type RunningService,
} from '../../../../testing/service.js';

let service: RunningService;
beforeAll(async () => {
  service = await startService(undefined, undefined, OWN_DATABASE);
});
afterAll(() => service.stop());

const ARRIVE = { kind: 'arrive', line: 'web', audio: { encoding: 's16le', rateHz: 16_000 } };
type Sent = (string | Uint8Array | object)[];
type Closed = { code: number; messages: ServiceMessage[] };

/** Opens a socket, sends all this, and says what came back by the time it was closed (by us, after `enough`). */
function exchange(sent: Sent, enough: (messages: ServiceMessage[]) => boolean): Promise<Closed> {
  return exchangeWith(service.address, sent, enough, (socket) => socket.close());
}

function exchangeWith(
  address: string,
  sent: Sent,
  enough: (messages: ServiceMessage[]) => boolean,
  andThen: (socket: WebSocket) => void,
): Promise<Closed> {
  return new Promise((resolve) => {
    const socket = new WebSocket(`${address.replace('http', 'ws')}/v1/line`);
    const messages: ServiceMessage[] = [];
    socket.on('open', () => {
      for (const one of sent)
        socket.send(typeof one === 'string' || one instanceof Uint8Array ? one : JSON.stringify(one));
    });
    socket.on('message', (data: Buffer, isBinary) => {
      if (!isBinary) messages.push(JSON.parse(data.toString()) as ServiceMessage);
      if (enough(messages)) andThen(socket);
    });
    socket.on('error', () => undefined);
    socket.on('close', (code) => resolve({ code, messages }));
  });
}

const troubles = (messages: ServiceMessage[]) =>
  messages.filter((message): message is ServiceMessageOf<'trouble'> => message.kind === 'trouble');
const frame = (firstSample: number, count = 320) =>
  writeFrame({ from: 'caller', epoch: 0, firstSample, last: false, samples: new Int16Array(count) });

describe('a bad message', () => {
  it.each<[string, (string | Uint8Array | object)[], string, string]>([
    ['sound before arrive', [frame(0)], 'not-arrived', 'a binary frame'],
    ['a message before arrive', [{ kind: 'hush' }], 'not-arrived', '"hush"'],
    [
      'an unknown assistant',
      [{ ...ARRIVE, assistant: 'nobody' }],
      'assistant-unknown',
      '"nobody" is not one of: chat, clouds, echo, porch, porch-only, tanne, tansy',
    ],
    ['no JSON', [ARRIVE, '{"kind":'], 'message-malformed', 'not JSON'],
    ['an unknown kind', [ARRIVE, { kind: 'sing' }], 'message-malformed', 'known are arrive'],
    ['a missing part', [ARRIVE, { kind: 'typed' }], 'message-malformed', 'lacks "text"'],
    ['a second arrive', [ARRIVE, ARRIVE], 'arrived-already', 'this line is in the talk'],
    ['a torn frame', [ARRIVE, new Uint8Array(18)], 'frame-malformed', 'multiple of four'],
    [
      'a frame of the other side',
      [ARRIVE, new Uint8Array(20).fill(2, 0, 1)],
      'frame-malformed',
      'kind 1 only',
    ],
    [
      'an oversized text',
      [ARRIVE, { kind: 'typed', text: 'x'.repeat(500_000) }],
      'message-too-large',
      'at most',
    ],
    ['an oversized frame', [ARRIVE, frame(0, 300_000)], 'message-too-large', 'at most'],
    [
      'sound far ahead of time',
      [ARRIVE, frame(0), frame(16_000 * 60)],
      'line-flooding',
      'ahead of real time',
    ],
    [
      'a flood',
      [ARRIVE, ...Array.from({ length: 300 }, () => ({ kind: 'hush' }))],
      'line-flooding',
      'within a second',
    ],
  ])('%s is refused with a code, words and a remedy', async (_name, sent, code, words) => {
    const { messages } = await exchange(sent, (so) => troubles(so).length > 0);
    const [trouble] = troubles(messages);
    expect(trouble).toMatchObject({ code, detail: expect.stringContaining(words) });
    expect(trouble!.remedy.length).toBeGreaterThan(10);
  });

  it('harms neither its own talk nor another', async () => {
    const { messages } = await exchange(
      [ARRIVE, '{', { kind: 'sing' }, { kind: 'typed', text: 'When is supper?' }],
      (so) => so.some((message) => message.kind === 'speech' && message.text.includes('supper')),
    );
    expect(troubles(messages).map(({ code }) => code)).toEqual(['message-malformed', 'message-malformed']);
    expect(troubles(messages)[0]!.fatal).toBeUndefined();
  });

  it('a line that never reads is let go, and nothing else is harmed', async () => {
    const socket = new WebSocket(`${service.address.replace('http', 'ws')}/v1/line`);
    await new Promise((done) => socket.on('open', done));
    socket.send(JSON.stringify({ ...ARRIVE, audio: { encoding: 's16le', rateHz: 192_000 } }));
    socket.pause();
    // Whoever reads nothing answers no ping either: the line counts as lost, and is not waited for any longer than that.
    await until(() => service.log().includes('did not come back'));
    socket.terminate();
    expect(await service.http.waitingFor()).toEqual([]);
  });
});

describe('a request over HTTP', () => {
  const ask = (path: string, headers: Record<string, string> = {}) =>
    new Promise<{ status: number; type: string; body: { code: string; remedy: string } }>(
      (resolve, reject) => {
        const { hostname, port } = new URL(service.address);
        request({ hostname, port, path, headers }, (answer) => {
          let text = '';
          answer.on('data', (part: Buffer) => (text += part.toString()));
          answer.on('end', () =>
            resolve({
              status: answer.statusCode!,
              type: answer.headers['content-type']!,
              body: JSON.parse(text) as never,
            }),
          );
        })
          .on('error', reject)
          .end();
      },
    );

  it.each<[string, string, Record<string, string>, number, string]>([
    ['another host', '/v1/assistants', { host: 'evil.example' }, 403, 'host-foreign'],
    ['a foreign page', '/v1/assistants', { origin: 'http://evil.example' }, 403, 'origin-foreign'],
    ['an unknown address', '/v1/nothing', {}, 404, 'address-unknown'],
    ['an id that is none', '/v1/conversations/abc', {}, 404, 'conversation-unknown'],
    [
      'an unknown conversation',
      '/v1/conversations/00000000-0000-0000-0000-000000000000',
      {},
      404,
      'conversation-unknown',
    ],
    ['a bad page', '/v1/conversations?limit=0', {}, 400, 'request-broken'],
    ['a path out of the project', '/v1/recordings/..%2f..%2fpackage.wav', {}, 404, 'recording-unknown'],
  ])('%s is refused as a problem (RFC 9457)', async (_name, path, headers, status, code) => {
    const answer = await ask(path, headers);
    expect(answer).toMatchObject({ status, body: { code } });
    expect(answer.type).toMatch('application/problem+json');
    expect(answer.body.remedy).not.toBe('');
  });
});

describe('during a talk', () => {
  const hosts = () =>
    spawnSync('pgrep', ['-P', String(service.child.pid), '-f', 'pocketsphinx/host.js'])
      .stdout.toString()
      .split('\n')
      .filter(Boolean)
      .map(Number);

  /** Miller talks; `strike` is called during his second question. */
  async function strikeDuring(strike: () => void): Promise<RecordedCall> {
    let struck = false;
    return callWithRecording({
      address: service.address,
      ...patientWalker('miller-asks', 21),
      onMessage: (message) => {
        if (struck || message.kind !== 'partial' || !/how/i.test(message.settled)) return;
        struck = true;
        strike();
      },
    });
  }

  it('the ears are killed and the database is stopped: no word and no row is lost', async () => {
    let killed: number[] = [];
    const call = await strikeDuring(() => {
      killed = hosts();
      for (const pid of killed) process.kill(pid, 'SIGKILL');
      process.kill(service.pids.database, 'SIGINT');
    });
    expect(killed).toHaveLength(2);
    const turns = call.reports.filter(({ source }) => source === 'voice');
    expect(turns[1]!.text).toBe('How many bunks are free at Heron Hut on Saturday?');
    expect(turns.map(({ answered }) => answered)).toEqual([true, true]);
    expect(service.log()).toMatch('the database is away');
    await until(async () => {
      const stored = await service.http.conversation(call.conversation).catch(() => null);
      return stored !== null && stored.endedAt !== null;
    });
    const stored = await service.http.conversation(call.conversation);
    expect(stored.reports).toEqual(call.reports);
    expect(stored.gaps).toEqual([]);
    const journal = await service.http.journal(call.conversation);
    journal.forEach(({ index }, i) => expect(index).toBe(i));
  });

  it('the model is killed: Tansy says that it cannot think, and the talk survives', async () => {
    // It is started again by itself: it is killed as often as that happens.
    let killing: NodeJS.Timeout | undefined;
    const kill = () =>
      spawnSync('pkill', ['-KILL', '-P', String(service.child.pid), '-f', 'thinker/main.js']);
    const call = await strikeDuring(() => {
      kill();
      killing = setInterval(kill, 50);
    });
    clearInterval(killing);
    const turns = call.reports.filter(({ source }) => source === 'voice');
    expect(turns[0]!.answered).toBe(true);
    expect(turns).toHaveLength(2);
    for (const turn of turns.slice(1)) {
      expect(turn).toMatchObject({
        answered: false,
        trouble: 'engine-down',
        heard: expect.stringMatching(/^I am sorry, I cannot think just now/),
      });
    }
    expect(call.cutOff).toBeNull();
    expect(troubles(call.messages)[0]).toMatchObject({
      code: 'engine-down',
      detail: expect.stringContaining('nothing listens there'),
    });
    await until(async () =>
      (await service.http.engines()).some(({ name, state }) => name === 'thinker' && state === 'ready'),
    );
    await until(async () => (await service.http.waitingFor()).length === 0);
  });
});

describe('a service that is killed', () => {
  it('says so on the conversation when it is started again, and nothing is left running', async () => {
    const dataFolder = freshFolder();
    const first = await startService(undefined, dataFolder, OWN_DATABASE);
    let killing = false;
    const killWhenStored = async () => {
      if (killing) return;
      killing = true;
      await until(async () => (await first.http.conversations()).length > 0);
      first.child.kill('SIGKILL');
    };
    const { messages } = await exchangeWith(
      first.address,
      [ARRIVE],
      (so) => so.some(({ kind }) => kind === 'speech'),
      () => void killWhenStored(),
    );
    const { conversation } = messages[0] as ServiceMessageOf<'admitted'>;
    const second = await startService(undefined, dataFolder, OWN_DATABASE);
    await until(
      async () => (await second.http.conversation(conversation)).ending?.startsWith('cut off') ?? false,
    );
    expect(spawnSync('kill', ['-0', String(first.pids.standins.thinker!.pid)]).status).not.toBe(0);
    expect(spawnSync('kill', ['-0', String(first.pids.database)]).status).not.toBe(0);
    await second.stop();
    expect(spawnSync('kill', ['-0', String(second.pids.database)]).status).not.toBe(0);
  });
});
