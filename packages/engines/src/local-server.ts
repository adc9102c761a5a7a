/** A server of this machine that an engine card names: started, watched, started again when it dies, stopped with the service. */
import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { createServer, type AddressInfo } from 'node:net';
import { EngineFault, type Readiness } from './contract.js';
import { childEnvironment } from './hosts/environment.js';

const LOOK_EVERY_MS = 150;
const FIRST_REST_MS = 500;
const MOST_REST_MS = 10_000;
/** A server that ran so long was well: it is started again at once when it dies, in ms. */
const WELL_AFTER_MS = 20_000;
const STOP_PATIENCE_MS = 3_000;
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
  private child: ChildProcess | null = null;
  private stopped = false;
  private restMs = FIRST_REST_MS;
  private timer: NodeJS.Timeout | undefined;
  private complaint = '';
  private begun = false;
  private state: Readiness = { state: 'loading' };
  private waiting: { resolve: () => void; reject: (fault: EngineFault) => void }[] = [];

  constructor(private readonly options: LocalServerOptions) {}

  /** Starts it if it was not started yet. Resolves when it is ready; rejects with the reason when it does not become so. */
  ready(): Promise<void> {
    if (!this.begun) this.begin();
    this.begun = true;
    if (this.state.state === 'ready') return Promise.resolve();
    return new Promise((resolve, reject) => this.waiting.push({ resolve, reject }));
  }

  private begin(): void {
    const { start, folder } = this.options;
    const startedMs = performance.now();
    this.is({ state: 'loading' });
    this.complaint = '';
    const program = start[0] === 'node' ? process.execPath : start[0]!;
    const child = spawn(program, start.slice(1), {
      cwd: folder,
      stdio: ['pipe', 'ignore', 'pipe'],
      detached: true,
      env: childEnvironment(this.options.env),
    });
    this.child = child;
    child.stderr!.on(
      'data',
      (chunk: Buffer) => (this.complaint = (this.complaint + chunk.toString('utf8')).slice(-300)),
    );
    child.stdin!.on('error', () => undefined);
    child.once('error', (error) => (this.complaint = error.message));
    child.once('close', (code) => this.ended(child, code, startedMs));
    void this.awaitReady(child, startedMs);
  }

  async stop(): Promise<void> {
    this.stopped = true;
    clearTimeout(this.timer);
    const { child } = this;
    if (!child || child.exitCode !== null || child.signalCode !== null || child.pid === undefined) return;
    const gone = once(child, 'close');
    child.kill('SIGTERM');
    const timer = setTimeout(() => child.kill('SIGKILL'), STOP_PATIENCE_MS);
    await gone;
    clearTimeout(timer);
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

  private ended(child: ChildProcess, code: number | null, startedMs: number): void {
    if (this.stopped || child !== this.child) return;
    const why = this.complaint.trim().split('\n').at(-1) ?? '';
    this.is({
      state: 'down',
      why: `its server ended (${code ?? 'killed'}) and is started again${why ? `: ${why}` : ''}`,
    });
    if (performance.now() - startedMs > WELL_AFTER_MS) this.restMs = FIRST_REST_MS;
    this.timer = setTimeout(() => this.begin(), this.restMs);
    this.restMs = Math.min(MOST_REST_MS, this.restMs * 2);
  }

  private async awaitReady(child: ChildProcess, startedMs: number): Promise<void> {
    const { health, readyMs = USUAL_READY_MS } = this.options;
    while (!this.stopped && child === this.child && child.exitCode === null) {
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
