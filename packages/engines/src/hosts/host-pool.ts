/**
 * A pool of child processes that hold a native engine each. A host is leased for one job at a time;
 * one that dies is replaced, and whoever had it is told.
 */
import { fork, type ChildProcess } from 'node:child_process';
import { EngineFault, type Readiness } from '../contract.js';

/** A host that cannot even start so often in a row is given up. */
const MOST_FAILED_STARTS = 3;
/** A lease that is waited for longer than this is refused. */
const LEASE_PATIENCE_MS = 10_000;

export interface Lease<In, Out> {
  send(message: In): void;
  /** Messages from the host, while the lease lasts. */
  onMessage: (message: Out) => void;
  /** The host has died; the lease is over. */
  onDeath: (why: string) => void;
  release(): void;
}

interface Host<In, Out> {
  child: ChildProcess;
  ready: boolean;
  lease: Lease<In, Out> | null;
}

interface Waiter<In, Out> {
  take: (lease: Lease<In, Out>) => void;
  refuse: (fault: EngineFault) => void;
  timer: NodeJS.Timeout;
}

export class HostPool<In extends object, Out extends object> {
  private hosts: Host<In, Out>[] = [];
  private waiters: Waiter<In, Out>[] = [];
  private readyWaiters: { resolve: () => void; reject: (fault: EngineFault) => void }[] = [];
  private failedStarts = 0;
  private closing = false;
  private lastWords = '';

  /**
   * @param file the host's compiled module; it sends `{ kind: 'ready' }` when it can be leased
   * @param first messages that every host is sent when it starts, before anything else
   */
  constructor(
    private readonly name: string,
    private readonly file: URL,
    private readonly size: number,
    private readonly first: () => In[],
  ) {
    for (let i = 0; i < size; i++) this.start();
  }

  readiness(): Readiness {
    if (this.hosts.some(({ ready }) => ready)) return { state: 'ready' };
    if (this.hosts.length > 0) return { state: 'loading' };
    return { state: 'down', why: this.lastWords || 'its host processes have ended' };
  }

  /** Resolves when all hosts are ready. */
  async warm(): Promise<void> {
    if (this.hosts.length === this.size && this.hosts.every(({ ready }) => ready)) return;
    if (this.hosts.length === 0) throw this.down();
    await new Promise<void>((resolve, reject) => this.readyWaiters.push({ resolve, reject }));
  }

  /** A host of one's own until it is released. @throws EngineFault `engine-down` or, when all are busy for long, `engine-late` */
  async lease(): Promise<Lease<In, Out>> {
    const free = this.hosts.find(({ ready, lease }) => ready && !lease);
    if (free) return this.lend(free);
    if (this.hosts.length === 0) throw this.down();
    return new Promise((take, refuse) => {
      const timer = setTimeout(() => {
        this.waiters = this.waiters.filter((one) => one.timer !== timer);
        refuse(
          new EngineFault(
            'engine-late',
            `all ${this.size} hosts of ${this.name} were busy for ${LEASE_PATIENCE_MS} ms`,
          ),
        );
      }, LEASE_PATIENCE_MS);
      this.waiters.push({ take, refuse, timer });
    });
  }

  /** Sends to every host, leased or not. */
  broadcast(message: In): void {
    for (const { child } of this.hosts) send(child, message);
  }

  /** Process ids, for tests that kill one. */
  pids(): number[] {
    return this.hosts.flatMap(({ child }) => (child.pid === undefined ? [] : [child.pid]));
  }

  async close(): Promise<void> {
    this.closing = true;
    const gone = this.hosts.map(
      ({ child }) => new Promise<void>((resolve) => child.once('exit', () => resolve())),
    );
    for (const { child } of this.hosts) child.kill('SIGKILL');
    await Promise.all(gone);
  }

  private down(): EngineFault {
    return new EngineFault('engine-down', `${this.name}: ${this.lastWords || 'no host process is running'}`);
  }

  private start(): void {
    // A group of its own: Ctrl-C in a terminal is the service's business; a host ends when its channel closes.
    const child = fork(this.file, {
      serialization: 'advanced',
      stdio: ['ignore', 'ignore', 'pipe', 'ipc'],
      detached: true,
    });
    const host: Host<In, Out> = { child, ready: false, lease: null };
    this.hosts.push(host);
    child.stderr
      ?.setEncoding('utf8')
      .on('data', (text: string) => (this.lastWords = text.trim().slice(-500)));
    child.on('message', (message: Out) => this.hear(host, message));
    child.on('error', (error) => (this.lastWords = error.message));
    child.on('exit', (code, signal) => this.bury(host, signal ?? `exit code ${code}`));
    for (const message of this.first()) send(child, message);
  }

  private hear(host: Host<In, Out>, message: Out): void {
    if ('kind' in message && message.kind === 'ready') {
      host.ready = true;
      this.failedStarts = 0;
      if (this.hosts.every(({ ready }) => ready))
        for (const { resolve } of this.readyWaiters.splice(0)) resolve();
      this.serve(host);
      return;
    }
    host.lease?.onMessage(message);
  }

  private lend(host: Host<In, Out>): Lease<In, Out> {
    const lease: Lease<In, Out> = {
      send: (message) => host.lease === lease && send(host.child, message),
      onMessage: () => undefined,
      onDeath: () => undefined,
      release: () => {
        if (host.lease !== lease) return;
        host.lease = null;
        this.serve(host);
      },
    };
    host.lease = lease;
    return lease;
  }

  private serve(host: Host<In, Out>): void {
    if (!host.ready || host.lease) return;
    const waiter = this.waiters.shift();
    if (!waiter) return;
    clearTimeout(waiter.timer);
    waiter.take(this.lend(host));
  }

  private bury(host: Host<In, Out>, why: string): void {
    this.hosts = this.hosts.filter((one) => one !== host);
    const { lease } = host;
    host.lease = null;
    if (!host.ready) this.failedStarts++;
    if (!this.closing) {
      const saying = this.lastWords === '' ? '' : `, saying: ${this.lastWords}`;
      process.emitWarning(`a host process of ${this.name} died (${why})${saying}`, 'VerbalonHost');
    }
    if (!this.closing && this.failedStarts < MOST_FAILED_STARTS) this.start();
    if (this.hosts.length === 0) {
      for (const { refuse, timer } of this.waiters.splice(0)) {
        clearTimeout(timer);
        refuse(this.down());
      }
      for (const { reject } of this.readyWaiters.splice(0)) reject(this.down());
    }
    lease?.onDeath(why);
  }
}

function send(child: ChildProcess, message: object): void {
  if (child.connected) child.send(message, () => undefined);
}
