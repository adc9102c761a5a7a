/** What comes in over the talk socket and HTTP that is wrong: it is refused in words, and harms nobody. */
import { request } from 'node:http';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { WebSocket } from 'ws';
import { writeFrame } from '@verbalon/protocol';
import { ARRIVE, exchange, troubles } from '../../../../testing/bare-line.js';
import { lightProject } from '../../../../testing/light-project.js';
import { startService, until, type RunningService } from '../../../../testing/service.js';

let service: RunningService;
beforeAll(async () => {
  service = await startService(await lightProject());
});
afterAll(() => service.stop());

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
      '"nobody" is not one of: tansy',
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
      [ARRIVE, ...Array.from({ length: 1_200 }, () => ({ kind: 'hush' }))],
      'line-flooding',
      'messages a second',
    ],
  ])('%s is refused with a code, words and a remedy', async (_name, sent, code, words) => {
    const { messages } = await exchange(service.address, sent, (so) => troubles(so).length > 0);
    const [trouble] = troubles(messages);
    expect(trouble).toMatchObject({ code, detail: expect.stringContaining(words) });
    expect(trouble!.remedy.length).toBeGreaterThan(10);
  });

  it('harms neither its own talk nor another', async () => {
    const { messages } = await exchange(
      service.address,
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
    // Whoever reads nothing answers no ping either: the line counts as lost, and is not waited for any longer
    // than that.
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
