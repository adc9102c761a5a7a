/** The service over HTTP. Errors are application/problem+json (RFC 9457). */
import { existsSync } from 'node:fs';
import express, { type ErrorRequestHandler, type Express, type RequestHandler } from 'express';
import type { Logger } from 'pino';
import { problemFrom } from '../problem-from.js';
import { ProblemError, problemOf } from '../problems.js';
import { asyncApi } from './asyncapi.js';
import { costOperations } from './cost-operations.js';
import { conversationOperations } from './conversation-operations.js';
import { engineOperations } from './engine-operations.js';
import { exchangeOperation } from './exchange-operation.js';
import { errandOperations } from './errand-operations.js';
import { messageOperations } from './message-operations.js';
import { fileOperations } from './file-operations.js';
import { foreignness } from '../own-origin.js';
import type { HttpHost } from './host.js';
import { openApi } from './openapi.js';
import { securityHeaders } from './security-headers.js';
import { addOperations, type Operation } from './operation.js';
import { projectOperations } from './project-operations.js';
import { tryoutOperations } from './tryout-operations.js';

/** Texts of files are small; a body that is larger is a mistake. */
const MOST_TEXT_BYTES = '1mb';

export function makeApp(host: HttpHost): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(securityHeaders(), onlyOwn(host.hosts));
  app.use(
    express.json({ limit: MOST_TEXT_BYTES }),
    express.text({ type: 'text/yaml', limit: MOST_TEXT_BYTES }),
  );
  app.get('/healthz', (_request, response) => void response.json({ ok: true }));
  app.get('/readyz', (_request, response) => {
    const answer = host.readiness();
    response.status(answer.ready ? 200 : 503).json(answer);
  });
  const operations = operationsOf(host);
  addOperations(app, operations);
  app.get('/v1/openapi.json', (_request, response) => void response.json(openApi(operations)));
  app.get('/v1/asyncapi.json', (_request, response) => void response.json(asyncApi()));
  app.use('/v1', unknownAddress);
  if (existsSync(host.consoleFolder)) serveConsole(app, host.consoleFolder);
  app.use(unknownAddress);
  app.use(tellProblem(host.log));
  return app;
}

function operationsOf(host: HttpHost): Operation[] {
  return [
    exchangeOperation(host),
    ...fileOperations(host),
    ...projectOperations(host),
    ...engineOperations(host),
    ...errandOperations(host),
    ...messageOperations(host),
    ...conversationOperations(host),
    ...costOperations(host),
    ...tryoutOperations(host),
  ];
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
      '/interface',
    ],
    (_request, response) => {
      response.sendFile('index.html', { root: folder });
    },
  );
}

const unknownAddress: RequestHandler = (request) => {
  throw new ProblemError('address-unknown', `there is no ${request.method} ${request.originalUrl}`);
};

function onlyOwn(hosts: readonly string[]): RequestHandler {
  return (request, _response, next) => {
    const foreign = foreignness(request, hosts);
    next(foreign === null ? undefined : new ProblemError('host-foreign', foreign));
  };
}

function tellProblem(log: Logger): ErrorRequestHandler {
  return (error: unknown, _request, response, next) => {
    if (response.headersSent) return next(error);
    const { code, detail, line } = problemFrom(error);
    if (code === 'internal') log.error(error);
    const problem = problemOf(code, detail, line);
    response.status(problem.status).type('application/problem+json').send(JSON.stringify(problem));
  };
}
