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
import { EngineSet } from './engine-set.js';
import { makeApp, type HttpHost } from './http/app.js';
import { foreignness } from './http/guards.js';
import { ProblemError, problemOf } from './problems.js';
import { Project, type Assistant } from './project/project.js';
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
  /** Engines to use instead of those of the project's files, for benches. */
  engines?: EngineSet;
}

export interface Service {
  address: string;
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
  const engines =
    options.engines ??
    EngineSet.open(project, { workFolder: join(parts.data.path, 'models'), standins: addresses }, log);
  parts.engines = engines;

  const ready = new Readiness(project, engines, log);
  const host: Host = {
    keeper: store.keeper,
    serviceId: parts.data.serviceId,
    log,
    assistant: (name) => project.assistant(name ?? project.defaultAssistant),
    lineupOf: ({ file }) => engines.lineupOf(file.lineup),
    lineupStates: ({ file }) => engines.states(file.lineup),
    calls: new Map(),
  };
  const app = makeApp(httpHost(options, project, engines, store, ready));
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
  project: Project,
  engines: EngineSet,
  store: Store,
  ready: Readiness,
): HttpHost {
  return {
    log: options.log,
    reader: store.reader,
    project,
    engines,
    dataFolder: options.dataFolder,
    consoleFolder: fileURLToPath(new URL('../../console/dist', import.meta.url)),
    hosts: options.hosts ?? [],
    notReady: async () => [...ready.missing(), ...((await store.ping()) ? [] : ['the database'])],
    assistants: () =>
      project.list().map(({ name, file, plan }) => ({
        name,
        title: file.title,
        greeting: plan.greeting,
        prompt: file.prompt ?? '',
        language: plan.language,
        floor: plan.manners.floor,
        recorded: file.recorded ?? false,
        isDefault: name === project.defaultAssistant,
        lineup: engines.states(file.lineup),
      })),
  };
}

/** Which assistants' engines are warm and know the expected phrases. */
class Readiness {
  private readonly waiting = new Map<string, string>();

  constructor(
    private readonly project: Project,
    private readonly engines: EngineSet,
    private readonly log: Logger,
  ) {}

  prepareAll(): void {
    for (const assistant of this.project.list()) void this.prepare(assistant);
  }

  async prepare(assistant: Assistant): Promise<void> {
    const { name, file } = assistant;
    this.waiting.set(name, `the engines of ${name} are being warmed`);
    try {
      await this.engines.prepare(assistant);
      await Promise.all(Object.values(file.lineup).map((engine) => this.engines.warm(engine)));
      this.waiting.delete(name);
      this.log.info({ assistant: name }, 'an assistant is ready');
    } catch (error) {
      this.waiting.set(name, `${name}: ${(error as Error).message}`);
      this.log.error({ assistant: name, why: (error as Error).message }, 'an assistant cannot be made ready');
    }
  }

  missing(): string[] {
    const name = this.project.defaultAssistant;
    const broken = this.project.list().some((one) => one.name === name)
      ? []
      : [`the assistant ${name} cannot be used`];
    const waiting = this.waiting.get(name);
    return waiting ? [...broken, waiting] : broken;
  }
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
