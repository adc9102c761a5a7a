/** Errands in a running service, typed, against the stand-in office and whatever may go wrong there. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { chmodSync, readFileSync, writeFileSync } from 'node:fs';
import { once } from 'node:events';
import { join } from 'node:path';
import { TypedTalk } from '@verbalon/client/node';
import { lightProject } from '../../../../testing/light-project.js';
import {
  freshDatabase,
  freshFolder,
  startService,
  until,
  type RunningService,
} from '../../../../testing/service.js';

interface Seen {
  booked: number;
  bookings: { number: string; hut: string; bunks: number }[];
  logs: { hut: string; entry: string }[];
}

const OWN: Record<string, string> = {
  'ring-bell':
    'title: ring the bell\nabout: Rings.\nbegins: [ring the bell]\nslots: {}\nreadBack: false\ndoes: { program: [./bell.sh], deadlineMs: 3000 }\nsays: { done: "It rang {times} times." }\n',
  'break-bell':
    'title: break the bell\nabout: Breaks.\nbegins: [break the bell]\nslots: {}\nreadBack: false\ndoes: { program: [./broken.sh] }\n',
  reckon:
    'title: reckon\nabout: Adds.\nbegins: ["add to <number>"]\nslots: { number: { kind: count, ask: To what? } }\nreadBack: false\ndoes: { module: errands/reckon.mjs }\nsays: { done: "That is {sum}." }\n',
  'sign-in':
    'title: sign you in\nabout: Signs in.\nbegins: ["sign [me] in ..."]\nslots: { name: { kind: name, ask: Under which name? } }\nreadBack: false\ndoes: { table: lists/guests.csv }\n',
  remark:
    'title: note a remark\nabout: Notes.\nbegins: [note a remark]\nslots: { text: { kind: text, ask: What is it? } }\nreadBack: false\ndoes: { keep: true }\n',
  away: 'title: ask far away\nabout: Asks.\nbegins: [ask far away]\nslots: {}\nreadBack: false\ndoes: { http: { method: POST, to: "https://far.example/x" } }\n',
};

let service: RunningService;
let project: string;
let data: string;

beforeAll(async () => {
  const assistant = (more: string) =>
    `title: T\nlanguage: en\npersona: You are Tansy.\nrecorded: true\nlineup: { stt: ears, llm: echo, tts: voice }\n${more}`;
  const own = Object.keys(OWN).join(', ');
  project = await lightProject({
    standins: ['office'],
    assistants: {
      doer: assistant(`errands: [book-bunks, weather, log-entry, ${own}]\n`),
      home: assistant('stay: on-machine\nerrands: [weather, away]\n'),
    },
  });
  data = freshFolder();
  for (const [name, text] of Object.entries(OWN))
    writeFileSync(join(project, 'errands', `${name}.yaml`), text);
  writeFileSync(
    join(project, 'errands/reckon.mjs'),
    'export const run = ({ slots }) => ({ sum: slots.number + 1 });\n',
  );
  writeFileSync(join(project, 'bell.sh'), '#!/bin/sh\ncat > heard.json\necho \'{"times": 3}\'\n');
  writeFileSync(join(project, 'broken.sh'), '#!/bin/sh\necho no rope >&2\nexit 3\n');
  for (const name of ['bell.sh', 'broken.sh']) chmodSync(join(project, name), 0o755);
  service = await startService(project, data);
}, 60_000);
afterAll(() => service.stop());

const office = (path: string, init?: RequestInit) =>
  fetch(`${service.pids.standins.office!.address}/${path}`, init);
const seen = async () => (await (await office('seen')).json()) as Seen;
const fault = (kind: string) => office('faults', { method: 'POST', body: JSON.stringify({ kind }) });
const begin = (assistant = 'doer') => TypedTalk.begin(service.address, assistant);
const state = async (talk: TypedTalk) => (await service.http.runs({ conversation: talk.conversation }))[0];

describe('a booking', () => {
  it('is asked for, corrected, confirmed, done once, and stands among the outcomes', async () => {
    const before = (await seen()).booked;
    const talk = await begin();
    expect((await talk.says('I would like to book bunks at Rowan Hut')).heard).toBe('How many bunks?');
    expect((await talk.says('three, no, two, for Tuesday')).heard).toBe('Under which name?');
    expect((await talk.says('it is Miller')).heard).toMatch(
      /^Two bunks at Rowan Hut, .* under the name Miller\. Shall I book that\?$/,
    );
    const { heard, errands } = await talk.says('yes please');
    expect(heard).toMatch(/^It is booked\. Your number is \d{4}\.$/);
    expect(errands).toEqual([{ run: 1, errand: 'book-bunks', stage: 'done' }]);
    expect((await seen()).booked).toBe(before + 1);
    await until(async () => (await state(talk))?.state === 'done');
    expect(await state(talk)).toMatchObject({
      errand: 'book-bunks',
      state: 'done',
      slots: { bunks: 2, hut: 'Rowan Hut', name: 'Miller' },
      given: { number: heard.slice(-5, -1) },
      assistant: 'doer',
    });
    talk.leave();
  });

  it.each([
    // What the office does; what is said of it; how many bookings there are more.
    ['cut', /^It is booked\. Your number is \d{4}\.$/, 1],
    ['cut-after', /^It is booked\. Your number is \d{4}\.$/, 1],
    ['hang', /^It is booked\. Your number is \d{4}\.$/, 1],
    ['broken', /^It is booked\. Your number is \d{4}\.$/, 1],
    ['page', /^It is booked\. Your number is \d{4}\.$/, 1],
    ['large', /^It is booked\. Your number is \d{4}\.$/, 1],
    ['full', /^There are not so many bunks free that night\. For which night\?$/, 0],
  ])('is made once at most when the office does this: %s', async (kind, said, more) => {
    const before = (await seen()).booked;
    const talk = await begin();
    await talk.says('book one bunk at Heron Hut for Monday under Baker');
    await fault(kind);
    expect((await talk.says('yes')).heard).toMatch(said);
    expect((await seen()).booked).toBe(before + more);
    talk.leave();
  });

  it('is not made when the caller leaves before the yes, and that is told', async () => {
    const before = (await seen()).booked;
    const talk = await begin();
    await talk.says('book one bunk at Heron Hut for Monday under Baker');
    talk.leave();
    await talk.until(() => talk.messages.some(({ kind }) => kind === 'farewell'));
    expect(talk.errands).toMatchObject([{ run: 1, stage: 'cancelled' }]);
    await until(async () => (await state(talk))?.state === 'cancelled');
    expect((await seen()).booked).toBe(before);
  });
});

it('a booking that was being made when the service was killed is looked up at the next start, and not made again', async () => {
  const env = await freshDatabase();
  const folder = freshFolder();
  const first = await startService(project, folder, env);
  const at = (one: RunningService) => one.pids.standins.office!.address;
  const bookedAt = async (one: RunningService) =>
    ((await (await fetch(`${at(one)}/seen`)).json()) as Seen).booked;
  const talk = await TypedTalk.begin(first.address, 'doer');
  const { conversation } = talk;
  await talk.says('book one bunk at Heron Hut for Sunday under Baker');
  await fetch(`${at(first)}/faults`, { method: 'POST', body: '{"kind":"hang"}' });
  talk.types('yes');
  await until(async () => (await bookedAt(first)) === 1);
  await until(async () => (await first.http.runs({ conversation }))[0]?.state === 'doing');
  const gone = once(first.child, 'exit');
  first.child.kill('SIGKILL');
  await gone;
  const second = await startService(project, folder, env);
  // The office went with the service: it knows of no such booking, and says so.
  await until(async () => (await second.http.runs({ conversation }))[0]?.state === 'failed');
  expect(await bookedAt(second)).toBe(0);
  expect(second.log()).toContain('it is not done again');
  await second.stop();
});

describe('each way of doing', () => {
  it('a program is given the run, and what it writes is said', async () => {
    const talk = await begin();
    expect((await talk.says('ring the bell')).heard).toBe('It rang 3 times.');
    expect(JSON.parse(readFileSync(join(project, 'heard.json'), 'utf8'))).toMatchObject({
      errand: 'ring-bell',
      slots: {},
    });
    expect((await talk.says('break the bell')).heard).toBe(
      'I am sorry, that could not be done. Nothing was changed.',
    );
    expect(service.log()).toContain('./broken.sh ended with 3: no rope');
    talk.leave();
  });

  it('a module of the project, a row of a table, an entry among the outcomes', async () => {
    const talk = await begin();
    expect((await talk.says('add to twelve')).heard).toBe('That is 13.');
    expect((await talk.says('sign me in')).heard).toBe('Under which name?');
    expect((await talk.says('Anna Miller')).heard).toBe('It is done.');
    expect(readFileSync(join(project, 'lists/guests.csv'), 'utf8')).toMatch(
      /^at,run,name\r\n[^,]+,[0-9a-f-]+-2,Anna Miller\r\n$/,
    );
    await talk.says('note a remark');
    expect((await talk.says('No, sorry: the stove smokes.')).heard).toBe('It is done.');
    await until(async () => (await state(talk))?.slots.text === 'No, sorry: the stove smokes.');
    talk.leave();
  });

  it('dictation is read back as it was said, and kept', async () => {
    const talk = await begin();
    expect((await talk.says('write a log entry for Heron Hut')).heard).toBe('What shall I write?');
    await talk.says('The pump is loose.');
    await talk.says('yes');
    expect((await seen()).logs.at(-1)).toEqual({ hut: 'Heron Hut', entry: 'The pump is loose.' });
    talk.leave();
  });

  it('what must stay on the machine is not sent elsewhere', async () => {
    const talk = await begin('home');
    expect((await talk.says('what is the weather at Heron Hut')).heard).toMatch(
      /^According to the sheet of the hut office: /,
    );
    expect((await talk.says('ask far away')).heard).toBe(
      'I am sorry, that could not be done. Nothing was changed.',
    );
    expect(service.log()).toContain('far.example is elsewhere, and this assistant stays on the machine');
    talk.leave();
  });
});

it('an errand can be tried over HTTP without doing anything', async () => {
  const before = (await seen()).booked;
  const [first, second] = await service.http.tryErrand(
    'book-bunks',
    ['three bunks at Rowan Hut for Friday, no, four, under Miller', 'yes'],
    '2026-11-26T10:00',
  );
  expect(first).toMatchObject({
    does: 'say',
    stage: 'reading back',
    says: 'Four bunks at Rowan Hut, tomorrow, the 27th of November, under the name Miller. Shall I book that?',
    slots: [
      { name: 'bunks', kind: 'count', value: 4 },
      { name: 'hut', value: 'Rowan Hut' },
      { name: 'night', kind: 'date', value: '2026-11-27' },
      { name: 'name', value: 'Miller' },
    ],
  });
  expect(second).toMatchObject({ does: 'act' });
  expect((await seen()).booked).toBe(before);
  await expect(service.http.tryErrand('fly', ['fly'])).rejects.toThrow(/"fly" is not one of: .*book-bunks/);
  expect((await service.http.errandExamples('weather', 5)).length).toBe(5);
  expect((await service.http.errands()).find(({ name }) => name === 'sign-in')).toMatchObject({
    does: 'table',
    assistants: ['doer'],
  });
});
