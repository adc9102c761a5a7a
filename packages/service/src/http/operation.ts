/**
 * An operation of the HTTP interface: what carries it out, and all that its description says. The routes and the OpenAPI
 * document are both made from the same list, so that neither can know what the other does not.
 */
import { once } from 'node:events';
import type { Express, Request, Response } from 'express';
import type { TSchema, Static } from '@sinclair/typebox';
import { check } from '@verbalon/protocol';
import { problemFrom } from '../problem-from.js';
import { ProblemError, problemOf } from '../problems.js';

export interface Answer {
  type:
    | 'application/json'
    | 'text/plain'
    | 'text/vtt'
    | 'text/csv'
    | 'text/yaml'
    | 'audio/wav'
    | 'application/x-ndjson'
    | 'multipart/form-data'
    | 'text/event-stream';
  /** Of JSON, and of each line of NDJSON. */
  schema?: TSchema;
}

export interface Operation {
  method: 'get' | 'post' | 'put' | 'delete';
  /** As OpenAPI writes it: `/v1/conversations/{id}`. */
  path: string;
  /** A verb and what it does, unique. */
  id: string;
  summary: string;
  query?: TSchema;
  /** A JSON body, or `sound` for the bytes of a recording, or `yaml` for text. */
  body?: TSchema | 'sound' | 'yaml';
  answers: Answer[];
  /** A request that works on the demo project; `example.sound` names a recording of it. */
  example?: {
    path?: Record<string, string>;
    query?: Record<string, string | number>;
    body?: unknown;
    sound?: string;
  };
  handle(request: Request, response: Response): unknown;
}

export function addOperations(app: Express, operations: readonly Operation[]): void {
  for (const { method, path, handle } of operations) {
    app[method](path.replaceAll(/\{(\w+)\}/g, ':$1'), async (request, response) => {
      await handle(request, response);
    });
  }
}

/** @throws ProblemError `request-broken` */
export function queryOf<S extends TSchema>(request: Request, schema: S): Static<S> {
  // What looks like a number is one, so that the schema can judge it.
  const entries = Object.entries(request.query).map(([key, value]) => [
    key,
    /^\d+$/.test(String(value)) ? Number(value) : value,
  ]);
  return checked(schema, Object.fromEntries(entries));
}

/** @throws ProblemError `request-broken` */
export function bodyOf<S extends TSchema>(request: Request, schema: S): Static<S> {
  if (request.body === undefined)
    throw new ProblemError(
      'request-broken',
      'it has no JSON body, or does not say content-type: application/json',
    );
  return checked(schema, request.body);
}

function checked<S extends TSchema>(schema: S, value: unknown): Static<S> {
  const result = check(schema, value);
  if (!result.ok) throw new ProblemError('request-broken', result.detail);
  return result.value;
}

/** Aborted when whoever asked has gone. */
export function abortOf(response: Response): AbortSignal {
  const abort = new AbortController();
  response.on('close', () => !response.writableFinished && abort.abort());
  return abort.signal;
}

/** Events as lines of JSON, or as server-sent events. What goes wrong when the answer has begun is the last of them. */
export async function tellEvents(
  events: AsyncIterable<{ kind: string }>,
  response: Response,
  form: 'lines' | 'events' = 'lines',
): Promise<void> {
  if (form === 'lines') response.type('application/x-ndjson');
  else response.set({ 'content-type': 'text/event-stream', 'cache-control': 'no-store' });
  const written = (event: { kind: string }) =>
    form === 'lines'
      ? `${JSON.stringify(event)}\n`
      : `event: ${event.kind}\ndata: ${JSON.stringify(event)}\n\n`;
  const tell = async (event: { kind: string }) => {
    if (!response.write(written(event)) && !response.destroyed)
      await Promise.race([once(response, 'drain'), once(response, 'close')]);
  };
  try {
    for await (const event of events) await tell(event);
  } catch (error) {
    if (!response.destroyed) {
      const { code, detail } = problemFrom(error);
      const trouble = { kind: 'trouble', problem: problemOf(code, detail) };
      await tell(trouble);
    }
  }
  response.end();
}
