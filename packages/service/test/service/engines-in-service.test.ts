/**
 * Engines in a running service: the demo project with its clouds, local servers and database, over HTTP and
 * the talk socket.
 */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { quickTurn } from '@verbalon/hostile';
import { ServiceError } from '@verbalon/client';
import { cloudsProject } from '../../../../testing/clouds-project.js';
import {
  freshFolder,
  root,
  startService,
  until,
  verbalon,
  type RunningService,
} from '../../../../testing/service.js';

const WRONG_KEY = 'a-key-that-nobody-knows-7316';

let service: RunningService;
let project: string;

beforeAll(async () => {
  project = cloudsProject();
  service = await startService(project, freshFolder(), { BIRCH_KEY: WRONG_KEY });
}, 60_000);
afterAll(() => service.stop());

const ask = (assistant: string, text: string, swap?: { role: 'stt' | 'llm' | 'tts'; engine: string }) =>
  quickTurn(service.address, { text }, { assistant, ...(swap ? { swap } : {}) });
const at = (name: string) => service.pids.standins[name]!.address;
const seen = async (name: string) =>
  (await (await fetch(`${at(name)}/seen`)).json()) as {
    requests: object;
    bytes: number;
    connections: number;
    texts: string[];
  };
const fault = (role: string, kind: string, after = 0) =>
  fetch(`${at('alder')}/faults`, { method: 'POST', body: JSON.stringify({ role, kind, after, times: 1 }) });
const QUESTION = 'How many bunks are free at Heron Hut on Saturday?';
const ANSWER = 'There are four bunks free at Heron Hut on Saturday.';

describe('an engine that fails in a turn', () => {
  it.each([
    // Not the words of the turn before: those are kept as sound.
    ['llm', 'broken', 0, 'thinker', 'Who is the warden of Heron Hut?'],
    ['llm', 'cut', 3, 'thinker', 'Who is the warden of Rowan Hut?'],
    ['tts', 'cut', 2, 'voice', 'Who is the warden of Lantern Hut?'],
    ['tts', 'broken', 0, 'voice', 'Who is the warden of Saddle Hut?'],
    ['tts', 'slow', 1, 'voice', 'Is the path over the saddle open?'],
  ])(
    '%s, %s after %i: another takes over, no word is lost or said twice',
    async (role, kind, after, relief, question) => {
      await service.http.checkEngines([role === 'llm' ? 'alder-mind' : 'alder-voice']);
      await fault(role, kind, after);
      const { report } = await ask('clouds', question);
      expect(report.reliefs).toMatchObject([{ role, to: relief }]);
      expect(report.heard).toBe(report.generated.trim());
      expect(report.heard).toMatch(
        /^(?:The warden of \w+ Hut is \w+ \w+\.|Yes, the path over the saddle .*)$/,
      );
    },
  );

  it('is told on a wrong key, rests, and the next one answers at once', async () => {
    const { report } = await ask('locked', QUESTION);
    expect(report.heard).toBe(ANSWER);
    const [checked] = await service.http.checkEngines(['birch-mind']);
    expect(checked).toMatchObject({ ok: false, problem: { code: 'engine-key-wrong' } });
    expect(
      (await service.http.engines()).find(({ name }) => name === 'birch-mind')!.resting ??
        checked!.problem!.detail,
    ).toMatch(/401/);
  });
});

it('a swap serves at once, keeps the talk, and stands in the journal', async () => {
  const { report, conversation, messages } = await ask('clouds', 'Say this again.', {
    role: 'llm',
    engine: 'echo',
  });
  expect(report.heard).toBe('Say this again.');
  expect(messages.some(({ kind }) => kind === 'swapped')).toBe(true);
  await until(async () =>
    (await service.http.journal(conversation)).some(({ kind }) => kind === 'swapAsked'),
  );
});

it('"stay: on-machine" is a promise: the clouds receive nothing, and no swap breaks it', async () => {
  const before = await Promise.all(['alder', 'birch', 'thinker'].map(seen));
  const { report } = await ask('stays', QUESTION);
  expect(report.heard).toBe(ANSWER);
  const { messages } = await ask('stays', QUESTION, { role: 'llm', engine: 'alder-mind' });
  expect(messages).toContainEqual(expect.objectContaining({ kind: 'trouble', code: 'engine-forbidden' }));
  const after = await Promise.all(['alder', 'birch', 'thinker'].map(seen));
  expect(after.map(({ requests, bytes }) => ({ requests, bytes }))).toEqual(
    before.map(({ requests, bytes }) => ({ requests, bytes })),
  );
  const assistants = await service.http.assistants();
  expect(assistants.find(({ name }) => name === 'stays')).toMatchObject({ stay: 'on-machine' });
});

it('an assistant may hear one language and speak another', async () => {
  const { report } = await ask('german', 'Is the path open?');
  expect(report.heard).toBe('Ja, der Weg über den Sattel ist heute offen.');
});

it('the language it speaks may change during a talk; one that none of its engines knows is refused', async () => {
  const asking = (speaks: string) =>
    quickTurn(
      service.address,
      { text: 'Is the path over the saddle open?' },
      { assistant: 'clouds', language: { speaks } },
    );
  const german = await asking('de');
  expect(german.messages).toContainEqual(
    expect.objectContaining({ kind: 'languageSet', hears: 'en', speaks: 'de' }),
  );
  expect(german.report.heard).toBe('Ja, der Weg über den Sattel ist heute offen.');
  const french = await asking('fr');
  expect(french.messages).toContainEqual(
    expect.objectContaining({ kind: 'trouble', code: 'language-unknown' }),
  );
  expect(french.report.heard).toMatch(/^Yes, the path over the saddle is open\./);
});

it('a talk’s cost is what its engines used, turn by turn; a phrase that was said before costs nothing', async () => {
  const { conversation } = await ask('clouds', 'What time is supper at Lantern Hut?');
  await until(async () => (await service.http.cost(conversation)).sums.length > 0);
  const cost = await service.http.cost(conversation, { llm: 'thinker' });
  const [sum] = cost.sums;
  expect(cost.turns.reduce((all, { sums }) => all + (sums[0]?.cost ?? 0), 0)).toBeCloseTo(sum!.cost, 9);
  expect(cost.engines.map(({ engine }) => engine).sort()).toEqual(['alder-mind', 'alder-voice']);
  expect(cost.other![0]!.cost).toBeLessThan(sum!.cost);
  const again = await ask('clouds', 'What time is supper at Lantern Hut?');
  await until(async () => (await service.http.cost(again.conversation)).sums.length > 0);
  const [second] = (await service.http.cost(again.conversation)).sums;
  expect(second!.saved).toBeGreaterThan(0);
  expect(second!.cost).toBeLessThan(sum!.cost / 2);
  expect((await service.http.costs(1)).some(({ engine }) => engine === 'alder-voice')).toBe(true);
});

it('a budget warns, and then ends the talk with a word', async () => {
  const { messages } = await ask('poor', QUESTION);
  const codes = messages.flatMap((message) => (message.kind === 'trouble' ? [message.code] : []));
  expect(codes).toEqual(['budget-near', 'budget-used-up']);
});

it('own code between the stages rewrites; when it is late the talk goes on without it', async () => {
  const { report } = await ask('staged', 'Something else.');
  expect(report.heard).toBe('It was rewritten.');
  expect(service.log()).toContain('it took longer than 50 ms');
});

it('a local server is started when it is needed, and again when it dies', async () => {
  const [checked] = await service.http.checkEngines(['reader']);
  expect(checked).toMatchObject({ ok: true });
  const ready = () =>
    service
      .log()
      .split('\n')
      .filter((line) => line.includes('"reader"') && line.includes('"ready"')).length;
  const before = ready();
  const pid = Number(/"reader","pid":(\d+)/.exec(service.log())?.[1] ?? verbalonPid('reader'));
  process.kill(pid, 'SIGKILL');
  await until(() => ready() > before);
  expect((await service.http.checkEngines(['reader']))[0]).toMatchObject({ ok: true });
});

/** The process of the local server that reads aloud for this service. */
function verbalonPid(name: string): number {
  const list = readFileSync(`/proc/${service.child.pid}/task/${service.child.pid}/children`, 'utf8')
    .trim()
    .split(' ');
  const found = list.find((pid) => readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(`local/${name}.js`));
  return Number(found);
}

describe('a tryout', () => {
  it('compares models, is kept, rated, and read as CSV', async () => {
    let done;
    for await (const event of service.http.tryout({
      role: 'llm',
      engines: ['echo', 'thinker'],
      texts: [QUESTION],
    }))
      if (event.kind === 'done') done = event.tryout;
    expect(done!.engines.map(({ items }) => items[0]!.got)).toEqual([QUESTION, ANSWER]);
    const rated = await service.http.rate(done!.id, 'thinker', 'text 1', 5);
    expect(rated.engines[1]!.items[0]!.rating).toBe(5);
    expect((await service.http.tryoutTable(done!.id)).split('\r\n')[2]).toMatch(
      /^thinker,text 1,texts,How many bunks/,
    );
    expect((await service.http.tryouts())[0]!.id).toBe(done!.id);
  });

  it('tells word by word what ears made of recordings that were brought', async () => {
    const { http } = service;
    const brought = randomUUID();
    const spoken = [{ text: 'And at Rowan Hutt?', fromMs: 25_462, toMs: 26_633 }];
    await http.bringRecording(brought, 'a.wav', readFileSync(join(root, 'demo/recordings/miller-asks.wav')));
    await http.bringRecording(brought, 'a.json', JSON.stringify({ spoken }));
    let done;
    for await (const event of http.tryout({ role: 'stt', engines: ['alder-ears'], brought }))
      if (event.kind === 'done') done = event.tryout;
    // It is over, and they are kept no longer.
    const again = http.tryout({ role: 'stt', engines: ['alder-ears'], brought })[Symbol.asyncIterator]();
    await expect(again.next()).rejects.toMatchObject({ problem: { code: 'recording-unknown' } });
    const { errors, byGroup, items, firstMs, cost } = done!.engines[0]!;
    expect(errors).toMatchObject({ words: 4, substituted: 1, deleted: 0, inserted: 0, rate: 0.25 });
    expect(byGroup).toHaveLength(1);
    expect(items[0]!.alignment.at(-1)).toEqual({ what: 'other', said: 'hutt', heard: 'hut' });
    expect(firstMs!.p50).toBeGreaterThan(0);
    expect(cost).toBeGreaterThan(0);
  });

  it('refuses engines of another role, and recordings that are not there', async () => {
    const run = async (request: Parameters<typeof service.http.tryout>[0]) => {
      for await (const event of service.http.tryout(request)) void event;
    };
    await expect(run({ role: 'stt', engines: ['voice'] })).rejects.toThrow(ServiceError);
    await expect(run({ role: 'stt', engines: ['ears'], recordings: ['nobody'] })).rejects.toMatchObject({
      problem: { code: 'recording-unknown' },
    });
    await expect(run({ role: 'llm', engines: ['echo'] })).rejects.toMatchObject({
      problem: { code: 'request-broken' },
    });
  });
});

it('the command line lists and checks, with an exit code for scripts', async () => {
  const env = { VERBALON_URL: service.address };
  expect((await verbalon(['engines'], env)).out).toMatch(/^alder-ears\s+hears\s+cloud, north shore\s+en/m);
  const good = await verbalon(['engines', 'check', 'echo', 'voice'], env);
  expect(good).toMatchObject({ code: 0, out: expect.stringMatching(/✓ echo[^]*✓ voice/) });
  const bad = await verbalon(['engines', 'check', 'birch-voice'], env);
  expect(bad).toMatchObject({
    code: 1,
    out: expect.stringMatching(/✗ birch-voice[^]*engine-key-wrong[^]*→ Check the value/),
  });
  for (const change of [
    ['swap', 'llm', 'echo'],
    ['language', '--speaks', 'de'],
  ])
    expect(await verbalon(change, env)).toMatchObject({
      code: 1,
      err: expect.stringContaining('No talk is going on'),
    });
  const days = (await verbalon(['cost', '--days', '1'], env)).out;
  expect(days).toMatch(/alder-mind\s+thinks\s+\d+/);
  expect(days).toMatch(/cost +rent and plan$/m);
});

it('no key is in any output', async () => {
  const list = await service.http.conversations();
  const outputs = [
    service.log(),
    JSON.stringify(await service.http.engines()),
    JSON.stringify(await service.http.openApi()),
  ];
  for (const { id } of list)
    outputs.push(
      JSON.stringify(await service.http.journal(id)),
      JSON.stringify(await service.http.conversation(id)),
    );
  for (const check of await service.http.checkEngines(['birch-ears', 'birch-mind', 'birch-voice']))
    outputs.push(JSON.stringify(check));
  expect(outputs.join('\n')).toContain('401');
  expect(outputs.join('\n')).not.toContain(WRONG_KEY);
});
