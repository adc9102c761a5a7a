/** Files that change while the service runs, by hand and over HTTP, and one request for a whole exchange. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { ServiceError } from '@verbalon/client';
import { callWithRecording } from '@verbalon/client/node';
import { readWav } from '@verbalon/core';
import { cloudsProject } from '../../../../testing/clouds-project.js';
import { answering } from '../../../../testing/cards.js';
import { startService, until, walker, type RunningService } from '../../../../testing/service.js';

const project = cloudsProject();
let service: RunningService;
beforeAll(async () => (service = await startService(project)));
afterAll(() => service.stop());
const file = (path: string) => join(project, path);
const refusal = async (work: Promise<unknown>) =>
  work.then(
    () => 'nothing was refused',
    (error: unknown) => (error as ServiceError).problem.code,
  );
const CARD = (address: string, more = '') =>
  `title: Of the test\nrole: llm\nwire: http\nwhere: on-machine\nlanguages: [en]\naddress: ${address}\n${more}send: { open: [{ said: '{last}' }] }\nreceive: { form: whole, read: [{ piece: /say }] }\n`;
const ask = async (engine: string) => (await service.http.question({ text: 'Is it open?', engine })).text;

describe('a card', () => {
  it('that is new serves, and one that has changed serves from the next request; a talk goes on with what it had', async () => {
    const [first, second] = await Promise.all([
      answering(() => ({ say: 'first' })),
      answering(() => ({ say: 'second' })),
    ]);
    writeFileSync(file('engines/fresh.yaml'), CARD(first.address));
    await until(async () => (await service.http.engines()).some(({ name }) => name === 'fresh'));
    expect(await ask('fresh')).toBe('first');
    writeFileSync(
      file('assistants/fresh.yaml'),
      `title: T\nlanguage: en\npersona: P\nlineup: { stt: ears, llm: fresh, tts: voice }\n`,
    );
    await until(async () => (await service.http.assistants()).some(({ name }) => name === 'fresh'));
    const turns: string[] = [];
    const stop = new AbortController();
    let type: (text: string) => void = () => undefined;
    await callWithRecording({
      address: service.address,
      assistant: 'fresh',
      recording: walker('miller-asks', 60),
      signal: stop.signal,
      onOpen: (end) => {
        type = (text) => end.type(text);
        type('before');
      },
      onMessage: (message) => {
        if (message.kind !== 'turn') return;
        turns.push(message.report.generated);
        if (turns.length > 1) return stop.abort();
        writeFileSync(file('engines/fresh.yaml'), CARD(second.address));
        void until(async () => (await ask('fresh')) === 'second').then(() => type('after'));
      },
    });
    expect(turns[1]).toBe('first');
    expect(turns[0]).toBe('first');
    expect(await ask('fresh')).toBe('second');
    await Promise.all([first.close(), second.close()]);
  });

  it('that is broken leaves the last good one in use, and says whom it stops', async () => {
    const good = readFileSync(file('engines/echo.yaml'), 'utf8');
    writeFileSync(file('engines/echo.yaml'), `${good}titel: x\n`);
    await until(async () =>
      (await service.http.project()).findings.some((one) => one.file === 'engines/echo.yaml'),
    );
    expect(await ask('echo')).toBe('Is it open?');
    writeFileSync(file('engines/echo.yaml'), good);
    await until(
      async () => !(await service.http.project()).findings.some((one) => one.file === 'engines/echo.yaml'),
    );
  });

  it('takes a key from .env as soon as it stands there', async () => {
    const keyed = await answering((request) =>
      request.headers.authorization === 'Bearer of-the-file' ? { say: 'let in' } : 401,
    );
    writeFileSync(
      file('engines/keyed.yaml'),
      CARD(keyed.address, "secret: TEST_ONLY_KEY\nheaders: { authorization: 'Bearer {secret}' }\n"),
    );
    await until(async () => (await service.http.engines()).some(({ name }) => name === 'keyed'));
    expect(await refusal(ask('keyed'))).toBe('engine-key-missing');
    writeFileSync(file('.env'), 'TEST_ONLY_KEY=of-the-file\n');
    await until(async () => (await ask('keyed').catch(() => '')) === 'let in');
    expect(service.log()).not.toContain('of-the-file');
    await keyed.close();
  });

  it('that is gone is gone, where nobody names it', async () => {
    rmSync(file('engines/keyed.yaml'));
    await until(async () => !(await service.http.engines()).some(({ name }) => name === 'keyed'));
    expect(await refusal(ask('keyed'))).toBe('engine-unknown');
  });
});

describe('over HTTP', () => {
  it('a file is begun from a shape, never over another, renamed, and removed with a copy kept', async () => {
    const { http } = service;
    const shape = (await http.shapes()).find(({ kind, name }) => kind === 'answers' && name === 'answers')!;
    await http.writeFile('answers', 'counter', shape.text, null);
    expect(await refusal(http.writeFile('answers', 'counter', shape.text, null))).toBe('file-there');
    await http.renameFile('answers', 'counter', 'desk');
    expect((await http.files()).filter(({ kind }) => kind === 'answers').map(({ name }) => name)).toEqual([
      'desk',
      'porch',
    ]);
    expect(await refusal(http.renameFile('answers', 'desk', 'porch'))).toBe('file-there');
    expect(await refusal(http.removeFile('answers', 'porch'))).toBe('file-used');
    const kept = await http.removeFile('answers', 'desk');
    expect(readFileSync(file(kept), 'utf8')).toBe(shape.text);
    expect(existsSync(file('answers/desk.yaml'))).toBe(false);
    expect(await refusal(http.file('answers', 'desk'))).toBe('file-unknown');
  });

  it('a card may not come to name a program', async () => {
    const { text, etag } = await service.http.file('engines', 'espeak');
    expect(
      await refusal(service.http.writeFile('engines', 'espeak', text.replace('espeak-ng,', 'touch,'), etag)),
    ).toBe('file-runs-code');
    expect(await refusal(service.http.writeFile('engines', 'mine', text, null))).toBe('file-runs-code');
    await service.http.writeFile('engines', 'espeak', text.replace('title: ', 'title: The '), etag);
  });

  it('project.yaml and lexicons are changed as well, and are in use', async () => {
    const { http } = service;
    const project = await http.file('project', 'project');
    await http.writeFile(
      'project',
      'project',
      project.text.replace(/^title: .*$/m, 'title: Over the hills'),
      project.etag,
    );
    expect((await http.project()).title).toBe('Over the hills');
    expect(await refusal(http.writeFile('project', 'project', project.text, project.etag))).toBe(
      'file-changed',
    );
    const shape = (await http.shapes()).find(({ kind }) => kind === 'lexicons')!;
    const lexicon = await http.writeFile('lexicons', 'names', shape.text, null);
    expect(lexicon.path).toBe('assistants/names.pls');
    expect(
      await refusal(http.writeFile('lexicons', 'names', shape.text.replace('M AA', 'OINK'), lexicon.etag)),
    ).toBe('lexicon-broken');
    const echo = await http.file('assistants', 'echo');
    await http.writeFile('assistants', 'echo', `${echo.text}lexicon: names.pls\n`, echo.etag);
    expect(await refusal(http.removeFile('lexicons', 'names'))).toBe('file-used');
    await http.writeFile('assistants', 'echo', echo.text, (await http.file('assistants', 'echo')).etag);
    expect(await http.removeFile('lexicons', 'names')).toMatch(/^\.removed\/assistants\/names\..*\.pls$/);
    expect(await refusal(http.file('project', 'tansy'))).toBe('request-broken');
  });

  it('all shapes fit their schemas', async () => {
    for (const { kind, name, text } of await service.http.shapes()) {
      const { problem } = await service.http.checkFile(kind, 'a-new-one', text);
      // An assistant's shape names engines that are made with it.
      if (problem)
        expect([kind, name, problem.detail]).toEqual([
          'assistants',
          name,
          expect.stringMatching(/has no card in engines/),
        ]);
    }
  });
});

describe('an exchange', () => {
  const sound = () => walker('miller-asks', 8) as Uint8Array<ArrayBuffer>;
  const post = (query: string) =>
    fetch(`${service.address}/v1/exchange?assistant=clouds${query}`, { method: 'POST', body: sound() });

  it('gives words, answer and speech as JSON, and goes on with its conversation', async () => {
    const first = await service.http.exchange(sound(), { assistant: 'clouds' });
    expect(first.understood).toMatch(/path over the saddle/i);
    expect(first.answer).toMatch(/path over the saddle is open/i);
    const { channels, rateHz } = readWav(Buffer.from(first.speech, 'base64'));
    expect(channels[0]!.length / rateHz).toBeGreaterThan(1.5);
    const again = await service.http.exchange(sound(), {
      assistant: 'clouds',
      conversation: first.conversation,
    });
    expect(again.conversation).toBe(first.conversation);
    expect(await refusal(service.http.exchange(sound(), { assistant: 'clouds', conversation: 'x' }))).toBe(
      'conversation-unknown',
    );
  });

  it('goes on when the model asks for a function: it is told that there is none', async () => {
    const asked: string[] = [];
    const model = await answering((_request, body) => {
      asked.push(body.toString());
      return asked.length === 1
        ? { ref: 'c1', what: 'look_up', with: {} }
        : { say: 'I cannot look that up.' };
    });
    const card = CARD(model.address)
      .replace("{ said: '{last}' }", "{ log: { each: messages, item: { said: '{text}' } } }")
      .replace('[{ piece: /say }]', '[{ piece: /say, call: { id: /ref, name: /what, arguments: /with } }]');
    await service.http.writeFile('engines', 'calling', card, null);
    await service.http.writeFile(
      'assistants',
      'calling',
      `title: C\nlanguage: en\npersona: P\nlineup: { stt: ears, llm: calling, tts: voice }\n`,
      null,
    );
    const { answer } = await service.http.exchange(sound(), { assistant: 'calling' });
    expect(answer).toBe('I cannot look that up.');
    expect(asked[1]).toContain('There is no function');
    await model.close();
  });

  it('as parts of a form', async () => {
    const form = await (await post('&format=parts')).formData();
    expect(JSON.parse(await (form.get('exchange') as File).text())).toMatchObject({
      understood: expect.stringMatching(/saddle/),
    });
    expect(readWav(new Uint8Array(await (form.get('speech') as File).arrayBuffer())).rateHz).toBe(16_000);
  });

  it('as events, in the order in which they come', async () => {
    const answer = await post('&format=events');
    expect(answer.headers.get('content-type')).toMatch(/^text\/event-stream/);
    const kinds = [...(await answer.text()).matchAll(/^event: (\w+)$/gm)].map(([, kind]) => kind);
    expect(kinds[0]).toBe('understood');
    expect(kinds[1]).toBe('answer');
    expect(kinds.at(-1)).toBe('done');
    expect(kinds.filter((kind) => kind === 'sound').length).toBeGreaterThan(0);
  });
});
