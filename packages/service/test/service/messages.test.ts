/**
 * Messages of errands in a running service: to whom they go, when, by which way, how often, and what is told
 * of those that did not arrive.
 */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { createServer, type Server } from 'node:http';
import { readFileSync, writeFileSync } from 'node:fs';
import { once } from 'node:events';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import pg from 'pg';
import { TypedTalk } from '@verbalon/client/node';
import type { MessageSummary, ServiceMessageOf } from '@verbalon/protocol';
import { SMTPServer } from 'smtp-server';
import { lightProject } from '../../../../testing/light-project.js';
import {
  freshDatabase,
  freshFolder,
  startService,
  until,
  type RunningService,
} from '../../../../testing/service.js';

interface Taken {
  to: string;
  from: string;
  text: string;
}

/** What mail was taken, and what the server says to the next ones. */
const mails: { to: string[]; text: string }[] = [];
const refusals: number[] = [];
const smtp = new SMTPServer({
  authOptional: true,
  disabledCommands: ['STARTTLS'],
  onRcptTo: (_address, _session, done) => {
    const code = refusals.shift();
    done(code === undefined ? null : Object.assign(new Error('not now'), { responseCode: code }));
  },
  onData: (stream, { envelope }, done) => {
    let text = '';
    stream.on('data', (chunk: Buffer) => (text += chunk.toString('utf8')));
    stream.on('end', () => {
      mails.push({ to: envelope.rcptTo.map(({ address }) => address), text });
      done();
    });
  },
});
/** Gives values of a slot, in the way that is set. */
let listed: { status: number; body: string } = { status: 200, body: '{"rooms":["Larch","Spruce"]}' };
const rooms: Server = createServer((_request, response) =>
  response.writeHead(listed.status).end(listed.body),
);

let service: RunningService;
let project: string;
let env: Record<string, string>;
let data: string;

beforeAll(async () => {
  await new Promise<void>((done) => smtp.listen(0, '127.0.0.1', done));
  await new Promise<void>((done) => rooms.listen(0, '127.0.0.1', done));
  const assistant = (more: string) =>
    `title: T\nlanguage: en\npersona: You are Tansy.\nlineup: { stt: ears, llm: echo, tts: voice }\n${more}`;
  project = await lightProject({
    standins: ['messenger'],
    assistants: {
      tansy: assistant('errands: [tell, change-message, withdraw-message, warn, show-hut, room, supper]\n'),
      home: assistant('stay: on-machine\nerrands: [tell]\n'),
    },
  });
  const mail = `smtp://127.0.0.1:${(smtp.server.address() as AddressInfo).port}`;
  const from = `http://127.0.0.1:${(rooms.address() as AddressInfo).port}/rooms`;
  const file = join(project, 'project.yaml');
  const way = `messages:\n  mail: { smtp: '${mail}', from: tansy@huts.example }\n`;
  writeFileSync(file, readFileSync(file, 'utf8').replace('messages:\n', way));
  writeFileSync(join(project, 'contacts.yaml'), CONTACTS);
  writeFileSync(
    join(project, 'errands/warn.yaml'),
    'title: warn all wardens\nabout: Warns.\nbegins: [warn the wardens when it snows]\nslots: {}\nreadBack: false\ndoes: { message: { to: wardens, text: It snows., when: snow } }\n',
  );
  writeFileSync(
    join(project, 'errands/room.yaml'),
    `title: choose a room\nabout: Chooses.\nbegins: [i want a room, i want the room <room>]\nslots: { room: { kind: choice, values: { from: '${from}', at: /rooms, keepS: 5, otherwise: [Any] }, ask: Which room? } }\nreadBack: false\ndoes: { keep: true }\n`,
  );
  env = await freshDatabase();
  data = freshFolder();
  service = await startService(project, data, env);
}, 60_000);
afterAll(async () => {
  await service.stop();
  rooms.close();
  await new Promise<void>((done) => smtp.close(() => done()));
});

const CONTACTS = `
contacts:
  pavel: { name: Pavel Orsk, ways: { messenger: rowan } }
  ines: { name: Ines Quill, ways: { mail: ines@huts.example, messenger: lantern } }
  greta: { name: Greta Lind, ways: { messenger: nobody } }
  maren: { name: Maren Holt, ways: { mail: maren@huts.example } }
  tomas: { name: Tomas Reed }
lists:
  wardens: { name: all wardens, of: [pavel, ines] }
`;

const messenger = (path: string, init?: RequestInit) =>
  fetch(`${service.pids.standins.messenger!.address}/${path}`, init);
const taken = async () => ((await (await messenger('seen')).json()) as { messages: Taken[] }).messages;
const fault = (kind: string) => messenger('faults', { method: 'POST', body: JSON.stringify({ kind }) });
const last = async (): Promise<MessageSummary> => (await service.http.messages({ limit: '1' }))[0]!;
const states = async () => (await last()).deliveries.map(({ contact, state }) => `${contact} ${state}`);

/** Says each, and gives what was heard last. */
async function talk(said: readonly string[], id?: string, assistant = 'tansy'): Promise<string> {
  const line = await TypedTalk.begin(
    service.address,
    assistant,
    id === undefined ? {} : { caller: { id, name: 'Fisher' } },
  );
  let heard = '';
  for (const text of said) ({ heard } = await line.says(text));
  line.leave();
  return heard;
}

describe('a message', () => {
  it('goes to each of a list by their own way, and is kept with how it stands', async () => {
    const heard = await talk(['tell all wardens that the bridge is closed', 'from Fisher', 'yes']);
    expect(heard).toBe('It goes to all wardens now.');
    await until(async () => (await last()).state === 'gone');
    expect(await states()).toEqual(['ines sent', 'pavel sent']);
    expect((await taken()).at(-1)).toMatchObject({ to: 'rowan', text: 'Fisher says: The bridge is closed' });
    expect(mails.at(-1)!.to).toEqual(['ines@huts.example']);
    expect(mails.at(-1)!.text).toMatch(/^To: "?Ines Quill"? <ines@huts\.example>/m);
    expect(mails.at(-1)!.text).toContain('Fisher says: The bridge is closed');
  });

  it.each(['broken', 'cut', 'cut-after', 'hang'])(
    'arrives once when the messenger does this: %s',
    async (kind) => {
      const before = (await taken()).length;
      await fault(kind);
      await talk([`tell Pavel that it is ${kind}`, 'from Fisher', 'yes']);
      await until(async () => (await last()).state === 'gone');
      expect(await states()).toEqual(['pavel sent']);
      expect((await taken()).slice(before)).toEqual([
        { to: 'rowan', from: '', text: `Fisher says: It is ${kind}` },
      ]);
    },
  );

  it('that one way refuses goes by the next; a mail server that says "later" gets it later', async () => {
    refusals.push(550);
    await talk(['tell Ines that the lamp is out', 'from Fisher', 'yes']);
    await until(async () => (await last()).state === 'gone');
    expect((await last()).deliveries).toMatchObject([{ contact: 'ines', state: 'sent', way: 'messenger' }]);
    refusals.push(451);
    await talk(['tell Ines that the lamp is on', 'from Fisher', 'yes']);
    await until(async () => (await last()).state === 'gone');
    expect((await last()).deliveries).toMatchObject([
      { contact: 'ines', state: 'sent', way: 'mail', attempts: 2 },
    ]);
  });

  it('that cannot be delivered is told to its sender at the next talk, once, and to nobody else', async () => {
    await talk(['tell Greta that we are late', 'from Fisher', 'yes'], 'fisher-1');
    await until(async () => (await last()).state === 'gone');
    expect(await states()).toEqual(['greta failed']);
    const begin = (id: string) => TypedTalk.begin(service.address, 'tansy', { caller: { id } });
    const told = ({ messages }: TypedTalk) =>
      messages.filter(
        (one) =>
          one.kind === 'turn' &&
          one.report.heard === 'Your last message to Greta Lind could not be delivered.',
      ).length;
    const [other, sender] = [await begin('somebody-else'), await begin('fisher-1')];
    await sender.until(() => told(sender) === 1);
    const again = await begin('fisher-1');
    for (const line of [other, again, sender])
      for (const text of ['hello', 'hello again']) await line.says(text);
    expect([told(other), told(sender), told(again)]).toEqual([0, 1, 0]);
    for (const line of [other, again, sender]) line.leave();
  });

  it('to somebody without a way is refused in words, and from an assistant that stays, to all that leads away', async () => {
    expect(await talk(['tell Tomas that we are late', 'from Fisher', 'yes'])).toBe(
      'I cannot reach Tomas Reed in writing.',
    );
    expect(await talk(['tell Pavel that we stay', 'from Fisher', 'yes'], undefined, 'home')).toMatch(
      /^It goes to Pavel Orsk/,
    );
    await until(async () => (await last()).state === 'gone');
  });
});

describe('a message that waits', () => {
  it('is changed and withdrawn by voice, until it goes; over HTTP too', async () => {
    const before = (await taken()).length;
    const line = await TypedTalk.begin(service.address, 'tansy');
    const says = async (text: string) => (await line.says(text)).heard;
    await says('tell Pavel tomorrow at six that the bridge is closed');
    await says('from Fisher');
    expect(await says('yes')).toMatch(/^It goes to Pavel Orsk tomorrow, .* 6 in the evening\.$/);
    await until(async () => (await last()).state === 'waiting');
    expect(await says('change the message to Pavel')).toBe('What shall it say?');
    await says('The bridge is open again.');
    expect(await says('yes')).toBe('It is changed.');
    expect(await last()).toMatchObject({ text: 'The bridge is open again.', state: 'waiting' });
    await says('cancel the message to Pavel');
    expect(await says('yes')).toBe('It is withdrawn.');
    expect(await states()).toEqual(['pavel withdrawn']);
    await says('cancel the message to Pavel');
    expect(await says('yes')).toBe('There is no message to Pavel Orsk that still waits.');
    line.leave();
    const { id } = await last();
    await expect(service.http.withdrawMessage(id)).rejects.toThrow(/does not wait any more: it is withdrawn/);
    await expect(service.http.withdrawMessage('none')).rejects.toThrow(/there is no message "none"/);
    await expect(service.http.changeMessage(id, { text: 'x' })).rejects.toThrow(/does not wait any more/);
    expect((await taken()).length).toBe(before);
  });

  it('belongs to the talk that wrote it, or to a caller who is known for sure', async () => {
    const none = 'There is no message to Pavel Orsk that still waits.';
    await talk(['tell Pavel tomorrow at seven that we come', 'from Fisher', 'yes'], 'fisher-3');
    const written = await last();
    // Somebody without an id, and somebody whose page only says that they are the same.
    expect(await talk(['cancel the message to Pavel', 'yes'])).toBe(none);
    const { token } = await service.http.makeToken({ assistant: 'tansy' });
    const page = await TypedTalk.begin(service.address, 'tansy', { pass: token, caller: { id: 'fisher-3' } });
    await page.says('cancel the message to Pavel');
    expect((await page.says('yes')).heard).toBe(none);
    page.leave();
    expect(await last()).toMatchObject({ id: written.id, state: 'waiting' });
    expect(await talk(['cancel the message to Pavel', 'yes'], 'fisher-3')).toBe('It is withdrawn.');
  });

  it('for something to happen goes when it does', async () => {
    await talk(['warn the wardens when it snows']);
    await until(async () => (await last()).occasion === 'snow');
    expect(await service.http.occasion('rain')).toEqual({ messages: 0 });
    expect(await service.http.occasion('snow')).toEqual({ messages: 1 });
    await until(async () => (await last()).state === 'gone');
    expect(await states()).toEqual(['ines sent', 'pavel sent']);
    expect(await service.http.occasion('snow')).toEqual({ messages: 0 });
  });

  it('at another time goes then', async () => {
    await talk(['tell Pavel tomorrow at six that we come', 'from Fisher', 'yes']);
    await until(async () => (await last()).state === 'waiting');
    await service.http.changeMessage((await last()).id, { dueAt: new Date().toISOString() });
    await until(async () => (await last()).state === 'gone');
    expect(await states()).toEqual(['pavel sent']);
  });
});

describe('values from an address', () => {
  const ask = () => service.http.tryErrand('room', ['i want a room', 'spruce']);
  const values = async () =>
    (await service.http.errands()).find(({ name }) => name === 'room')!.slots[0]!.values;

  it('are those that it gives; and they stay while it is away, or gives something else', async () => {
    await until(async () => (await values()).includes('Spruce'));
    expect((await ask()).at(-1)).toMatchObject({ slots: [{ name: 'room', value: 'Spruce' }] });
    for (const broken of [
      { status: 500, body: '' },
      { status: 200, body: '<html>' },
      { status: 200, body: '{"rooms":"x"}' },
      { status: 200, body: JSON.stringify({ rooms: Array.from({ length: 10_000 }, (_, i) => `Room ${i}`) }) },
    ]) {
      const before = service.log().split('those that were known stay').length;
      listed = broken;
      await until(() => service.log().split('those that were known stay').length > before);
      expect(await values()).toEqual(['Larch', 'Spruce']);
    }
    expect(service.log()).toMatch(/10000 values; at most 2000 can be told apart by ear/);
    listed = { status: 200, body: '{"rooms":[{"value":"7","say":"Birch","also":["the small one"]}]}' };
    await until(async () => (await values()).includes('Birch'));
  }, 90_000);
});

describe('on the caller’s own screen', () => {
  it('the line is asked, and what it answers is said', async () => {
    const line = await TypedTalk.begin(service.address, 'tansy');
    const screen = () =>
      line.messages.find((one): one is ServiceMessageOf<'screen'> => one.kind === 'screen');
    expect((await line.says('show me Rowan Hut')).heard).toBe('I cannot show you anything there.');
    line.hasScreen = true;
    expect((await line.says('show me Rowan Hut')).heard).toBe('Here is Rowan Hut.');
    expect(screen()).toMatchObject({
      run: 1,
      open: 'https://tarnside.example/huts/Rowan%20Hut',
      show: 'The page of Rowan Hut',
    });
    line.leave();
  });

  it('what the caller writes into the form counts, and is asked for no more', async () => {
    const line = await TypedTalk.begin(service.address, 'tansy');
    expect((await line.says('order supper')).heard).toBe('Soup, dumplings or stew?');
    line.writes('portions', 'four');
    expect((await line.says('the bean stew')).heard).toBe(
      'For tonight, four portions of stew. Is that right?',
    );
    line.leave();
  });
});

it('messages that were under way when the service was killed arrive once; a time that was set holds', async () => {
  await fault('hang');
  await talk(['tell Pavel that the stove smokes', 'from Fisher', 'yes']);
  await until(async () => (await last()).deliveries[0]!.state === 'trying');
  await talk(['tell Pavel tomorrow at six that we come', 'from Fisher', 'yes']);
  await until(async () => (await last()).state === 'waiting');
  const gone = once(service.child, 'exit');
  service.child.kill('SIGKILL');
  await gone;
  service = await startService(project, data, env);
  await until(
    async () =>
      (await service.http.messages({ state: 'gone', limit: '1' }))[0]!.text ===
      'Fisher says: The stove smokes',
  );
  expect(await taken()).toEqual([{ to: 'rowan', from: '', text: 'Fisher says: The stove smokes' }]);
  expect(await last()).toMatchObject({
    state: 'waiting',
    deliveries: [{ contact: 'pavel', state: 'waiting' }],
  });
});

it('a run that was cut off is known to be done where it sent a message, and unsure where it withdrew another one', async () => {
  await talk(['tell Pavel tomorrow at six that we come', 'from Fisher', 'yes'], 'fisher-2');
  await talk(['cancel the message to Pavel', 'yes'], 'fisher-2');
  const runs = async () =>
    (await service.http.runs({ limit: '2' })).map(({ errand, state }) => `${errand} ${state}`);
  await until(async () => (await runs()).every((one) => one.endsWith(' done')));
  const gone = once(service.child, 'exit');
  service.child.kill('SIGKILL');
  await gone;
  const client = new pg.Client(env.DATABASE_URL);
  await client.connect();
  await client.query(`update runs set state = 'doing' where errand in ('tell', 'withdraw-message')`);
  await client.end();
  service = await startService(project, data, env);
  await until(async () => !(await runs()).some((one) => one.endsWith(' doing')));
  expect(await runs()).toEqual(['withdraw-message unsure', 'tell done']);
});

it('contacts that change are known at once; a file that is wrong is told, and the last good one stays', async () => {
  writeFileSync(
    join(project, 'contacts.yaml'),
    `${CONTACTS}  crew: { name: the crew, of: [pavel, nobody] }\n`,
  );
  await until(() => /contacts\.yaml:\d+: .{0,3}nobody.{0,3} is no contact/.test(service.log()));
  expect((await service.http.contacts()).map(({ key }) => key)).not.toContain('crew');
  writeFileSync(
    join(project, 'contacts.yaml'),
    `${CONTACTS}  crew: { name: the crew, of: [pavel, greta] }\n`,
  );
  await until(async () => (await service.http.contacts()).some(({ key }) => key === 'crew'));
  const [first] = await service.http.tryErrand('tell', ['tell the crew that we are late']);
  expect(first).toMatchObject({ slots: [{ name: 'whom', value: 'crew', text: 'the crew' }, {}] });
});
