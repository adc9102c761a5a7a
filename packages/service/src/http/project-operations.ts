/** What there is in the project: assistants and their files, recordings, schemas. */
import { createHash } from 'node:crypto';
import { renameSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import { Type } from '@sinclair/typebox';
import { AssistantSummary, AssistantText, RecordingSummary } from '@verbalon/protocol';
import { ProblemError, problemOf } from '../problems.js';
import type { Project } from '../project/project.js';
import type { HttpHost } from './app.js';
import type { Operation } from './operation.js';
import { FILE_SCHEMAS, publishedSchema } from './schemas.js';
import { listRecordings, recordingFile } from '../sound/recordings.js';

export function projectOperations({ project, assistants }: HttpHost): Operation[] {
  return [
    {
      method: 'get',
      path: '/v1/assistants',
      id: 'listAssistants',
      summary: 'All assistants, each with its lineup and the state of its engines',
      answers: [{ type: 'application/json', schema: Type.Array(AssistantSummary) }],
      handle: (_request, response) => response.json(assistants()),
    },
    {
      method: 'get',
      path: '/v1/assistants/{name}/file',
      id: 'readAssistantFile',
      summary:
        'The YAML file of an assistant, and what is wrong with it, if anything is; its ETag is for writing it back',
      answers: [{ type: 'application/json', schema: AssistantText }],
      example: { path: { name: 'tansy' } },
      handle: (request, response) => {
        const name = nameOf(request.params.name);
        const yaml = project.text(name);
        response.set('etag', etagOf(yaml)).json(described(project, name, yaml));
      },
    },
    {
      method: 'post',
      path: '/v1/assistants/{name}/check',
      id: 'checkAssistantFile',
      summary: 'Checks a draft of an assistant’s file; nothing is written',
      body: 'yaml',
      answers: [{ type: 'application/json', schema: AssistantText }],
      example: { path: { name: 'tansy' }, body: 'title: A draft that lacks nearly everything\n' },
      handle: (request, response) =>
        response.json(described(project, nameOf(request.params.name), yamlOf(request.body))),
    },
    {
      method: 'put',
      path: '/v1/assistants/{name}/file',
      id: 'writeAssistantFile',
      summary:
        'Writes the file of an assistant, if it can be used; If-Match (the ETag that was read) keeps other changes safe',
      body: 'yaml',
      answers: [{ type: 'application/json', schema: AssistantText }],
      handle: async (request, response) => {
        const name = nameOf(request.params.name);
        const yaml = yamlOf(request.body);
        const before = project.text(name);
        const expected = request.headers['if-match'];
        if (expected !== undefined && expected !== etagOf(before))
          throw new ProblemError('assistant-changed', `assistants/${name}.yaml is not what was read`);
        const problem = project.problemIn(name, yaml);
        if (problem) throw problem;
        const runs = project.newlyRuns(name, yaml);
        if (runs !== null)
          throw new ProblemError('file-runs-code', `assistants/${name}.yaml did not name ${runs} before`);
        // Written beside it and moved over it: whoever reads meanwhile sees the old one or the new one, never half.
        writeFileSync(`${project.fileOf(name)}.new`, yaml);
        renameSync(`${project.fileOf(name)}.new`, project.fileOf(name));
        await project.readAgain(name);
        response.set('etag', etagOf(yaml)).json(described(project, name, yaml));
      },
    },
    {
      method: 'get',
      path: '/v1/recordings',
      id: 'listRecordings',
      summary: 'The project’s recorded callers',
      answers: [{ type: 'application/json', schema: Type.Array(RecordingSummary) }],
      handle: (_request, response) => response.json(listRecordings(project.folder)),
    },
    {
      method: 'get',
      path: '/v1/recordings/{name}.wav',
      id: 'readRecording',
      summary: 'The sound of a recorded caller',
      answers: [{ type: 'audio/wav' }],
      example: { path: { name: 'miller-asks' } },
      handle: (request, response) =>
        response
          .type('audio/wav')
          .sendFile(resolve(recordingFile(project.folder, String(request.params.name)))),
    },
    {
      method: 'get',
      path: '/v1/schemas/{name}.json',
      id: 'readSchema',
      summary:
        'The JSON Schema of a file: project, assistant, engine or answers; name it in an editor to have it complete',
      answers: [{ type: 'application/json', schema: Type.Object({}) }],
      example: { path: { name: 'assistant' } },
      handle: (request, response) => {
        const schema = publishedSchema(String(request.params.name));
        if (!schema)
          throw new ProblemError('address-unknown', `schemas are ${Object.keys(FILE_SCHEMAS).join(', ')}`);
        response.json(schema);
      },
    },
  ];
}

function nameOf(param: string | string[] | undefined): string {
  const name = String(param);
  if (!/^[a-z][a-z0-9-]{0,62}$/.test(name))
    throw new ProblemError('request-broken', `"${name}" is no name: lower-case letters, digits and hyphens`);
  return name;
}

function yamlOf(body: unknown): string {
  if (typeof body !== 'string')
    throw new ProblemError('request-broken', 'it has no text body of the type text/yaml');
  return body;
}

function etagOf(text: string): string {
  return `"${createHash('sha256').update(text).digest('hex').slice(0, 20)}"`;
}

function described(project: Project, name: string, yaml: string): AssistantText {
  const problem = project.problemIn(name, yaml);
  return { name, yaml, problem: problem && problemOf(problem.code, problem.detail, problem.line) };
}
