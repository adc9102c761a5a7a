/**
 * An operation of the HTTP interface: what carries it out, and all that its description says. The routes and
 * the OpenAPI document are both made from the same list, so that neither can know what the other does not.
 */
import { once } from 'node:events';
import type { Express, Request, Response } from 'express';
import type { TSchema, Static } from '@sinclair/typebox';
import { check, type Scope } from '@verbalon/protocol';
import type { Entry } from '../access/door.js';
import { mustHave, type Visitor } from '../access/visitor.js';
import { problemFrom } from '../problems/problem-from.js';
import { readBody } from './body.js';
import { ProblemError, problemOf } from '../problems/problems.js';

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
  /** What a key must be for; `anyone` needs none. */
  scope: Scope | 'anyone';
  /** A page of somebody else's may ask this without a key, if an assistant names its origin. */
  forPages?: true;
  /** It writes files of the project, where that is switched on. */
  writesFiles?: true;
  /** Who does it is kept, though it needs no "manage". */
  noted?: true;
  query?: TSchema;
  /** A JSON body, or `sound` for the bytes of a recording, or `file` for the text of a file. */
  body?: TSchema | 'sound' | 'file';
  answers: Answer[];
  /**
   * A request that works on the demo project, with ids of its own talks in the place of EXAMPLE_IDS;
   * `example.sound` names a recording of it.
   */
  example: {
    path?: Record<string, string>;
    query?: Record<string, string | number>;
    headers?: Record<string, string>;
    body?: unknown;
    sound?: string;
  };
  handle(request: Request, response: Response): unknown;
}

/** Who asks, and something that was done or refused. */
export interface Gate {
  /** Files of the project may be written over HTTP. */
  edit: boolean;
  /** @throws ProblemError `key-unknown`, `database-away` */
  visitor(request: Request, entry: Entry): Promise<Visitor>;
  note(entry: { who: string; address: string; what: string; about: string; status: number }): void;
}

export function addOperations(app: Express, operations: readonly Operation[], gate: Gate): void {
  for (const operation of operations) {
    const { method, path, handle } = operation;
    app[method](path.replaceAll(/\{(\w+)\}/g, ':$1'), async (request, response) => {
      if (isNoted(operation)) noteWhenDone(operation.id, request, response, gate);
      if (operation.scope !== 'anyone') await letIn(operation, request, response, gate);
      const { visitor } = response.locals as { visitor?: Visitor };
      if (operation.body !== undefined && operation.body !== 'sound')
        await readBody(request, response, (visitor?.scopes.length ?? 0) > 0);
      await handle(request, response);
    });
  }
}

/** @throws ProblemError for somebody who may not do this, `edit-off` */
async function letIn(
  { scope, forPages, writesFiles }: Operation,
  request: Request,
  response: Response,
  gate: Gate,
): Promise<void> {
  const entry = entryOf(response);
  const visitor = await gate.visitor(request, entry);
  response.locals.visitor = visitor;
  if (entry.origin !== null && forPages) return;
  mustHave(visitor, scope as Scope);
  if (writesFiles && !gate.edit)
    throw new ProblemError('edit-off', `${request.method} ${request.originalUrl} would write a file`);
}

function isNoted({ method, scope, noted }: Operation): boolean {
  return noted === true || (scope === 'manage' && method !== 'get');
}

const MOST_ABOUT = 300;

function noteWhenDone(what: string, request: Request, response: Response, gate: Gate): void {
  const { address } = entryOf(response).peer;
  response.on('finish', () => {
    const { visitor, about = Object.values(request.params).join('/') || request.originalUrl.split('?')[0]! } =
      response.locals as { visitor?: Visitor; about?: string };
    gate.note({
      who: visitor?.who ?? 'nobody',
      address,
      what,
      about: about.slice(0, MOST_ABOUT),
      status: response.statusCode,
    });
  });
}

/** Where a request comes from: every one was let in at the door. */
export function entryOf({ locals }: Response): Entry {
  return (locals as { entry: Entry }).entry;
}

/** Who asks for something that needs a key. */
export function visitorOf({ locals }: Response): Visitor {
  return (locals as { visitor: Visitor }).visitor;
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

/**
 * Events as lines of JSON, or as server-sent events. What goes wrong when the answer has begun is the last of
 * them.
 */
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
