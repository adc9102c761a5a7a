/** Tryouts, and the corrections that make recordings of stored talks. */
import { Type } from '@sinclair/typebox';
import {
  CorrectionRequest,
  RatingRequest,
  Tryout,
  TryoutRequest,
  TryoutSummary,
  type TryoutRequest as Wanted,
} from '@verbalon/protocol';
import type { Stay } from '@verbalon/core';
import { ProblemError } from '../problems/problems.js';
import { recordedSayings, recordingsOf } from '../sound/recordings.js';
import { csvOf } from '../tryouts/csv.js';
import { runTryout, type TryoutEvent, type TryoutPlan } from '../tryouts/run.js';
import type { TryoutStore } from '../database/tryout-store.js';
import { EXAMPLE_IDS } from './example-ids.js';
import type { HttpHost } from './host.js';
import { fromStore, idOf } from './conversation-operations.js';
import { abortOf, bodyOf, tellEvents, type Operation } from './operation.js';

export function tryoutOperations(host: HttpHost): Operation[] {
  const { tryouts, engines, reader, brought } = host;
  return [
    {
      method: 'put',
      path: '/v1/tryouts/recordings/{id}/{file}',
      id: 'bringRecording',
      scope: 'manage',
      summary:
        'A recording for one tryout, from elsewhere: NAME.wav, and NAME.txt with what was said in it. All of a tryout have one id (a UUID of your own); they are kept until it is over, or for an hour',
      body: 'sound',
      answers: [{ type: 'application/json', schema: Type.Object({}) }],
      example: { path: { id: EXAMPLE_IDS.tryout, file: 'miller-asks.wav' }, sound: 'miller-asks' },
      handle: async (request, response) => {
        await brought.take(idOf(request), String(request.params.file), request);
        response.json({});
      },
    },
    {
      method: 'post',
      path: '/v1/tryouts',
      id: 'runTryout',
      scope: 'manage',
      summary:
        'The same recordings, questions or texts through several engines; each line tells of one item, the last of all',
      body: TryoutRequest,
      answers: [{ type: 'application/x-ndjson', schema: Type.Unknown() }],
      example: { body: { role: 'llm', engines: ['echo'], texts: ['Is the path open?'] } },
      handle: async (request, response) => {
        const wanted = bodyOf(request, TryoutRequest);
        const plan = await planFor(host, wanted);
        await tellEvents(kept(runTryout(plan, engines, abortOf(response)), tryouts), response);
        if (wanted.brought !== undefined) brought.forget(wanted.brought);
      },
    },
    {
      method: 'get',
      path: '/v1/tryouts',
      id: 'listTryouts',
      scope: 'read',
      summary: 'Tryouts, newest first',
      answers: [{ type: 'application/json', schema: Type.Array(TryoutSummary) }],
      example: {},
      handle: fromStore(async (_request, response) => response.json(await tryouts.list())),
    },
    {
      method: 'get',
      path: '/v1/tryouts/{id}',
      id: 'readTryout',
      scope: 'read',
      summary: 'A tryout with every item, its alignment word by word included',
      answers: [{ type: 'application/json', schema: Tryout }],
      example: { path: { id: EXAMPLE_IDS.tryout } },
      handle: fromStore(async (request, response) => response.json(await tryouts.one(idOf(request)))),
    },
    {
      method: 'get',
      path: '/v1/tryouts/{id}/table',
      id: 'readTryoutTable',
      scope: 'read',
      summary: 'A tryout as CSV, a row an item',
      answers: [{ type: 'text/csv' }],
      example: { path: { id: EXAMPLE_IDS.tryout } },
      handle: fromStore(async (request, response) =>
        response.type('text/csv').send(csvOf(await tryouts.one(idOf(request)))),
      ),
    },
    {
      method: 'post',
      path: '/v1/tryouts/{id}/rating',
      id: 'rateTried',
      scope: 'manage',
      summary: 'A person’s rating, 1 to 5, of what an engine gave',
      body: RatingRequest,
      answers: [{ type: 'application/json', schema: Tryout }],
      example: {
        path: { id: EXAMPLE_IDS.tryout },
        body: { engine: 'echo', item: 'text 1', rating: 4 },
      },
      handle: fromStore(async (request, response) => {
        const { engine, item, rating } = bodyOf(request, RatingRequest);
        response.json(await tryouts.rate(idOf(request), engine, item, rating));
      }),
    },
    {
      method: 'get',
      path: '/v1/conversations/{id}/corrections',
      id: 'listCorrections',
      scope: 'read',
      summary: 'What a person says was really said in its turns',
      answers: [{ type: 'application/json', schema: Type.Array(CorrectionRequest) }],
      example: { path: { id: EXAMPLE_IDS.talk } },
      handle: fromStore(async (request, response) => response.json(await tryouts.corrections(idOf(request)))),
    },
    {
      method: 'put',
      path: '/v1/conversations/{id}/corrections',
      id: 'correctTurn',
      scope: 'manage',
      summary: 'What was really said in a turn; an empty text takes it back',
      body: CorrectionRequest,
      answers: [{ type: 'application/json', schema: CorrectionRequest }],
      example: { path: { id: EXAMPLE_IDS.talk }, body: { turn: 1, text: 'Where are the blankets?' } },
      handle: fromStore(async (request, response) => {
        const { turn, text } = bodyOf(request, CorrectionRequest);
        const { reports } = await reader.one(idOf(request));
        if (!reports.some((report) => report.turn === turn))
          throw new ProblemError('request-broken', `the talk has no turn ${turn}`);
        await tryouts.correct(idOf(request), turn, text);
        response.json({ turn, text });
      }),
    },
  ];
}

/** A tryout is stored before its last line is told. */
async function* kept(events: AsyncIterable<TryoutEvent>, tryouts: TryoutStore): AsyncIterable<TryoutEvent> {
  for await (const event of events) {
    if (event.kind === 'done') await tryouts.add(event.tryout);
    yield event;
  }
}

/** @throws ProblemError for engines of another role, recordings that are not there, or nothing to try */
async function planFor(host: HttpHost, wanted: Wanted): Promise<TryoutPlan> {
  const { project, engines, tryouts } = host;
  const { role, texts = [], recordings, conversations = [], brought } = wanted;
  for (const name of wanted.engines) engines.of(role, name);
  const assistant = project.assistant(wanted.assistant ?? project.defaultAssistant);
  const stay = assistant.file.stay ?? (await promiseOf(host, conversations));
  for (const name of wanted.engines) {
    const why = project.whyNot({ ...assistant.file, ...(stay ? { stay } : {}) }, role, name.split('?')[0]!);
    if (why !== null) throw new ProblemError('engine-forbidden', why);
  }
  const stored = (await Promise.all(conversations.map((id) => tryouts.sayings(id)))).flat();
  const folder = brought === undefined ? recordingsOf(project.folder) : host.brought.folderOf(brought);
  const recorded = role === 'stt' && conversations.length === 0 ? recordedSayings(folder, recordings) : [];
  const sayings = [...recorded, ...stored];
  if (role === 'stt' ? sayings.length === 0 : texts.length === 0)
    throw new ProblemError(
      'request-broken',
      role === 'stt' ? 'no recording tells what was said in it' : 'it has no "texts"',
    );
  return { role, engines: wanted.engines, assistant, stay, sayings, texts };
}

/** What was promised when these talks were held, or is promised by their assistants now. */
async function promiseOf(
  { project, reader }: HttpHost,
  conversations: readonly string[],
): Promise<Stay | null> {
  for (const id of conversations) {
    const { assistant, stay } = await reader.one(id);
    const now = project.list().find(({ name }) => name === assistant)?.file.stay;
    if (stay ?? now) return stay ?? now ?? null;
  }
  return null;
}
