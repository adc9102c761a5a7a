/**
 * A server of this machine that an engine card names: started, watched, started again when it dies, stopped
 * with the service.
 */
import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { createServer, type AddressInfo } from 'node:net';
import { EngineFault, type Readiness } from './common/contract.js';
import { childEnvironment } from './hosts/environment.js';
import { KeptProcess } from './hosts/kept-process.js';

const LOOK_EVERY_MS = 150;
const USUAL_READY_MS = 60_000;

export interface LocalServerOptions {
  name: string;
  start: readonly string[];
  folder: string;
  health: URL;
  /** Variables that it is given beside those that every program needs. */
  env?: Record<string, string> | undefined;
  readyMs?: number | undefined;
  /** How it is: told whenever it changes. */
  is: (state: Readiness) => void;
}

export class LocalServer {
  private readonly process = new KeptProcess({
    start: () => this.begin(),
    started: (child) => void this.awaitReady(child),
    ended: (how) => this.ended(how),
  });
  private complaint = '';
  private state: Readiness = { state: 'loading' };
  private waiting: { resolve: () => void; reject: (fault: EngineFault) => void }[] = [];

  constructor(private readonly options: LocalServerOptions) {}

  /**
   * Starts it if it was not started yet. Resolves when it is ready; rejects with the reason when it does not
   * become so.
   */
  ready(): Promise<void> {
    if (!this.process.child) this.process.start();
    if (this.state.state === 'ready') return Promise.resolve();
    return new Promise((resolve, reject) => this.waiting.push({ resolve, reject }));
  }

  private begin(): ChildProcess {
    const { start, folder } = this.options;
    this.is({ state: 'loading' });
    this.complaint = '';
    const program = start[0] === 'node' ? process.execPath : start[0]!;
    const child = spawn(program, start.slice(1), {
      cwd: folder,
      stdio: ['pipe', 'ignore', 'pipe'],
      detached: true,
      env: childEnvironment(this.options.env),
    });
    child.stderr!.on(
      'data',
      (chunk: Buffer) => (this.complaint = (this.complaint + chunk.toString('utf8')).slice(-300)),
    );
    child.stdin!.on('error', () => undefined);
    child.once('error', (error) => (this.complaint = error.message));
    return child;
  }

  stop(): Promise<void> {
    return this.process.stop();
  }

  private is(state: Readiness): void {
    this.state = state;
    this.options.is(state);
    if (state.state === 'loading') return;
    for (const { resolve, reject } of this.waiting.splice(0)) {
      if (state.state === 'ready') resolve();
      else reject(new EngineFault('engine-down', `${this.options.name}: ${state.why}`));
    }
  }

  private ended(how: string): void {
    const why = this.complaint.trim().split('\n').at(-1) ?? '';
    this.is({
      state: 'down',
      why: `its server ended (${how}) and is started again${why ? `: ${why}` : ''}`,
    });
  }

  private async awaitReady(child: ChildProcess): Promise<void> {
    const { health, readyMs = USUAL_READY_MS } = this.options;
    const startedMs = performance.now();
    while (this.process.isCurrent(child) && child.exitCode === null) {
      const answer = await fetch(health, { signal: AbortSignal.timeout(1_000) }).catch(() => null);
      if (answer?.ok) return this.is({ state: 'ready' });
      if (performance.now() - startedMs > readyMs) {
        this.is({ state: 'down', why: `its server was not ready within ${readyMs} ms` });
        // It is started again when it has ended.
        return void child.kill('SIGKILL');
      }
      await new Promise((done) => setTimeout(done, LOOK_EVERY_MS));
    }
  }
}

/** A port of the loopback interface that nobody uses. */
export async function freePort(): Promise<number> {
  const server = createServer().listen(0, '127.0.0.1');
  await once(server, 'listening');
  const { port } = server.address() as AddressInfo;
  server.close();
  await once(server, 'close');
  return port;
}
