/** Tryouts, and the corrections that make recordings of stored talks. */
import { Type } from '@sinclair/typebox';
import {
  CorrectionRequest, RatingRequest, Tryout, TryoutRequest, TryoutSummary, type TryoutRequest as Wanted,
} from '@verbalon/protocol'; // prettier-ignore
import type { Stay } from '@verbalon/core';
import { ProblemError } from '../problems.js';
import { recordedSayings } from '../sound/recordings.js';
import { csvOf } from '../tryouts/csv.js';
import { runTryout, type TryoutEvent, type TryoutPlan } from '../tryouts/run.js';
import type { TryoutStore } from '../database/tryout-store.js';
import type { HttpHost } from './host.js';
import { fromStore, idOf } from './conversation-operations.js';
import { abortOf, bodyOf, tellEvents, type Operation } from './operation.js';

export function tryoutOperations(host: HttpHost): Operation[] {
  const { tryouts, engines, reader } = host;
  return [
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
        const plan = await planFor(host, bodyOf(request, TryoutRequest));
        await tellEvents(kept(runTryout(plan, engines, abortOf(response)), tryouts), response);
      },
    },
    {
      method: 'get',
      path: '/v1/tryouts',
      id: 'listTryouts',
      scope: 'read',
      summary: 'Tryouts, newest first',
      answers: [{ type: 'application/json', schema: Type.Array(TryoutSummary) }],
      handle: fromStore(async (_request, response) => response.json(await tryouts.list())),
    },
    {
      method: 'get',
      path: '/v1/tryouts/{id}',
      id: 'readTryout',
      scope: 'read',
      summary: 'A tryout with every item, its alignment word by word included',
      answers: [{ type: 'application/json', schema: Tryout }],
      handle: fromStore(async (request, response) => response.json(await tryouts.one(idOf(request)))),
    },
    {
      method: 'get',
      path: '/v1/tryouts/{id}/table',
      id: 'readTryoutTable',
      scope: 'read',
      summary: 'A tryout as CSV, a row an item',
      answers: [{ type: 'text/csv' }],
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
  const { role, texts = [], recordings, conversations = [], folder } = wanted;
  for (const name of wanted.engines) engines.of(role, name);
  const assistant = project.assistant(wanted.assistant ?? project.defaultAssistant);
  const stay = assistant.file.stay ?? (await promiseOf(host, conversations));
  for (const name of wanted.engines) {
    const why = project.whyNot({ ...assistant.file, ...(stay ? { stay } : {}) }, role, name.split('?')[0]!);
    if (why !== null) throw new ProblemError('engine-forbidden', why);
  }
  const stored = (await Promise.all(conversations.map((id) => tryouts.sayings(id)))).flat();
  const recorded =
    role === 'stt' && conversations.length === 0 ? recordedSayings(project.folder, folder, recordings) : [];
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
