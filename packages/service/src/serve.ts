/** Starts everything that a service is made of, in order, and stops it in the opposite order: the database last. */
import { createServer, type Server } from 'node:http';
import type { AddressInfo, Socket } from 'node:net';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Logger } from 'pino';
import { WebSocketServer } from 'ws';
import { startCluster, type Cluster } from './database/cluster.js';
import { openStore, type Store } from './database/store.js';
import { takeDataFolder, type DataFolder } from './data-folder.js';
import { EngineSet } from './engines/engine-set.js';
import { Ledger } from './engines/ledger.js';
import { PhraseStore } from './talk/phrase-store.js';
import { makeApp, type HttpHost } from './http/app.js';
import { foreignness } from './http/guards.js';
import { ProblemError, problemOf } from './problems.js';
import { Project } from './project/project.js';
import { Readiness } from './readiness.js';
import { startStandins, type Standin } from './project/standins.js';
import { Connection, type Host } from './talk/connection.js';

/** Larger than any message we take: what lies between is refused with words, what lies above by the socket itself. */
const MOST_SOCKET_BYTES = 8_000_000;

export interface ServeOptions {
  projectFolder: string;
  dataFolder: string;
  /** 0 for any free port. */
  port: number;
  log: Logger;
  /** A running PostgreSQL; without it one is started in the data folder. */
  databaseUrl?: string | undefined;
  /** More host names under which the service may be asked. */
  hosts?: readonly string[];
  /** Where sound is kept of phrases that were said before; for benches. */
  phrases?: PhraseStore;
  /** Engines to use instead of those of the project's files, for benches. */
  engines?: EngineSet;
}

export interface Service {
  address: string;
  readonly engines: EngineSet;
  /** Process ids of what was started, for tests that kill something. */
  pids(): { database: number | undefined; standins: Record<string, { pid: number; address: string }> };
  stop(): Promise<void>;
}

interface Parts {
  data: DataFolder;
  cluster?: Cluster;
  store?: Store;
  standins?: Standin[];
  engines?: EngineSet;
  project?: Project;
}

/** @throws ProblemError that says what is in the way; what was started by then is stopped */
export async function serve(options: ServeOptions): Promise<Service> {
  const parts: Parts = { data: takeDataFolder(options.dataFolder) };
  try {
    return await assemble(options, parts);
  } catch (error) {
    await stopParts(parts);
    throw error;
  }
}

async function assemble(options: ServeOptions, parts: Parts): Promise<Service> {
  const { log, projectFolder } = options;
  const project = new Project(projectFolder);
  parts.project = project;
  for (const problem of project.problems()) log.error({ code: problem.code }, problem.message);
  if (!options.databaseUrl) parts.cluster = await startCluster(parts.data.path);
  const store = await openStore(options.databaseUrl ?? parts.cluster!.url, log);
  parts.store = store;
  const cutOff = await store.reader.markCutOff(parts.data.serviceId);
  if (cutOff > 0)
    log.warn(
      { conversations: cutOff },
      'the service was killed before; open conversations are marked as cut off',
    );
  const standins = await startStandins(projectFolder, project.file);
  parts.standins = standins;
  const addresses = Object.fromEntries(standins.map(({ name, address }) => [name, address]));
  const made = Object.fromEntries(standins.flatMap(({ key }) => (key ? [[key.name, key.value]] : [])));
  const secrets = { ...made, ...process.env };
  const workFolder = join(parts.data.path, 'models');
  const engines =
    options.engines ?? (await EngineSet.open(project, { workFolder, standins: addresses, secrets }, log));
  parts.engines = engines;

  const host: Host = {
    keeper: store.keeper,
    serviceId: parts.data.serviceId,
    log,
    assistant: (name) => project.assistant(name ?? project.defaultAssistant),
    project,
    engines,
    ledger: new Ledger(await store.reader.usesSince(startOfMonth(new Date()))),
    phrases: options.phrases ?? new PhraseStore(undefined, join(parts.data.path, 'phrases')),
    calls: new Map(),
  };
  const ready = new Readiness(host);
  const app = makeApp(httpHost(options, host, store, ready));
  const server = createServer(app);
  const lines = openLines(server, host, options.hosts ?? []);
  await listen(server, options.port);
  ready.prepareAll();
  project.watch({
    changed: (assistant) => {
      log.info({ assistant: assistant.name }, 'an assistant was read again');
      void ready.prepare(assistant);
    },
    broken: (problem) =>
      log.error({ code: problem.code }, `${problem.message}; the last good one stays in use`),
  });
  const { port } = server.address() as AddressInfo;
  return {
    address: `http://127.0.0.1:${port}`,
    engines,
    pids: () => ({
      database: parts.cluster?.pid(),
      standins: Object.fromEntries(standins.map(({ name, pid, address }) => [name, { pid, address }])),
    }),
    stop: async () => {
      lines.stop();
      await new Promise<void>((done) => {
        server.close(() => done());
        server.closeAllConnections();
      });
      await stopParts(parts);
    },
  };
}

function httpHost(
  options: ServeOptions,
  { project, engines, calls, log }: Host,
  store: Store,
  ready: Readiness,
): HttpHost {
  return {
    log,
    reader: store.reader,
    tryouts: store.tryouts,
    project,
    engines,
    calls,
    dataFolder: options.dataFolder,
    consoleFolder: fileURLToPath(new URL('../../console/dist', import.meta.url)),
    hosts: options.hosts ?? [],
    notReady: async () => [...ready.missing(), ...((await store.ping()) ? [] : ['the database'])],
    assistants: () =>
      project.list().map((assistant) => ({
        name: assistant.name,
        title: assistant.file.title,
        greeting: assistant.plan.greeting,
        prompt: assistant.file.prompt ?? '',
        language: assistant.plan.language,
        floor: assistant.plan.manners.floor,
        recorded: assistant.file.recorded ?? false,
        isDefault: assistant.name === project.defaultAssistant,
        lineup: engines.states(assistant),
        ...(assistant.file.stay === undefined ? {} : { stay: assistant.file.stay }),
      })),
  };
}

function openLines(server: Server, host: Host, hosts: readonly string[]): { stop(): void } {
  const sockets = new WebSocketServer({
    noServer: true,
    maxPayload: MOST_SOCKET_BYTES,
    perMessageDeflate: false,
  });
  const connections = new Set<Connection>();
  server.on('upgrade', (request, socket: Socket, head) => {
    const path = new URL(request.url ?? '/', 'http://localhost').pathname;
    const foreign = foreignness(request, hosts);
    if (path !== '/v1/line' || foreign !== null) {
      const problem =
        foreign === null
          ? problemOf('address-unknown', `there is no socket at ${path}`)
          : problemOf('host-foreign', foreign);
      const body = JSON.stringify(problem);
      socket.end(
        `HTTP/1.1 ${problem.status} Refused\r\ncontent-type: application/problem+json\r\n` +
          `content-length: ${Buffer.byteLength(body)}\r\nconnection: close\r\n\r\n${body}`,
      );
      return;
    }
    socket.setNoDelay(true);
    sockets.handleUpgrade(request, socket, head, (line) => {
      const connection = new Connection(line, host);
      connections.add(connection);
      line.on('close', () => connections.delete(connection));
    });
  });
  return {
    stop: () => {
      for (const connection of connections) connection.stop();
      for (const call of host.calls.values()) call.over('the service was stopped');
      sockets.close();
    },
  };
}

const startOfMonth = (now: Date) => new Date(Date.UTC(now.getUTCFullYear(), now.getUTCMonth()));

function listen(server: Server, port: number): Promise<void> {
  return new Promise((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) => {
      reject(
        error.code === 'EADDRINUSE' ? new ProblemError('port-taken', `port ${port} on 127.0.0.1`) : error,
      );
    });
    server.listen(port, '127.0.0.1', () => resolve());
  });
}

async function stopParts({ data, cluster, store, standins, engines, project }: Parts): Promise<void> {
  await project?.close();
  await engines?.close();
  await Promise.all((standins ?? []).map((one) => one.stop()));
  await store?.close();
  await cluster?.stop();
  data.release();
}
