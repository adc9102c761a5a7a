/**
 * What a caller's page takes part in: it changes what passes from stage to stage, and is the model, in a
 * running service.
 */
import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { TypedTalk, type PageHooks } from '@verbalon/client/node';
import { lightProject } from '../../../../testing/light-project.js';
import { startService, type RunningService } from '../../../../testing/service.js';

let service: RunningService;

beforeAll(async () => {
  const assistant = (llm: string, more = '') =>
    `title: T\nlanguage: en\npersona: You are Tansy.\nrecorded: true\nlineup: { stt: ears, llm: ${llm}, tts: voice }\n${more}`;
  const assistants = {
    relieved: assistant('[page, echo]'),
    lone: assistant('page'),
    staged: assistant('echo', 'stages: { asked: { at: page }, spoken: { at: page, deadlineMs: 5000 } }\n'),
    hasty: assistant('echo', 'stages: { spoken: { at: page, deadlineMs: 20 } }\n'),
    closed: assistant('echo'),
  };
  const project = await lightProject({ assistants });
  writeFileSync(
    join(project, 'engines/page.yaml'),
    'title: Page\nrole: llm\nwhere: on-machine\nwire: page\nlanguages: [en]\ndeadlines: { firstMs: 5000, betweenMs: 20000 }\n',
  );
  service = await startService(project);
});
afterAll(() => service.stop());

const begin = (assistant: string, hooks: PageHooks) => TypedTalk.begin(service.address, assistant, { hooks });

/** Says it to a page with these hooks. @returns what was heard of the answer */
async function heard(assistant: string, hooks: PageHooks, text = 'is there soup'): Promise<string> {
  const talk = await begin(assistant, hooks);
  const report = await talk.says(text);
  talk.leave();
  return report.heard;
}

describe('a page’s own chat', () => {
  it.each<[string, PageHooks['chat']]>([
    ['whole', ({ text }) => `You asked: ${text}.`],
    ['later', ({ text }) => Promise.resolve(`You asked: ${text}.`)],
    [
      'in pieces',
      async function* ({ text }) {
        yield 'You asked: ';
        yield await Promise.resolve(`${text}.`);
      },
    ],
    [
      'word by word, all at once',
      async function* ({ text }) {
        for (const piece of `You asked: ${text}.`) yield await Promise.resolve(piece);
      },
    ],
    [
      'as a stream',
      ({ text }) =>
        new ReadableStream<string>({
          start: (to) => (to.enqueue('You asked: '), to.enqueue(`${text}.`), to.close()),
        }),
    ],
  ])('answers %s, and is told what was said and heard before', async (_, chat) => {
    const asked: string[] = [];
    const talk = await begin('lone', {
      chat: (question) => (
        asked.push(question.messages.map(({ text }) => text).join(' / ')),
        chat!(question)
      ),
    });
    expect((await talk.says('is there soup')).heard).toBe('You asked: is there soup.');
    expect((await talk.says('and bread')).heard).toBe('You asked: and bread.');
    expect(asked).toEqual(['is there soup', 'is there soup / You asked: is there soup. / and bread']);
    talk.leave();
  });

  it.each<[string, PageHooks]>([
    ['is not there', {}],
    [
      'throws',
      {
        chat: () => {
          throw new Error('out of order');
        },
      },
    ],
    ['never answers', { chat: () => new Promise(() => undefined) }],
    [
      'writes without end',
      {
        chat: async function* ({ signal }) {
          while (!signal.aborted)
            yield await new Promise<string>((done) => setImmediate(done, 'x'.repeat(15_000)));
        },
      },
    ],
  ])(
    'that %s is relieved',
    async (_, hooks) => {
      expect(await heard('relieved', hooks)).toMatch(/is there soup$/i);
    },
    60_000,
  );

  it('that fails in one talk is asked in the next one all the same', async () => {
    const throwing = { chat: () => Promise.reject(new Error('out of order')) };
    for (let i = 0; i < 6; i++) await heard('relieved', throwing);
    expect(await heard('relieved', { chat: () => 'Here I am.' })).toBe('Here I am.');
  });

  it('is told when its answer is not wanted any more', async () => {
    const talk = await begin('lone', {
      chat: async function* ({ signal }) {
        yield 'One moment. ';
        await new Promise((done) => signal.addEventListener('abort', done));
        dropped = true;
      },
    });
    let dropped = false;
    talk.types('is there soup');
    await talk.until(() => talk.messages.some(({ kind }) => kind === 'speech'));
    talk.types('never mind');
    await talk.until(() => dropped);
    talk.leave();
  });
});

it('is not asked outside a talk, and is not called broken for it', async () => {
  const [checked] = await service.http.checkEngines(['page']);
  expect(checked).toMatchObject({ ok: true, firstMs: null, notes: [expect.stringMatching(/during a talk/)] });
});

describe('a page’s hooks', () => {
  it('change what the model is asked and what is spoken, or hold it back', async () => {
    const asked: PageHooks['asked'] = (messages) =>
      messages.map((one, i) => (i === messages.length - 1 ? { ...one, text: 'SOUP. NO BREAD.' } : one));
    expect(await heard('staged', { asked })).toBe('SOUP. NO BREAD.');
    expect(await heard('staged', { asked, spoken: (text) => text.toLowerCase() })).toBe('soup. no bread.');
    expect(await heard('staged', { asked, spoken: (text) => (text.startsWith('NO') ? null : text) })).toBe(
      'SOUP.',
    );
  });

  it('that fail, are late, or are not let in change nothing', async () => {
    // The page's developer is told.
    const told = jest.spyOn(console, 'error').mockImplementation(() => undefined);
    expect(await heard('staged', { spoken: () => Promise.reject(new Error('no')) })).toMatch(
      /is there soup$/i,
    );
    expect(told).toHaveBeenCalledWith(expect.objectContaining({ message: 'no' }));
    told.mockRestore();
    expect(await heard('hasty', { spoken: () => new Promise(() => undefined) })).toMatch(/is there soup$/i);
    const seen: string[] = [];
    expect(await heard('closed', { spoken: (text) => (seen.push(text), null) })).toMatch(/is there soup$/i);
    expect(seen).toEqual([]);
  });
});
