/** What there is in the project: assistants, recordings, schemas of its files. */
import { resolve } from 'node:path';
import { Type } from '@sinclair/typebox';
import { AssistantSummary, RecordingSummary } from '@verbalon/protocol';
import { ProblemError } from '../problems/problems.js';
import type { HttpHost } from './host.js';
import type { Operation } from './operation.js';
import { FILE_SCHEMAS, publishedSchema } from './schemas.js';
import { listRecordings, recordingFile } from '../sound/recordings.js';

export function projectOperations({ project, assistants }: HttpHost): Operation[] {
  return [
    {
      method: 'get',
      path: '/v1/assistants',
      id: 'listAssistants',
      scope: 'talk',
      summary: 'All assistants, each with its lineup and the state of its engines',
      answers: [{ type: 'application/json', schema: Type.Array(AssistantSummary) }],
      example: {},
      handle: (_request, response) => response.json(assistants()),
    },
    {
      method: 'get',
      path: '/v1/recordings',
      id: 'listRecordings',
      scope: 'read',
      summary: 'The project’s recorded callers',
      answers: [{ type: 'application/json', schema: Type.Array(RecordingSummary) }],
      example: {},
      handle: (_request, response) => response.json(listRecordings(project.folder)),
    },
    {
      method: 'get',
      path: '/v1/recordings/{name}.wav',
      id: 'readRecording',
      scope: 'read',
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
      scope: 'anyone',
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
