/** The service over HTTP. Errors are application/problem+json (RFC 9457). */
import { existsSync } from 'node:fs';
import { resolve } from 'node:path';
import express, { type ErrorRequestHandler, type Express, type RequestHandler } from 'express';
import type { Logger } from 'pino';
import type { AssistantSummary, EngineSummary, RecordingSummary } from '@verbalon/protocol';
import { check, Id, PageQuery } from '@verbalon/protocol';
import type { Reader } from '../database/reader.js';
import { ProblemError, problemOf, type ProblemCode } from '../problems.js';
import { foreignness } from './guards.js';
import { recordingFile } from './recordings.js';

/** What the HTTP side needs of the service. */
export interface HttpHost {
  readonly log: Logger;
  readonly reader: Reader;
  readonly projectFolder: string;
  readonly consoleFolder: string;
  readonly hosts: readonly string[];
  /** Why the default assistant cannot be talked to yet; empty when it can. */
  notReady(): Promise<string[]>;
  assistants(): AssistantSummary[];
  engines(): EngineSummary[];
  recordings(): RecordingSummary[];
}

export function makeApp(host: HttpHost): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(onlyOwn(host.hosts));
  app.get('/healthz', (_request, response) => void response.json({ ok: true }));
  app.get('/readyz', async (_request, response) => {
    const waitingFor = await host.notReady();
    response.status(waitingFor.length === 0 ? 200 : 503).json({ ready: waitingFor.length === 0, waitingFor });
  });
  app.get('/v1/assistants', (_request, response) => void response.json(host.assistants()));
  app.get('/v1/engines', (_request, response) => void response.json(host.engines()));
  app.get('/v1/recordings', (_request, response) => void response.json(host.recordings()));
  app.get('/v1/recordings/:name.wav', (request, response) => {
    response.type('audio/wav').sendFile(resolve(recordingFile(host.projectFolder, request.params.name)));
  });
  conversationRoutes(app, host.reader);
  app.use('/v1', (request) => {
    throw new ProblemError('address-unknown', `there is no ${request.method} ${request.originalUrl}`);
  });
  if (existsSync(host.consoleFolder)) app.use(express.static(host.consoleFolder, { index: 'index.html' }));
  app.use((request) => {
    throw new ProblemError('address-unknown', `there is no ${request.method} ${request.originalUrl}`);
  });
  app.use(tellProblem(host.log));
  return app;
}

function conversationRoutes(app: Express, reader: Reader): void {
  app.get('/v1/conversations', fromStore(async (request, response) => {
    const page = check(PageQuery, numbers(request.query));
    if (!page.ok) throw new ProblemError('request-broken', page.detail);
    response.json(await reader.list(page.value.limit ?? 50, page.value.offset ?? 0));
  })); // prettier-ignore
  app.param('id', (_request, _response, next, id) => {
    next(
      check(Id, id).ok
        ? undefined
        : new ProblemError('conversation-unknown', `"${id}" is not the id of a conversation`),
    );
  });
  app.get('/v1/conversations/:id', fromStore(async (request, response) => {
    response.json(await reader.one(request.params.id as string));
  })); // prettier-ignore
  app.get('/v1/conversations/:id/journal', fromStore(async (request, response) => {
    response.json(await reader.journal(request.params.id as string));
  })); // prettier-ignore
  app.get('/v1/conversations/:id/audio.wav', fromStore(async (request, response) => {
    response.type('audio/wav').send(Buffer.from(await reader.sound(request.params.id as string)));
  })); // prettier-ignore
}

/** Query values as numbers where they are some, so that the schema can judge them. */
function numbers(query: Record<string, unknown>): Record<string, unknown> {
  return Object.fromEntries(
    Object.entries(query).map(([key, value]) => [key, /^\d+$/.test(String(value)) ? Number(value) : value]),
  );
}

/** Whatever the database says that is no problem of ours means that it is away. */
function fromStore(handle: RequestHandler): RequestHandler {
  return async (request, response, next) => {
    try {
      await handle(request, response, next);
    } catch (error) {
      if (error instanceof ProblemError) throw error;
      const cause = error instanceof Error ? (error.cause ?? error) : error;
      throw new ProblemError(
        'store-away',
        cause instanceof Error ? cause.message || 'the connection was refused' : String(cause),
      );
    }
  };
}

function onlyOwn(hosts: readonly string[]): RequestHandler {
  return (request, _response, next) => {
    const foreign = foreignness(request, hosts);
    next(foreign === null ? undefined : new ProblemError('host-foreign', foreign));
  };
}

function tellProblem(log: Logger): ErrorRequestHandler {
  return (error: unknown, _request, response, next) => {
    if (response.headersSent) return next(error);
    const status = (error as { status?: number }).status;
    const [code, detail]: [ProblemCode, string] =
      error instanceof ProblemError
        ? [error.code, error.detail]
        : status !== undefined && status < 500
          ? ['request-broken', (error as Error).message]
          : ['internal', 'see the log'];
    if (code === 'internal') log.error(error);
    const problem = problemOf(code, detail);
    response.status(problem.status).type('application/problem+json').send(JSON.stringify(problem));
  };
}
