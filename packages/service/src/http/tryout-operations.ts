/** Tryouts, and the corrections that make recordings of stored talks. */
import { join } from 'node:path';
import { Type } from '@sinclair/typebox';
import {
  CorrectionRequest, RatingRequest, Tryout, TryoutRequest, TryoutSummary, type TryoutRequest as Wanted,
} from '@verbalon/protocol'; // prettier-ignore
import { ProblemError } from '../problems.js';
import { recordedSayings } from '../sound/recordings.js';
import { csvOf } from '../tryouts/csv.js';
import { runTryout, type TryoutPlan } from '../tryouts/run.js';
import type { HttpHost } from './app.js';
import { fromStore, idOf } from './conversation-operations.js';
import { abortOf, bodyOf, type Operation } from './operation.js';

export function tryoutOperations(host: HttpHost): Operation[] {
  const { tryouts, engines, reader } = host;
  return [
    {
      method: 'post',
      path: '/v1/tryouts',
      id: 'runTryout',
      summary:
        'The same recordings, questions or texts through several engines; each line tells of one item, the last of all',
      body: TryoutRequest,
      answers: [{ type: 'application/x-ndjson', schema: Type.Unknown() }],
      example: { body: { role: 'llm', engines: ['echo'], texts: ['Is the path open?'] } },
      handle: async (request, response) => {
        const plan = await planFor(host, bodyOf(request, TryoutRequest));
        response.type('application/x-ndjson');
        for await (const event of runTryout(plan, engines, abortOf(response))) {
          if (event.kind === 'done') await tryouts.add(event.tryout);
          response.write(`${JSON.stringify(event)}\n`);
        }
        response.end();
      },
    },
    {
      method: 'get',
      path: '/v1/tryouts',
      id: 'listTryouts',
      summary: 'Tryouts, newest first',
      answers: [{ type: 'application/json', schema: Type.Array(TryoutSummary) }],
      handle: fromStore(async (_request, response) => response.json(await tryouts.list())),
    },
    {
      method: 'get',
      path: '/v1/tryouts/{id}',
      id: 'readTryout',
      summary: 'A tryout with every item, its alignment word by word included',
      answers: [{ type: 'application/json', schema: Tryout }],
      handle: fromStore(async (request, response) => response.json(await tryouts.one(idOf(request)))),
    },
    {
      method: 'get',
      path: '/v1/tryouts/{id}/table',
      id: 'readTryoutTable',
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
      summary: 'What a person says was really said in its turns',
      answers: [{ type: 'application/json', schema: Type.Array(CorrectionRequest) }],
      handle: fromStore(async (request, response) => response.json(await tryouts.corrections(idOf(request)))),
    },
    {
      method: 'put',
      path: '/v1/conversations/{id}/corrections',
      id: 'correctTurn',
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

/** @throws ProblemError for engines of another role, recordings that are not there, or nothing to try */
async function planFor({ project, engines, tryouts }: HttpHost, wanted: Wanted): Promise<TryoutPlan> {
  const { role, texts = [], recordings, conversations = [], folder } = wanted;
  for (const name of wanted.engines) engines.of(role, name);
  const assistant = project.assistant(wanted.assistant ?? project.defaultAssistant);
  for (const name of wanted.engines) {
    const why = project.whyNot(assistant.file, role, name.split('?')[0]!);
    if (why !== null) throw new ProblemError('engine-forbidden', why);
  }
  const stored = (await Promise.all(conversations.map((id) => tryouts.sayings(id)))).flat();
  const recorded =
    role === 'stt' && conversations.length === 0
      ? recordedSayings(folder ?? join(project.folder, 'recordings'), recordings)
      : [];
  const sayings = [...recorded, ...stored];
  if (role === 'stt' ? sayings.length === 0 : texts.length === 0)
    throw new ProblemError(
      'request-broken',
      role === 'stt' ? 'no recording tells what was said in it' : 'it has no "texts"',
    );
  return { role, engines: wanted.engines, assistant, sayings, texts };
}
