/** Starts everything that a service is made of, in order, and stops it in the opposite order: the database last. */
import { mkdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import type { Logger } from 'pino';
import { Door } from './access/door.js';
import { KeyRing } from './access/key-ring.js';
import { Limits } from './access/limits.js';
import { ChoreThread } from './chores/thread.js';
import { BehindMark } from './database/behind-mark.js';
import { startCluster, type Cluster } from './database/cluster.js';
import { openStore, type Store } from './database/store.js';
import { takeDataFolder, type DataFolder } from './data-folder.js';
import { standinAddress } from '@verbalon/engines';
import { EngineRegistry } from './engines/registry.js';
import { Ledger } from './engines/ledger.js';
import { errandParts, startErrands, stopErrands, type ErrandParts } from './errands/parts.js';
import { PhraseStore } from './talk/phrase-store.js';
import { following } from './following.js';
import { makeApp } from './http/app.js';
import { httpHost } from './http/make-host.js';
import { isExposed, listen, type TlsFiles } from './listen.js';
import { ProblemError } from './problems.js';
import type { PhoneOptions } from './phone/phone.js';
import { Telephone } from './phone/telephone.js';
import { Project } from './project/project.js';
import { Secrets } from './project/secrets.js';
import { Readiness } from './readiness.js';
import { Standins } from './project/standins.js';
import { StageWorkers } from './stages/workers.js';
import { Admission } from './talk/admission.js';
import type { Host } from './talk/connection.js';
import { Lines } from './talk/lines.js';
import { Views } from './talk/views.js';
import { handOversOf, ringing } from './phone/reaching.js';

export interface ServeOptions {
  projectFolder: string;
  dataFolder: string;
  /** 0 for any free port. */
  port: number;
  /** The address to listen at; this machine alone where none is given. */
  host?: string | undefined;
  /** PEM files: with them the service speaks TLS. */
  tls?: TlsFiles | undefined;
  /** Addresses and networks of proxies that stand before the service. */
  proxies?: readonly string[];
  /** Files of the project may be written over HTTP; by default only where nobody reaches the service from elsewhere. */
  edit?: boolean | undefined;
  log: Logger;
  /** A running PostgreSQL; without it one is started in the data folder. */
  databaseUrl?: string | undefined;
  /** More host names under which the service may be asked. */
  hosts?: readonly string[];
  /** Where sound is kept of phrases that were said before; for benches. */
  phrases?: PhraseStore;
  /** Engines to use instead of those of the project's files, for benches. */
  engines?: EngineRegistry;
  /** Never more talks at once than this, whatever fits. */
  mostTalks?: number | undefined;
}

export interface Service {
  address: string;
  readonly engines: EngineRegistry;
  /** Process ids of what was started, for tests that kill something. */
  pids(): { database: number | undefined; standins: Record<string, { pid: number; address: string }> };
  stop(): Promise<void>;
}

interface Parts {
  door?: Door;
  data: DataFolder;
  cluster?: Cluster;
  store?: Store;
  standins?: Standins;
  engines?: EngineRegistry;
  project?: Project;
  ready?: Readiness;
  admission?: Admission;
  stageWorkers?: StageWorkers;
  errands?: ErrandParts;
  chores?: ChoreThread;
  telephone?: Telephone;
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
  for (const problem of project.problems().values()) log.error({ code: problem.code }, problem.message);
  if (!options.databaseUrl) parts.cluster = await startCluster(parts.data.path);
  const store = await storeFor(options, parts);
  const standinsBy = () => parts.standins?.addresses ?? {};
  const door = (parts.door = await doorFor(options, store, project, standinsBy));
  const standins = await Standins.start(projectFolder, project.file, log);
  parts.standins = standins;
  const secrets = new Secrets(projectFolder, standins.keys, process.env);
  const pages: Host['pages'] = new Map();
  const engines = options.engines ?? (await openEngines(project, parts.data, standins, secrets, pages, log));
  parts.engines = engines;
  const calls: Host['calls'] = new Map();
  parts.stageWorkers = new StageWorkers(log);
  parts.chores = new ChoreThread();
  const ring = ringing(() => parts.telephone!);
  const errands = errandParts(options, project, standins, secrets, parts.stageWorkers, store, parts.data, ring); // prettier-ignore
  parts.errands = errands;
  await startErrands(errands);
  parts.admission = new Admission({ talks: () => calls.size, most: options.mostTalks });
  const host = {
    ...hostOf(options, parts, store, project),
    door,
    engines,
    calls,
    pages,
    ledger: new Ledger(await store.reader.spentBefore(new Date())),
    views: new Views(calls),
    handOvers: handOversOf(project, () => parts.telephone!, {
      around: { standins: standins.addresses, secrets: secrets.values },
      log,
    }),
  };
  const ready = new Readiness(host);
  parts.ready = ready;
  const telephone = await Telephone.start(phoneOptions(host, ready, secrets, options.tls));
  parts.telephone = telephone;
  const app = makeApp({
    ...httpHost(options, store.messages(parts.data.serviceId), host, store, ready, parts.chores),
    telephone,
    secrets: secrets.values,
    door,
    edit: options.edit ?? !door.isExposed,
  });
  const listener = await listen(app, options, log);
  const { server } = listener;
  const lines = new Lines(server, host, door);
  ready.prepareAll();
  project.watch(following(host, ready, secrets));
  return {
    address: listener.address,
    engines,
    pids: () => ({ database: parts.cluster?.pid(), standins: standins.pids() }),
    stop: async () => {
      await telephone.stop();
      lines.stop();
      listener.stop();
      await new Promise<void>((done) => {
        server.close(() => done());
        server.closeAllConnections();
      });
      await stopParts(parts);
    },
  };
}

/** @returns null where the project has no telephone */
function phoneOptions(host: Host, ready: Readiness, secrets: Secrets, tls?: TlsFiles): PhoneOptions | null {
  const { phone: file } = host.project.file;
  if (!file) return null;
  const missing = (name: string) => ready.missing(host.assistant(name));
  return { host, file, handOver: () => host.project.file.handOver, missing, secrets: secrets.values, tls };
}

/** What is there by the time that lines are opened. */
function hostOf(
  options: ServeOptions,
  parts: Parts,
  store: Store,
  project: Project,
): Omit<Host, 'door' | 'engines' | 'calls' | 'pages' | 'ledger' | 'views' | 'handOvers'> {
  return {
    limits: new Limits(store.access, options.log, () => project.file.limits ?? {}),
    keeper: store.keeper,
    serviceId: parts.data.serviceId,
    log: options.log,
    assistant: (name) => project.assistant(name ?? project.defaultAssistant),
    project,
    phrases: options.phrases ?? new PhraseStore(undefined, join(parts.data.path, 'phrases')),
    stageWorkers: parts.stageWorkers!,
    errands: parts.errands!.runner,
    outbox: parts.errands!.outbox,
    admission: parts.admission!,
  };
}

function openEngines(
  project: Project,
  data: DataFolder,
  standins: Standins,
  secrets: Secrets,
  pages: Host['pages'],
  log: Logger,
): Promise<EngineRegistry> {
  const page = (talk: string) => {
    const found = pages.get(talk);
    return found?.takesPart('thinking') ? found : null;
  };
  const from = {
    workFolder: join(data.path, 'models'),
    standins: standins.addresses,
    secrets: secrets.values,
    trace: traceOf(log),
    page,
  };
  return EngineRegistry.open(project, from, log);
}

/** @throws ProblemError `keys-needed` where it can be reached from elsewhere and nobody could get in, or everybody */
async function doorFor(
  options: ServeOptions,
  { access }: Store,
  project: Project,
  standins: () => Readonly<Record<string, string>>,
): Promise<Door> {
  const { log, hosts = [], proxies = [] } = options;
  const exposed = isExposed(options);
  const keys = await KeyRing.open(access, log);
  const openTo = (origin: string) =>
    project
      .list()
      .flatMap(({ name, file }) =>
        file.origins?.some((one) => standinAddress(one, standins()) === origin) ? [name] : [],
      );
  const door = new Door({ keys, store: access, exposed, hosts, proxies, openTo });
  await access.forgetDaysBefore(new Date().toISOString().slice(0, 10));
  if (exposed && !keys.hasManager)
    throw new ProblemError('keys-needed', 'the service would be reached from elsewhere, and no key can manage it'); // prettier-ignore
  return door;
}

/** What engines are asked and answer, in the log, where that is wanted. */
function traceOf(log: Logger) {
  if (!log.isLevelEnabled('debug')) return undefined;
  return (engine: string, what: 'asked' | 'answered', text: string) =>
    log.debug({ engine, [what]: text }, what === 'asked' ? 'an engine is asked' : 'an engine answers');
}

/** The database, with what an earlier service left behind put right. */
async function storeFor({ databaseUrl, log }: ServeOptions, parts: Parts): Promise<Store> {
  emptyUploads(parts.data.path);
  const mark = new BehindMark(parts.data.path);
  const store = await openStore(databaseUrl || parts.cluster!.url, log, (since) => mark.set(since));
  parts.store = store;
  const cutOff = await store.reader.markCutOff(parts.data.serviceId, mark.get());
  mark.set(null);
  if (cutOff > 0)
    log.warn(
      { conversations: cutOff },
      'the service was killed before; open conversations are marked as cut off',
    );
  return store;
}

/** What a killed service left behind of requests that nobody waits for any more. */
function emptyUploads(dataFolder: string): void {
  const folder = join(dataFolder, 'uploads');
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
}

async function stopParts(parts: Parts): Promise<void> {
  const { data, cluster, store, standins, engines, project, ready, admission, stageWorkers, chores } = parts;
  await parts.telephone?.stop();
  parts.door?.keys.stop();
  admission?.stop();
  ready?.stop();
  await project?.close();
  await engines?.close();
  if (parts.errands) await stopErrands(parts.errands);
  await stageWorkers?.close();
  await chores?.close();
  await standins?.stop();
  await store?.close();
  await cluster?.stop();
  data.release();
}
