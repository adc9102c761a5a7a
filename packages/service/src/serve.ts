/**
 * Starts everything that a service is made of, in order, and stops it in the opposite order: the database
 * last.
 */
import { mkdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import type { Logger } from 'pino';
import { Audit, AUDIT_KEPT_MS, MOST_AUDITED } from './access/audit.js';
import { Door } from './access/door.js';
import { KeyRing } from './access/key-ring.js';
import { Limits } from './access/limits.js';
import { BackgroundThread } from './background/thread.js';
import { BehindMark } from './database/behind-mark.js';
import { Closing } from './closing.js';
import { causeOf } from './database/connection.js';
import { startCluster, type Cluster } from './database/cluster.js';
import { openStore, type Store } from './database/store.js';
import { takeDataFolder, type DataFolder } from './common/data-folder.js';
import { standinAddress } from '@verbalon/engines';
import { EngineRegistry } from './engines/registry.js';
import { Ledger } from './engines/ledger.js';
import { errandParts, startErrands, stopErrands, type ErrandParts } from './errands/parts.js';
import { PhraseStore } from './talk/session/phrase-store.js';
import { following } from './following.js';
import { makeApp } from './http/app.js';
import { httpHost } from './http/make-host.js';
import { isExposed, listen, type TlsFiles } from './common/listen.js';
import { ProblemError } from './problems/problems.js';
import type { PhoneOptions } from './phone/phone.js';
import { Telephone } from './phone/telephone.js';
import { Project } from './project/project.js';
import { Secrets } from './project/secrets.js';
import { Readiness } from './http/readiness.js';
import { Standins } from './project/standins.js';
import { StageWorkers } from './stages/workers.js';
import { Capacity } from './talk/call/capacity.js';
import type { Host } from './talk/line/connection.js';
import { Lines } from './talk/line/lines.js';
import { TalksHere } from './talk/call/talk-directory.js';
import { WatchLinks } from './talk/call/watch-links.js';
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
  /**
   * Files of the project may be written over HTTP; by default only where nobody reaches the service from
   * elsewhere.
   */
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

/** @throws ProblemError that says what is in the way; what was started by then is stopped */
export async function serve(options: ServeOptions): Promise<Service> {
  const closing = new Closing();
  try {
    return await begin(options, closing);
  } catch (error) {
    // What went wrong first is what is told.
    await closing.all().catch((fault: unknown) => options.log.error(fault));
    throw error;
  }
}

/** Each stage is given what those before it made. */
async function begin(options: ServeOptions, closing: Closing): Promise<Service> {
  const project = readProject(options);
  const records = await openRecords(options, closing);
  const keys = await openKeys(options, records, closing);
  const outside = await openOutside(options, project, closing);
  const door = openDoor(options, records, project, keys, outside, closing);
  const engines = await openEngines(options, project, records, outside, closing);
  // It is rung for errands, and rings the assistants: it is there before both, and starts after them.
  const telephone = new Telephone(() => project.atStart.hasChanged('phone'));
  const errands = await openErrands(options, project, records, outside, telephone, closing);
  const host = await openTalks(
    options,
    project,
    records,
    outside,
    door,
    engines,
    errands,
    telephone,
    closing,
  );
  const ready = closing.opened(new Readiness(host), (one) => one.stop());
  await telephone.start(phoneOptions(host, ready, outside.secrets, options.tls));
  closing.opened(telephone, (one) => one.stop());
  const listener = await openLines(options, records, host, ready, outside, telephone, closing);
  closing.opened(telephone, (one) => one.stop());
  ready.prepareAll();
  closing.opened(project, (one) => one.close()).watch(following(host, ready, outside.secrets));
  return {
    address: listener.address,
    engines: host.engines,
    pids: () => ({ database: records.cluster?.pid(), standins: outside.standins.pids() }),
    stop: () => closing.all(),
  };
}

function readProject({ projectFolder, log }: ServeOptions): Project {
  const project = new Project(projectFolder);
  for (const problem of project.problems().values()) log.error({ code: problem.code }, problem.message);
  return project;
}

interface Records {
  data: DataFolder;
  /** Null where a database runs already. */
  cluster: Cluster | null;
  store: Store;
}

/** The data folder, and the database, with what an earlier service left behind put right. */
async function openRecords(
  { dataFolder, databaseUrl, log }: ServeOptions,
  closing: Closing,
): Promise<Records> {
  const data = closing.opened(takeDataFolder(dataFolder), (one) => one.release());
  const { cluster, url } = await openDatabase(databaseUrl, data, closing);
  emptyUploads(data.path);
  const mark = new BehindMark(data.path);
  const store = closing.opened(await openStore(url, log, (since) => mark.set(since)), (one) => one.close());
  const cutOff = await store.reader.markCutOff(data.serviceId, mark.get());
  mark.set(null);
  if (cutOff > 0)
    log.warn(
      { conversations: cutOff },
      'the service was killed before; open conversations are marked as cut off',
    );
  return { data, cluster, store };
}

/** The one that runs already, or one of our own in the data folder. */
async function openDatabase(
  url: string | undefined,
  data: DataFolder,
  closing: Closing,
): Promise<{ cluster: Cluster | null; url: string }> {
  if (url) return { cluster: null, url };
  const cluster = closing.opened(await startCluster(data.path), (one) => one.stop());
  return { cluster, url: cluster.url };
}

/**
 * @throws ProblemError `keys-needed` where it can be reached from elsewhere and nobody could get in, or
 * everybody
 */
async function openKeys(options: ServeOptions, { store }: Records, closing: Closing): Promise<KeyRing> {
  const { access } = store;
  const keys = closing.opened(await KeyRing.open(access, options.log), (one) => one.stop());
  await access.forgetDaysBefore(new Date().toISOString().slice(0, 10));
  await access.forgetAuditBefore(new Date(Date.now() - AUDIT_KEPT_MS), MOST_AUDITED);
  if (isExposed(options) && !keys.hasManager)
    throw new ProblemError(
      'keys-needed',
      'the service would be reached from elsewhere, and no key can manage it',
    );
  return keys;
}

/** What the project names that is not its own: outside systems, and keys to them. */
interface Outside {
  standins: Standins;
  secrets: Secrets;
}

async function openOutside(
  { projectFolder, log }: ServeOptions,
  project: Project,
  closing: Closing,
): Promise<Outside> {
  const started = await Standins.start(projectFolder, project.file, log);
  const standins = closing.opened(started, (one) => one.stop());
  return {
    standins,
    secrets: new Secrets(projectFolder, () => project.file.secrets, standins.keys, process.env),
  };
}

function openDoor(
  options: ServeOptions,
  { store }: Records,
  project: Project,
  keys: KeyRing,
  { standins }: Outside,
  closing: Closing,
): Door {
  const { hosts = [], proxies = [] } = options;
  const openTo = (origin: string) =>
    project
      .list()
      .flatMap(({ name, file }) =>
        file.origins?.some((one) => standinAddress(one, standins.addresses) === origin) ? [name] : [],
      );
  const requestsASecond = () => project.file.limits?.requestsASecond;
  const exposed = isExposed(options);
  const door = new Door({ keys, store: store.access, exposed, hosts, proxies, openTo, requestsASecond });
  closing.opened(door.rate, (rate) => rate.stop());
  return door;
}

interface Engines {
  engines: EngineRegistry;
  /** Pages of callers, which may think for themselves. */
  pages: Host['pages'];
}

async function openEngines(
  { engines, log }: ServeOptions,
  project: Project,
  { data }: Records,
  { standins, secrets }: Outside,
  closing: Closing,
): Promise<Engines> {
  const pages: Host['pages'] = new Map();
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
  const opened = engines ?? (await EngineRegistry.open(project, from, log));
  return { pages, engines: closing.opened(opened, (one) => one.close()) };
}

interface Errands extends ErrandParts {
  stageWorkers: StageWorkers;
}

async function openErrands(
  options: ServeOptions,
  project: Project,
  { store, data }: Records,
  { standins, secrets }: Outside,
  telephone: Telephone,
  closing: Closing,
): Promise<Errands> {
  const stageWorkers = closing.opened(new StageWorkers(options.log), (one) => one.close());
  const ring = ringing(telephone);
  const made = errandParts(options, project, standins, secrets, stageWorkers, store, data, ring);
  const parts = closing.opened(made, stopErrands);
  await startErrands(parts);
  return { ...parts, stageWorkers };
}

/** What a talk needs of the service. */
async function openTalks(
  { log, mostTalks, phrases }: ServeOptions,
  project: Project,
  { store, data }: Records,
  { standins, secrets }: Outside,
  door: Door,
  { engines, pages }: Engines,
  { runner, outbox, stageWorkers }: Errands,
  telephone: Telephone,
  closing: Closing,
): Promise<Host> {
  const talks = new TalksHere();
  const capacity = new Capacity({ talks: () => talks.count, most: mostTalks });
  const around = { standins: standins.addresses, secrets: secrets.values };
  return {
    door,
    engines,
    talks,
    pages,
    log,
    project,
    stageWorkers,
    outbox,
    errands: runner,
    keeper: store.keeper,
    serviceId: data.serviceId,
    assistant: (name) => project.assistant(name ?? project.defaultAssistant),
    limits: new Limits(store.access, log, () => project.file.limits ?? {}),
    phrases: phrases ?? new PhraseStore(undefined, join(data.path, 'phrases')),
    capacity: closing.opened(capacity, (one) => one.stop()),
    ledger: new Ledger(await store.reader.spentBefore(new Date())),
    watchLinks: new WatchLinks(talks),
    personDesk: handOversOf(project, telephone, { around, log }),
  };
}

/** HTTP and the talk socket: from here on callers come. */
async function openLines(
  options: ServeOptions,
  { store, data }: Records,
  host: Host,
  ready: Readiness,
  { secrets }: Outside,
  telephone: Telephone,
  closing: Closing,
) {
  const { log } = options;
  const { door } = host;
  const app = makeApp(
    httpHost(host, {
      store,
      messages: store.messages(data.serviceId),
      dataFolder: options.dataFolder,
      ready,
      telephone,
      background: closing.opened(new BackgroundThread(), (one) => one.close()),
      audit: closing.opened(auditOf(store, log), (one) => one.stop()),
      secrets: secrets.values,
      edit: options.edit ?? !door.isExposed,
    }),
  );
  const listener = await listen(app, options, log);
  const { server } = listener;
  closing.opened(listener, (one) => {
    one.stop();
    return new Promise<void>((done) => {
      server.close(() => done());
      server.closeAllConnections();
    });
  });
  closing.opened(new Lines(server, host, door), (one) => one.stop());
  const goesOn = (key: string) => door.keys.letsGoOn(key);
  door.keys.onLook(() => {
    host.talks.endRevoked(goesOn);
    // … and so do links, with whoever is there by them.
    host.watchLinks.endRevoked(goesOn);
  });
  return listener;
}

/** @returns null where the project has no telephone */
function phoneOptions(host: Host, ready: Readiness, secrets: Secrets, tls?: TlsFiles): PhoneOptions | null {
  const { phone: file } = host.project.file;
  if (!file) return null;
  const missing = (name: string) => ready.missing(host.assistant(name));
  return { host, file, handOver: () => host.project.file.handOver, missing, secrets: secrets.values, tls };
}

/** What engines are asked and answer, in the log, where that is wanted. */
function traceOf(log: Logger) {
  if (!log.isLevelEnabled('debug')) return undefined;
  return (engine: string, what: 'asked' | 'answered', text: string) =>
    log.debug({ engine, [what]: text }, what === 'asked' ? 'an engine is asked' : 'an engine answers');
}

function auditOf({ access }: Store, log: Logger): Audit {
  return new Audit((row) => {
    access
      .note(row)
      .catch((error: unknown) =>
        log.warn({ entry: row, why: causeOf(error) }, 'what was done cannot be kept'),
      );
  });
}

/** What a killed service left behind of requests that nobody waits for any more. */
function emptyUploads(dataFolder: string): void {
  const folder = join(dataFolder, 'uploads');
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
}
