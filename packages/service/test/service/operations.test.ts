/** The document of the HTTP interface: each of its operations has an example, and each example works. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { Validator } from '@seriousme/openapi-schema-validator';
import { TypedTalk } from '@verbalon/client/node';
import { TestPhone } from '@verbalon/hostile';
import {
  check,
  type NewKey,
  type PhoneCallView,
  type TryoutSummary,
  type ViewLink,
} from '@verbalon/protocol';
import { EXAMPLE_IDS } from '../../src/http/example-ids.js';
import { PhonedService } from '../../../../testing/phoned-service.js';
import { until, walker } from '../../../../testing/service.js';

interface Described {
  operationId: string;
  responses: Record<string, { content?: Record<string, { schema?: object }> }>;
  'x-example': {
    path?: Record<string, string>;
    query?: Record<string, string>;
    headers?: Record<string, string>;
    body?: unknown;
    sound?: string;
  };
}
interface Operation extends Described {
  path: string;
  method: string;
}

/** What takes something away, and keys: from the first one on every request needs one. */
const LAST = ['removeFile', 'makeKey', 'listKeys', 'signIn', 'whoAmI', 'signOut', 'revokeKey'];
/** They go on as long as somebody watches. */
const ENDLESS = ['watchTalk', 'watchCaptions'];

let on: PhonedService;
let live: TypedTalk;
let warden: TestPhone;
/** What stands in the examples, and what there is in its place. */
const there = new Map<string, string>();
let key: string | null = null;

beforeAll(async () => {
  warden = await TestPhone.open();
  on = await PhonedService.start({ standins: ['office'], phone: "  numbers: { '*': tansy }\n" });
  const { http, service } = on;
  const talk = await TypedTalk.begin(service.address, 'tansy');
  await talk.says('where are the blankets');
  talk.leave();
  live = await TypedTalk.begin(service.address, 'tansy');
  await until(async () => (await http.conversations()).some(({ endedAt }) => endedAt !== null));
  there.set('127.0.0.1:5066', `127.0.0.1:${warden.port}`);
  const talks = await http.conversations();
  there.set(EXAMPLE_IDS.talk, talks.find(({ endedAt }) => endedAt !== null)!.id);
  there.set(EXAMPLE_IDS.liveTalk, talks.find(({ endedAt }) => endedAt === null)!.id);
});
afterAll(async () => {
  warden.close();
  await on.service.stop();
});

async function waitingMessage(): Promise<void> {
  for (const said of ['tell Pavel tomorrow at six that the bridge is closed', 'from Fisher', 'yes'])
    await live.says(said);
  await until(async () => (await on.http.messages({ state: 'waiting' })).length > 0);
  there.set(EXAMPLE_IDS.message, (await on.http.messages({ state: 'waiting' }))[0]!.id);
}
const BEFORE: Record<string, () => Promise<void>> = {
  withdrawMessage: waitingMessage,
  changeMessage: waitingMessage,
};

/** What an answer brings that later examples name. */
const AFTER: Record<string, (answer: never) => void> = {
  ring: ({ id }: PhoneCallView) => there.set(EXAMPLE_IDS.call, id),
  listTryouts: ([tryout]: TryoutSummary[]) => there.set(EXAMPLE_IDS.tryout, tryout!.id),
  makeView: ({ page }: ViewLink) => there.set(EXAMPLE_IDS.viewToken, page.replace('/captions/', '')),
  makeKey: (made: NewKey) => {
    key = made.key;
    there.set(EXAMPLE_IDS.key, key);
  },
};

function requestOf({ path, method, 'x-example': shown }: Operation): [string, RequestInit] {
  const own = [...there].reduce((text, [from, to]) => text.replaceAll(from, to), JSON.stringify(shown));
  const { path: inPath = {}, query, headers, body, sound } = JSON.parse(own) as Described['x-example'];
  const filled = path.replaceAll(/\{(\w+)\}/g, (_all, name: string) => encodeURIComponent(inPath[name]!));
  const sent = sound === undefined ? body : walker(sound);
  const isText = typeof sent === 'string' || sent instanceof Uint8Array;
  const type = sound ? 'application/octet-stream' : isText ? 'text/yaml' : 'application/json';
  return [
    `${on.service.address}${filled}?${new URLSearchParams(query).toString()}`,
    {
      method: method.toUpperCase(),
      headers: {
        ...headers,
        ...(sent === undefined ? {} : { 'content-type': type }),
        ...(key === null ? {} : { authorization: `Bearer ${key}` }),
      },
      ...(sent === undefined ? {} : { body: (isText ? sent : JSON.stringify(sent)) as BodyInit }),
    },
  ];
}

/** @returns what is wrong with it; null for nothing */
async function tryExample(operation: Operation): Promise<string | null> {
  const { operationId, responses } = operation;
  await BEFORE[operationId]?.();
  const answer = await fetch(...requestOf(operation));
  const told = Object.keys(responses).filter((status) => status !== 'default');
  if (!told.includes(`${answer.status}`)) return `${operationId}: ${answer.status} ${await answer.text()}`;
  if (answer.status === 204) return null;
  const type = answer.headers.get('content-type')!.split(';')[0]!;
  const described = responses[200]!.content![type];
  if (!described) return `${operationId}: ${type} is not described`;
  if (ENDLESS.includes(operationId)) {
    await answer.body!.cancel();
    return null;
  }
  const value: unknown = /[/+]json$/.test(type) ? await answer.json() : await answer.arrayBuffer();
  AFTER[operationId]?.(value as never);
  const fits = described.schema ? check(described.schema as never, value) : { ok: true as const };
  return fits.ok ? null : `${operationId}: ${fits.detail}`;
}

it('is OpenAPI 3.1, as a public validator sees it', async () => {
  const validator = new Validator();
  expect(await validator.validate((await on.http.openApi()) as Record<string, unknown>)).toMatchObject({
    valid: true,
  });
  expect(validator.version).toBe('3.1');
});

it('has an example of every operation that works, and whose answer fits its schema', async () => {
  const { paths } = (await on.http.openApi()) as { paths: Record<string, Record<string, Described>> };
  const all = Object.entries(paths).flatMap(([path, methods]) =>
    Object.entries(methods).map(([method, described]): Operation => ({ path, method, ...described })),
  );
  const rank = ({ operationId }: Operation) => LAST.indexOf(operationId);
  const wrong: (string | null)[] = [];
  for (const operation of all.sort((a, b) => rank(a) - rank(b))) wrong.push(await tryExample(operation));
  expect(wrong.filter((one) => one !== null)).toEqual([]);
  expect(all.length).toBeGreaterThan(60);
});
