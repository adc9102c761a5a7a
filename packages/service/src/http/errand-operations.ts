/** Errands: what there is, tried without doing anything, and what came of them. */
import { Type } from '@sinclair/typebox';
import {
  ErrandBook,
  exampleSentences,
  writeJsgf,
  writeSrgs,
  languageOf,
  momentIn,
  trySayings,
  type NamedErrand,
} from '@verbalon/core';
import {
  ErrandSummary,
  GrammarQuery,
  LimitQuery,
  RunsQuery,
  RunSummary,
  TriedErrand,
  TryErrandRequest,
  type ErrandFile,
} from '@verbalon/protocol';
import type { Request } from 'express';
import type { RunRow } from '../database/run-store.js';
import { ProblemError } from '../problems/problems.js';
import type { Project } from '../project/project.js';
import { zoneOf } from '../project/zone.js';
import { fromStore } from './conversation-operations.js';
import type { HttpHost } from './host.js';
import { bodyOf, queryOf, type Operation } from './operation.js';

const USUAL_LIMIT = 50;

export function errandOperations({ project, runs }: HttpHost): Operation[] {
  return [
    {
      method: 'get',
      path: '/v1/errands',
      id: 'listErrands',
      scope: 'read',
      summary: 'What the assistants can do for their callers',
      answers: [{ type: 'application/json', schema: Type.Array(ErrandSummary) }],
      example: {},
      handle: (_request, response) =>
        response.json([...project.errands.files].map(([name, file]) => summaryOf(project, name, file))),
    },
    {
      method: 'post',
      path: '/v1/errands/{name}/try',
      id: 'tryErrand',
      scope: 'read',
      summary: 'What would come of these sayings, one after the other; nothing is done',
      body: TryErrandRequest,
      answers: [{ type: 'application/json', schema: Type.Array(TriedErrand) }],
      example: {
        path: { name: 'book-bunks' },
        body: { said: ['three bunks at Rowan Hut for Friday', 'under Miller'] },
      },
      handle: (request, response) => {
        const errand = errandIn(project, request);
        const { said, now } = bodyOf(request, TryErrandRequest);
        const moment =
          now === undefined
            ? momentIn(Date.now(), zoneOf(project.file))
            : { day: now.slice(0, 10), minute: Number(now.slice(11, 13)) * 60 + Number(now.slice(14)) };
        const tried = trySayings([errand], said, languageIn(project, errand.name), moment);
        response.json(
          tried.map(({ slots, ...rest }): TriedErrand => ({
            ...rest,
            slots: Object.entries(slots).map(([name, { value, text, said: words }]) => ({
              name,
              kind: errand.slots[name]!.kind,
              value,
              text,
              said: words,
            })),
          })),
        );
      },
    },
    {
      method: 'get',
      path: '/v1/errands/{name}/examples',
      id: 'listErrandExamples',
      scope: 'read',
      summary: 'Sentences that begin it: those of its file, and some made of its patterns',
      query: LimitQuery,
      answers: [{ type: 'application/json', schema: Type.Array(Type.String()) }],
      example: { path: { name: 'book-bunks' }, query: { limit: 5 } },
      handle: (request, response) => {
        const errand = errandIn(project, request);
        const { limit = USUAL_LIMIT } = queryOf(request, LimitQuery);
        response.json(exampleSentences(errand, languageIn(project, errand.name), limit));
      },
    },
    {
      method: 'get',
      path: '/v1/errands/{name}/grammar',
      id: 'readErrandGrammar',
      scope: 'read',
      summary: 'The patterns that begin it, as a grammar: SRGS 1.0 (XML), or JSGF',
      query: GrammarQuery,
      answers: [{ type: 'text/plain' }],
      example: { path: { name: 'weather' }, query: { form: 'jsgf' } },
      handle: (request, response) => {
        const errand = errandIn(project, request);
        const language = languageIn(project, errand.name);
        const { form = 'srgs' } = queryOf(request, GrammarQuery);
        const grammar = new ErrandBook([errand], language).grammarOf(errand.name);
        if (form === 'jsgf') return void response.type('text/plain').send(writeJsgf(grammar, errand.name));
        response.type('application/srgs+xml').send(writeSrgs(grammar, language));
      },
    },
    {
      method: 'get',
      path: '/v1/runs',
      id: 'listRuns',
      scope: 'read',
      summary: 'What came of errands, the newest first',
      query: RunsQuery,
      answers: [{ type: 'application/json', schema: Type.Array(RunSummary) }],
      example: { query: { limit: 5 } },
      handle: fromStore(async (request, response) => {
        const { limit = USUAL_LIMIT, errand, conversation } = queryOf(request, RunsQuery);
        response.json((await runs.list({ errand, conversation, most: limit })).map(runSummary));
      }),
    },
  ];
}

/** @throws ProblemError `errand-unknown` */
function errandIn(project: Project, { params }: Request): NamedErrand {
  const name = String(params.name);
  const errand = project.errands.get(name);
  if (errand) return errand;
  throw new ProblemError(
    'errand-unknown',
    `"${name}" is not one of: ${[...project.errands.files.keys()].join(', ') || 'none'}`,
  );
}

/** Of the first assistant that can do it and whose language errands speak. */
function languageIn(project: Project, errand: string): string {
  const assistants = project.list().filter(({ file }) => file.errands?.includes(errand));
  return assistants.map(({ file }) => file.language).find((tag) => languageOf(tag).errands) ?? 'en';
}

function summaryOf(
  project: Project,
  name: string,
  { does, examples = [], ...file }: ErrandFile,
): ErrandSummary {
  const { slots } = project.errands.get(name)!;
  return {
    name,
    title: file.title,
    about: file.about,
    begins: file.begins ?? [],
    slots: Object.entries(slots).map(([slot, { kind, ask = '', optional, default: usual, values = [] }]) => ({
      name: slot,
      kind,
      ask,
      optional: optional === true || usual !== undefined,
      values: values.map((one) => (typeof one === 'string' ? one : (one.say ?? one.value))),
    })),
    does: Object.keys(does)[0]!,
    readsBack: file.readBack !== false,
    outcomes: [...new Set(['done', 'failed', ...Object.keys(file.says ?? {})])],
    assistants: project.assistantsDoing(name),
    examples: examples.map(({ say }) => say),
  };
}

function runSummary({
  id,
  errand,
  state,
  code,
  slots,
  given,
  assistant,
  conversation,
  begunAt,
}: RunRow): RunSummary {
  return {
    run: id,
    errand,
    state,
    code,
    slots,
    given: given ?? {},
    assistant,
    conversation,
    at: begunAt.toISOString(),
  };
}
