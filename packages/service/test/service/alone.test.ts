/**
 * One engine at a time, files of assistants, and the documents of the interfaces: over HTTP, on the demo
 * project.
 */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { Parser } from '@asyncapi/parser';
import { cpSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { WebSocket } from 'ws';
import { lineAddress, ServiceError } from '@verbalon/client';
import { levelDb, NARROW_RATE_HZ, readWav, resample, toPcm16, writeWav } from '@verbalon/core';
import { callerMessages, check, serviceMessages, type Transcript } from '@verbalon/protocol';
import { root, startService, until, walker, type RunningService } from '../../../../testing/service.js';

let service: RunningService;
const project = join(mkdtempSync(join(tmpdir(), 'verbalon-project-')), 'demo');
beforeAll(async () => {
  // A copy, since files are written.
  cpSync(join(root, 'demo'), project, {
    recursive: true,
    filter: (path) => !/node_modules|\/dist/.test(path),
  });
  const file = join(project, 'project.yaml');
  writeFileSync(file, readFileSync(file, 'utf8').replaceAll('../standins', join(root, 'standins')));
  service = await startService(project);
});
afterAll(() => service.stop());

const QUESTION = 'How many bunks are free at Heron Hut on Saturday?';
const sounds = join(root, 'testing/sounds');
const sound = (name: string) => new Uint8Array(readFileSync(join(sounds, name)));

async function transcript(bytes: Uint8Array, assistant?: string): Promise<Transcript> {
  for await (const event of service.http.transcribe(bytes as Uint8Array<ArrayBuffer>, { assistant }))
    if (event.kind === 'done') return event.transcript;
  throw new Error('no transcript came');
}

async function refusal(task: Promise<unknown>): Promise<ServiceError['problem']> {
  const error = await task.then(
    () => null,
    (one: unknown) => one,
  );
  if (!(error instanceof ServiceError)) throw error ?? new Error('it was not refused');
  return error.problem;
}

/** The second saying of a walker, as a plain WAV: what the files of all formats were made from. */
function wav(): Uint8Array {
  const bytes = walker('miller-asks');
  const { rateHz } = readWav(bytes);
  const out = bytes.slice(0, 44 + 3.6 * rateHz * 2);
  out.set(bytes.subarray(44 + 16.8 * rateHz * 2, 44 + 20.4 * rateHz * 2), 44);
  const view = new DataView(out.buffer);
  view.setUint32(4, out.length - 8, true);
  view.setUint32(40, out.length - 44, true);
  return out;
}

/** As a telephone would have it. */
function narrowWav(): Uint8Array {
  const { rateHz, channels } = readWav(wav());
  return writeWav([toPcm16(resample(channels[0]!, rateHz, NARROW_RATE_HZ))], NARROW_RATE_HZ);
}

const FORMATS: [string, () => Uint8Array][] = [
  ['WAV', wav],
  ['WAV of 8 kHz', narrowWav],
  ['FLAC', () => sound('bunks.flac')],
  ['MP3', () => sound('bunks.mp3')],
  ['Ogg Vorbis', () => sound('bunks.vorbis.ogg')],
  ['Ogg Opus', () => sound('bunks.opus.ogg')],
  ['WebM Opus', () => sound('bunks.webm')],
];

/** Ways in which a file is broken, and what is said then. */
const half = (bytes: Uint8Array) => bytes.slice(0, bytes.length >> 1);
const scrambled = (bytes: Uint8Array) =>
  bytes.map((byte, i) => (i > bytes.length / 2 && i < bytes.length / 2 + 2_500 ? (i * 7919) & 255 : byte));
const headOnly = (bytes: Uint8Array) => bytes.slice(0, 60);

describe('a recording', () => {
  it.each(FORMATS)('in %s is understood', async (_name, bytes) => {
    const { text, spoken, segments, durationMs } = await transcript(bytes());
    expect(text).toBe(QUESTION);
    expect(spoken).toBe(QUESTION.toLowerCase().slice(0, -1));
    expect(segments[0]!.words[0]).toMatchObject({ word: 'How', spoken: 'how' });
    expect(Math.abs(durationMs - 3_600)).toBeLessThan(60);
  });

  it.each(
    FORMATS.flatMap(
      ([name, bytes]) =>
        [
          [name, 'cut in the middle', () => half(bytes()), /^sound-(cut-short|empty|damaged)$/],
          [
            name,
            'with nothing but its first bytes',
            () => headOnly(bytes()),
            /^sound-(cut-short|empty|damaged)$/,
          ],
          // Samples of a WAV file have no form that could be broken: noise is what they are then.
          ...(name.startsWith('WAV')
            ? []
            : [[name, 'overwritten in the middle', () => scrambled(bytes()), /^sound-(cut-short|damaged)$/]]),
        ] as [string, string, () => Uint8Array, RegExp][],
    ),
  )('in %s, %s, is refused with words and a remedy', async (_name, _how, bytes, code) => {
    const problem = await refusal(transcript(bytes()));
    expect(problem.code).toMatch(code);
    expect(problem.remedy).not.toBe('');
  });

  it.each<[string, Uint8Array, string]>([
    ['nothing at all', new Uint8Array(0), 'sound-empty'],
    ['text', new TextEncoder().encode('these are only words'), 'sound-format-unknown'],
    ['a picture', Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10), 'sound-format-unknown'],
  ])('that is %s is refused', async (_name, bytes, code) => {
    expect(await refusal(transcript(bytes))).toMatchObject({ code });
  });

  it('is heard better with the expected phrases of its assistant', async () => {
    // Echo expects nothing: names of the place are lost on it.
    expect((await transcript(wav(), 'echo')).spoken).not.toBe((await transcript(wav())).spoken);
  });
});

describe('a sentence and a question', () => {
  it('is said in the wanted voice, rate and volume', async () => {
    const text = 'Supper at Lantern Hut is at six.';
    const length = async (dials: object) =>
      readWav((await service.http.aloud({ text, ...dials })).wav).channels[0]!;
    const plain = await length({});
    expect((await length({ rate: 2 })).length / plain.length).toBeLessThan(0.62);
    expect(levelDb(await length({ volume: 0.1 })) - levelDb(plain)).toBeCloseTo(-20, 0);
    expect((await length({ voice: 'wren' })).length).not.toBe(plain.length);
    const { firstSoundMs, tookMs } = await service.http.aloud({ text });
    expect(firstSoundMs).toBeGreaterThan(0);
    expect(tookMs).toBeGreaterThanOrEqual(firstSoundMs);
  });

  it.each<[string, string, string]>([
    ['only pictures', '🍲🏔️', 'text-unspeakable'],
    ['only signs', '--- *** ...', 'text-unspeakable'],
    ['only control characters', '\u0008\u0007\u001b', 'text-unspeakable'],
    ['a NUL, which no database keeps', 'Hello\u0000hut', 'request-broken'],
    ['half of a character', 'Hello \ud800 hut', 'request-broken'],
    ['100,000 letters', 'hut '.repeat(25_000), 'request-broken'],
    ['nothing', '', 'request-broken'],
  ])('with %s is refused with words', async (_name, text, code) => {
    expect(await refusal(service.http.aloud({ text }))).toMatchObject({
      code,
      remedy: expect.stringMatching(/\w/),
    });
  });

  it('another script, or control characters between words, harm nothing', async () => {
    for (const text of ['Здравствуйте', 'Hello\u0008\u0007 hut', 'مرحبا hut'])
      await service.http
        .aloud({ text })
        .catch((error: unknown) => expect((error as ServiceError).problem.code).toBe('text-unspeakable'));
    expect(await service.http.waitingFor()).toEqual([]);
  });

  it('is answered by the model, by authored answers, by a follow-up, or passed on', async () => {
    const ask = async (text: string, before: string[] = []) => {
      const messages = before.map((one, i) => ({
        role: i % 2 === 0 ? ('caller' as const) : ('assistant' as const),
        text: one,
      }));
      return (await service.http.question({ text, assistant: 'porch', messages })).text;
    };
    expect(await ask('Where are the blankets?')).toBe('Blankets are on the shelf above the bunks.');
    expect(await ask('And breakfast?', ['When is supper?', 'At half past six.'])).toMatch(/in the morning/);
    expect(await ask('Who is the warden of Saddle Hut?')).toBe('The warden of Saddle Hut is Tomas Reed.');
    expect((await service.http.question({ text: 'Good day to you', assistant: 'echo' })).text).toBe(
      'Good day to you',
    );
    expect((await refusal(service.http.question({ text: ' ' }))).code).toBe('request-broken');
  });

  it('an answers file that is broken while it runs leaves the last good one in use', async () => {
    const file = join(project, 'answers/porch.yaml');
    const good = readFileSync(file, 'utf8');
    writeFileSync(file, good.replace("'where is the water'", "'where (is the water'"));
    await until(() => service.log().includes('answers-broken'));
    expect(service.log()).toMatch(/porch\.yaml:\d+: .*a \\"\)\\" is missing/);
    expect(
      (await service.http.question({ text: 'Where are the blankets?', assistant: 'porch' })).text,
    ).toMatch(/shelf/);
    writeFileSync(file, good.replace('above the bunks', 'below the bunks'));
    await until(async () =>
      (await service.http.question({ text: 'Where are the blankets?', assistant: 'porch' })).text.includes(
        'below',
      ),
    );
  });
});

describe('the file of an assistant', () => {
  it('is read, checked, written when it is good and nobody else has changed it, and in use at once', async () => {
    const { http } = service;
    const file = await http.file('assistants', 'echo');
    expect(file.problem).toBeNull();
    const broken = file.text.replace('lineup:', 'lineup: [');
    expect((await http.checkFile('assistants', 'echo', broken)).problem).toMatchObject({
      code: 'assistant-broken',
      line: expect.any(Number),
    });
    const wrong = file.text.replace('llm: echo', 'llm: nobody');
    const found = (await http.checkFile('assistants', 'echo', wrong)).problem!;
    expect(found.line).toBe(file.text.split('\n').findIndex((line) => line.includes('lineup')) + 1);
    expect(found.detail).toMatch(
      /known are alder-mind, birch-mind, cedar-mind, desk, echo, page, porch, thinker/,
    );
    expect((await refusal(http.writeFile('assistants', 'echo', wrong, file.etag))).code).toBe(
      'assistant-broken',
    );
    const better = file.text.replace('title: Says it back', 'title: Says it back, loudly');
    const written = await http.writeFile('assistants', 'echo', better, file.etag);
    expect((await http.assistants()).find(({ name }) => name === 'echo')!.title).toBe('Says it back, loudly');
    expect((await refusal(http.writeFile('assistants', 'echo', file.text, file.etag))).code).toBe(
      'file-changed',
    );
    expect(readFileSync(join(project, 'assistants/echo.yaml'), 'utf8')).toBe(better);
    await http.writeFile('assistants', 'echo', file.text, written.etag);
    expect((await refusal(http.file('assistants', 'nobody'))).code).toBe('file-unknown');
  });
});

describe('the documents of the interfaces', () => {
  it('of the talk socket is AsyncAPI 3, as a public validator sees it', async () => {
    const problems = await new Parser().validate(JSON.stringify(await service.http.asyncApi()));
    expect(
      problems
        .filter(({ severity }) => severity === 0)
        .map(({ message, path }) => `${path.join('/')}: ${message}`),
    ).toEqual([]);
  });

  it('every example of the talk socket fits its schema, and the line’s are taken by the service', async () => {
    const { components } = (await service.http.asyncApi()) as {
      components: { messages: Record<string, { examples?: { payload: { kind: string } }[] }> };
    };
    const socket = new WebSocket(lineAddress(service.address));
    await new Promise((done) => socket.on('open', done));
    const troubles: string[] = [];
    socket.on('message', (data: Buffer, isBinary) => {
      const message = isBinary ? null : (JSON.parse(data.toString()) as { kind: string; detail?: string });
      if (message?.kind === 'trouble') troubles.push(message.detail!);
    });
    let checked = 0;
    for (const [id, { examples }] of Object.entries(components.messages)) {
      if (!examples) continue;
      const [side, kind] = id.split('-') as ['caller' | 'service', string];
      const schema = (side === 'caller' ? callerMessages : serviceMessages)[kind as never];
      expect([id, check(schema, examples[0]!.payload)]).toEqual([
        id,
        { ok: true, value: examples[0]!.payload },
      ]);
      checked++;
      if (side === 'caller') socket.send(JSON.stringify(examples[0]!.payload));
    }
    expect(checked).toBe(Object.keys(callerMessages).length + Object.keys(serviceMessages).length);
    const [code] = await new Promise<[number]>((done) => socket.on('close', (one) => done([one])));
    expect(code).toBe(1000);
    expect(troubles).toEqual([]);
  });

  it('the schemas of the files hold for the files of the demo, and stored sound can be asked for in parts', async () => {
    for (const name of ['project', 'assistant', 'engine', 'answers'])
      expect(JSON.parse(readFileSync(join(root, `docs/schemas/${name}.json`), 'utf8'))).toEqual(
        await service.http.schema(name),
      );
    expect((await refusal(service.http.schema('nothing'))).code).toBe('address-unknown');
    const [one] = (await service.http.conversations()).filter(({ recorded }) => recorded);
    const at = `${service.address}/v1/conversations/${one!.id}/audio.wav`;
    const whole = new Uint8Array(await (await fetch(at)).arrayBuffer());
    const part = await fetch(at, { headers: { range: 'bytes=10-19' } });
    expect(part.status).toBe(206);
    expect(new Uint8Array(await part.arrayBuffer())).toEqual(whole.slice(10, 20));
  });
});
