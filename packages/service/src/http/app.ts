/** The service over HTTP. Errors are application/problem+json (RFC 9457). */
import { existsSync } from 'node:fs';
import type { ServerResponse } from 'node:http';
import { join } from 'node:path';
import express, { type ErrorRequestHandler, type Express, type RequestHandler } from 'express';
import type { Logger } from 'pino';
import { problemFrom } from '../problems/problem-from.js';
import { ProblemError, problemOf } from '../problems/problems.js';
import { asked } from '../database/store.js';
import { accessOperations } from './access-operations.js';
import { asyncApi } from './asyncapi.js';
import { costOperations } from './cost-operations.js';
import { liveTalkOperations } from './live-talk-operations.js';
import { conversationOperations } from './conversation-operations.js';
import { engineOperations } from './engine-operations.js';
import { exchangeOperation } from './exchange-operation.js';
import { errandOperations } from './errand-operations.js';
import { messageOperations } from './message-operations.js';
import { viewOperations } from './view-operations.js';
import { phoneOperations } from './phone-operations.js';
import { fileOperations } from './file-operations.js';
import type { HttpHost } from './host.js';
import { openApi } from './openapi.js';
import type { Entry } from '../access/door.js';
import { noteForeign } from '../access/foreign-note.js';
import { visitorSentence } from '../talk/call/for-visitors.js';
import { limitRequests } from './request-limit.js';
import { securityHeaders } from './security-headers.js';
import { addOperations, entryOf, type Gate, type Operation } from './operation.js';
import { projectOperations } from './project-operations.js';
import { Exchanges } from '../tasks/exchange.js';
import { tryoutOperations } from './tryout-operations.js';

export function makeApp(host: HttpHost): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(securityHeaders());
  serveButton(app, host.embedFolder);
  app.use(limitRequests(host), atTheDoor(host));
  // What a talk or a file says is kept by nobody on the way.
  app.use('/v1', (_request, response, next) => {
    response.set('cache-control', 'no-store');
    next();
  });
  app.get('/healthz', (_request, response) => void response.json({ ok: true }));
  app.get('/readyz', async (request, response) => {
    const answer = host.readiness();
    const visitor = await host.door.visitor(request, entryOf(response)).catch(() => null);
    // What there is, and what it lacks, is not for everybody.
    const told = visitor?.scopes.includes('read')
      ? answer
      : { ready: answer.ready, waitingFor: [], assistants: [] };
    response.status(answer.ready ? 200 : 503).json(told);
  });
  const operations = operationsOf(host);
  addOperations(app, operations, gateOf(host));
  app.get('/v1/openapi.json', (_request, response) => void response.json(openApi(operations)));
  app.get('/v1/asyncapi.json', (_request, response) => void response.json(asyncApi()));
  app.use('/v1', unknownAddress);
  if (existsSync(host.consoleFolder)) serveConsole(app, host.consoleFolder);
  app.use(unknownAddress);
  app.use(tellProblem(host.log));
  return app;
}

function operationsOf(host: HttpHost): Operation[] {
  const exchanges = new Exchanges();
  return [
    ...accessOperations(host),
    exchangeOperation(host, exchanges),
    ...fileOperations(host),
    ...projectOperations(host),
    ...engineOperations(host, exchanges),
    ...errandOperations(host),
    ...messageOperations(host),
    ...phoneOperations(host),
    ...viewOperations(host),
    ...conversationOperations(host),
    ...costOperations(host),
    ...liveTalkOperations(host),
    ...tryoutOperations(host),
  ];
}

/** The button is for any page: what is loaded of it is the same for everybody, and tells nothing. */
function serveButton(app: Express, folder: string): void {
  const forAnybody = (response: ServerResponse) => {
    response.setHeader('access-control-allow-origin', '*');
    response.setHeader('cross-origin-resource-policy', 'cross-origin');
  };
  app.use(
    '/embed',
    express.static(join(folder, 'embed'), { immutable: true, maxAge: '1y', setHeaders: forAnybody }),
  );
  app.get('/embed.js', (_request, response) => {
    forAnybody(response);
    response.set('cache-control', 'no-cache').sendFile('embed.js', { root: folder });
  });
}

/** The console's pages have addresses of their own, so that they can be linked to and reloaded. */
function serveConsole(app: Express, folder: string): void {
  app.use(express.static(folder, { index: 'index.html' }));
  app.get(
    [
      '/conversations',
      '/conversations/:id',
      '/files',
      '/files/:kind',
      '/files/:kind/:name',
      '/engines',
      '/tryouts',
      '/errands',
      '/access',
      '/interface',
      '/captions',
      '/captions/:token',
    ],
    (_request, response) => {
      response.sendFile('index.html', { root: folder });
    },
  );
}

const unknownAddress: RequestHandler = (request) => {
  throw new ProblemError('address-unknown', `there is no ${request.method} ${request.originalUrl}`);
};

/**
 * Whoever comes from elsewhere goes no further; a page whose origin somebody named is told so (CORS of the
 * Fetch standard).
 */
function atTheDoor({ door, audit }: HttpHost): RequestHandler {
  return async (request, response, next) => {
    response.locals.entry = await asked(() => door.enter(request)).catch((error: unknown) => {
      noteForeign(error, request, door.peer(request).address, audit);
      throw error;
    });
    const { origin } = entryOf(response);
    if (origin === null) return next();
    response.set({
      'access-control-allow-origin': origin,
      vary: 'Origin',
      'cross-origin-resource-policy': 'cross-origin',
    });
    if (request.method !== 'OPTIONS') return next();
    const allowed = {
      'access-control-allow-methods': 'POST',
      'access-control-allow-headers': 'content-type',
      'access-control-max-age': '600',
    };
    response.set(allowed).status(204).end();
  };
}

function gateOf({ door, audit, edit }: HttpHost): Gate {
  return {
    edit,
    visitor: (request, entry) => asked(() => door.visitor(request, entry)),
    note: (entry) => audit.note(entry),
  };
}

function tellProblem(log: Logger): ErrorRequestHandler {
  return (error: unknown, _request, response, next) => {
    if (response.headersSent) return next(error);
    const { code, detail, line } = problemFrom(error);
    if (code === 'internal') log.error(error);
    const { entry } = response.locals as { entry?: Entry };
    // A page of somebody else's shows what it is told to its visitors.
    const isPages = entry !== undefined && entry.origin !== null;
    const told = problemOf(code, detail, line);
    const problem = isPages ? { ...told, title: visitorSentence(code), detail: '', remedy: '' } : told;
    if (problem.status === 401) response.set('www-authenticate', 'Bearer realm="verbalon"');
    response.status(problem.status).type('application/problem+json').send(JSON.stringify(problem));
  };
}
