/**
 * A pool of child processes that hold a native engine each. A host is leased for one job at a time;
 * one that dies, or does not heed a cancel, is replaced, and whoever had it is told.
 */
import { fork, type ChildProcess } from 'node:child_process';
import { EngineFault, type Readiness } from '../common/contract.js';
import type { EnginePort, Lease } from './engine-port.js';
import { childEnvironment } from './environment.js';
import { GrowingPause } from './growing-pause.js';
import { spawnLimited } from './limited.js';

/**
 * Hosts that cannot even start are tried again after this pause, then after twice as long, up to the most, in
 * ms.
 */
const FIRST_REST_MS = 500;
const MOST_REST_MS = 30_000;
/** A host that is not ready after so long hangs, in ms. */
const START_PATIENCE_MS = 60_000;
/** A lease that is waited for longer than this is refused, and so is one when so many wait already. */
const LEASE_PATIENCE_MS = 10_000;
const MOST_WAITING = 200;
/** A host whose job is not wanted any more has so long to be done with it, in ms. */
const HEED_MS = 500;
const MOST_WORDS_KEPT = 500;

/** What every host says besides its own messages: that it can be leased, and that it is done with a job. */
export type FromAnyHost = { kind: 'ready' } | { kind: 'idle'; job: number };

interface Host<In, Out> {
  child: ChildProcess;
  ready: boolean;
  lease: Lease<In, Out> | null;
  /** The job that it was sent and has not said to be done with. */
  job: number | null;
  timer: NodeJS.Timeout;
}

interface Waiter<In, Out> {
  take: (lease: Lease<In, Out>) => void;
  refuse: (fault: EngineFault) => void;
  timer: NodeJS.Timeout;
}

export interface HostPoolOptions<In> {
  name: string;
  /** The host's compiled module, and what it is started with. */
  file: URL;
  args?: readonly string[];
  size: number;
  /** … and so many when all are busy. */
  most?: number;
  /** The kernel holds each to limits of memory and time. */
  limited?: boolean;
  /** Messages that every host is sent when it starts, before anything else. */
  first?: () => In[];
}

export class HostPool<In extends object, Out extends object> implements EnginePort<In, Out> {
  private hosts: Host<In, Out>[] = [];
  private waiters: Waiter<In, Out>[] = [];
  private readyWaiters: { resolve: () => void; reject: (fault: EngineFault) => void }[] = [];
  private readonly rest = new GrowingPause(FIRST_REST_MS, MOST_REST_MS);
  private restTimer: NodeJS.Timeout | undefined;
  private jobs = 0;
  private closing = false;
  private lastWords = '';

  constructor(private readonly options: HostPoolOptions<In>) {
    this.fill();
  }

  readiness(): Readiness {
    if (this.hosts.some(({ ready }) => ready)) return { state: 'ready' };
    if (this.hosts.length > 0) return { state: 'loading' };
    return { state: 'down', why: this.lastWords || 'its host processes have ended' };
  }

  async warm(): Promise<void> {
    if (this.isWhole) return;
    if (this.hosts.length === 0) throw this.down();
    await new Promise<void>((resolve, reject) => this.readyWaiters.push({ resolve, reject }));
  }

  async lease(): Promise<Lease<In, Out>> {
    const free = this.hosts.find(isFree);
    if (free) return this.lend(free);
    if (this.hosts.length === 0) throw this.down();
    const { name, size, most = size } = this.options;
    if (this.hosts.length < most) this.start();
    if (this.waiters.length >= MOST_WAITING)
      throw new EngineFault('engine-busy', `${MOST_WAITING} wait for the ${size} hosts of ${name} already`);
    return new Promise((take, refuse) => {
      const timer = setTimeout(() => {
        this.waiters = this.waiters.filter((one) => one.timer !== timer);
        refuse(
          new EngineFault(
            'engine-busy',
            `all ${size} hosts of ${name} were busy for ${LEASE_PATIENCE_MS} ms`,
          ),
        );
      }, LEASE_PATIENCE_MS);
      this.waiters.push({ take, refuse, timer });
    });
  }

  broadcast(message: In): void {
    for (const { child } of this.hosts) send(child, message);
  }

  pids(): number[] {
    return this.hosts.flatMap(({ child }) => (child.pid === undefined ? [] : [child.pid]));
  }

  async close(): Promise<void> {
    this.closing = true;
    clearTimeout(this.restTimer);
    const gone = this.hosts.map(
      ({ child }) => new Promise<void>((resolve) => child.once('exit', () => resolve())),
    );
    for (const { child } of this.hosts) child.kill('SIGKILL');
    await Promise.all(gone);
  }

  private get isWhole(): boolean {
    return this.hosts.length >= this.options.size && this.hosts.every(({ ready }) => ready);
  }

  private down(): EngineFault {
    return new EngineFault(
      'engine-down',
      `${this.options.name}: ${this.lastWords || 'no host process is running'}`,
    );
  }

  private fill(): void {
    this.restTimer = undefined;
    while (this.hosts.length < this.options.size) this.start();
  }

  private start(): void {
    const { file, args = [], first } = this.options;
    // A group of its own: Ctrl-C in a terminal is the service's business; a host ends when its channel
    // closes.
    const child = this.options.limited
      ? spawnLimited(file)
      : fork(file, args, {
          serialization: 'advanced',
          stdio: ['ignore', 'ignore', 'pipe', 'ipc'],
          detached: true,
          env: childEnvironment(),
        });
    const timer = setTimeout(() => child.kill('SIGKILL'), START_PATIENCE_MS);
    const host: Host<In, Out> = { child, ready: false, lease: null, job: null, timer };
    this.hosts.push(host);
    child.stderr
      ?.setEncoding('utf8')
      .on('data', (text: string) => (this.lastWords = text.trim().slice(-MOST_WORDS_KEPT)));
    child.on('message', (message: Out | FromAnyHost) => this.hear(host, message));
    child.on('error', (error) => (this.lastWords = error.message));
    child.on('exit', (code, signal) => this.bury(host, signal ?? `exit code ${code}`));
    for (const message of first?.() ?? []) send(child, message);
  }

  private hear(host: Host<In, Out>, message: Out | FromAnyHost): void {
    if ('kind' in message && message.kind === 'ready') {
      clearTimeout(host.timer);
      host.ready = true;
      this.rest.reset();
      if (this.isWhole) for (const { resolve } of this.readyWaiters.splice(0)) resolve();
      return this.serve(host);
    }
    if ('kind' in message && message.kind === 'idle') {
      if (message.job !== host.job) return;
      host.job = null;
      if (host.lease) return;
      clearTimeout(host.timer);
      return this.serve(host);
    }
    host.lease?.onMessage(message as Out);
  }

  private lend(host: Host<In, Out>): Lease<In, Out> {
    const lease: Lease<In, Out> = {
      job: ++this.jobs,
      send: (message) => {
        if (host.lease !== lease) return;
        host.job = lease.job;
        send(host.child, message);
      },
      onMessage: () => undefined,
      onDeath: () => undefined,
      release: () => {
        if (host.lease !== lease) return;
        host.lease = null;
        if (host.job === null) this.serve(host);
        else host.timer = setTimeout(() => host.child.kill('SIGKILL'), HEED_MS);
      },
    };
    host.lease = lease;
    return lease;
  }

  private serve(host: Host<In, Out>): void {
    if (!isFree(host)) return;
    const waiter = this.waiters.shift();
    if (!waiter) return;
    clearTimeout(waiter.timer);
    waiter.take(this.lend(host));
  }

  private bury(host: Host<In, Out>, why: string): void {
    clearTimeout(host.timer);
    this.hosts = this.hosts.filter((one) => one !== host);
    const { lease } = host;
    host.lease = null;
    if (!this.closing) {
      const saying = this.lastWords === '' ? '' : `, saying: ${this.lastWords}`;
      process.emitWarning(`a host process of ${this.options.name} died (${why})${saying}`, 'VerbalonHost');
      if (host.ready) this.fill();
      else this.startLater();
    }
    if (this.hosts.length === 0) {
      for (const { refuse, timer } of this.waiters.splice(0)) {
        clearTimeout(timer);
        refuse(this.down());
      }
      for (const { reject } of this.readyWaiters.splice(0)) reject(this.down());
    }
    lease?.onDeath(why);
  }

  /** One that could not even start is not started again at once. */
  private startLater(): void {
    this.restTimer ??= setTimeout(() => this.fill(), this.rest.take());
  }
}

function isFree({ ready, lease, job }: Host<never, never> | Host<object, object>): boolean {
  return ready && !lease && job === null;
}

function send(child: ChildProcess, message: object): void {
  if (child.connected) child.send(message, () => undefined);
}
