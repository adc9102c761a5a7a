/** The OpenAPI 3.1 document of the HTTP interface, made from its operations. */
import { Problem } from '@verbalon/protocol';
import { SESSION_COOKIE } from '../access/door.js';
import { FILE_TYPES } from './body.js';
import type { Answer, Operation } from './operation.js';

const VERSION = '1.0.0';

const SCHEMES = {
  key: {
    type: 'http',
    scheme: 'bearer',
    description: 'a key of the service (verbalon keys), which names the scopes that it is for',
  },
  session: {
    type: 'apiKey',
    in: 'cookie',
    name: SESSION_COOKIE,
    description: 'what POST /v1/session gives the console’s pages for a key',
  },
};

export function openApi(operations: readonly Operation[]): object {
  const paths: Record<string, Record<string, object>> = {};
  for (const operation of operations) {
    paths[operation.path] = { ...paths[operation.path], [operation.method]: describe(operation) };
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Verbalon over HTTP',
      version: VERSION,
      description:
        'Errors are application/problem+json (RFC 9457) with a stable code and a remedy. Talks go over the talk socket: see /v1/asyncapi.json.',
      license: { name: 'MIT', identifier: 'MIT' },
    },
    servers: [{ url: 'http://127.0.0.1:7464', description: 'a service on this machine' }],
    paths,
    components: { schemas: { Problem }, securitySchemes: SCHEMES },
  };
}

function describe({ id, summary, scope, forPages, path, query, body, answers, example }: Operation): object {
  const inPath = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({
    name,
    in: 'path',
    required: true,
    schema: { type: 'string' },
    example: example.path?.[name!],
  }));
  const properties = (query as { properties?: Record<string, object> } | undefined)?.properties ?? {};
  const inQuery = Object.entries(properties).map(([name, schema]) => ({
    name,
    in: 'query',
    required: false,
    schema,
    example: example.query?.[name],
  }));
  const inHeader = Object.entries(example.headers ?? {}).map(([name, value]) => ({
    name,
    in: 'header',
    required: false,
    schema: { type: 'string' },
    example: value,
  }));
  return {
    operationId: id,
    summary,
    // A page whose origin an assistant names needs none of them.
    security: scope === 'anyone' ? [] : [{ key: [scope] }, { session: [scope] }, ...(forPages ? [{}] : [])],
    parameters: [...inPath, ...inQuery, ...inHeader],
    ...(body === undefined ? {} : { requestBody: requestBody(body, example) }),
    responses: {
      ...(answers.length === 0 ? { 204: { description: 'it is done' } } : { 200: answered(answers) }),
      default: {
        description: 'what is wrong, and what to do',
        content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
      },
    },
    'x-example': example,
  };
}

function answered(answers: readonly Answer[]): object {
  return {
    description: 'what was asked for',
    content: Object.fromEntries(answers.map(({ type, schema }) => [type, schema ? { schema } : {}])),
  };
}

function requestBody(body: NonNullable<Operation['body']>, example: Operation['example']): object {
  if (body === 'sound')
    return {
      required: true,
      description: 'the bytes of a recording',
      content: { 'application/octet-stream': {}, 'audio/*': {} },
    };
  if (body === 'file') {
    const text = { schema: { type: 'string' }, example: example.body };
    return { required: true, content: Object.fromEntries(FILE_TYPES.map((type) => [type, text])) };
  }
  return { required: true, content: { 'application/json': { schema: body, example: example.body } } };
}
