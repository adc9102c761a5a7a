/**
 * The started service that a campaign is waged against: on the demo's engines, its database behind a proxy,
 * watched all the time.
 */
import { fork, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import pg from 'pg';
import { startCluster } from '@verbalon/service';
import { BadEngine } from './bad-engine.js';
import { DatabaseProxy } from './database-proxy.js';
import { copyDemo } from './demo-copy.js';

export interface UnderFireOptions {
  /** The repository's. */
  root: string;
  /** Where everything is kept; the database's user must be able to enter it. */
  folder: string;
  /** Changes its project before it starts. @param folder of the project */
  change?: (folder: string) => void;
}

export class ServiceUnderFire {
  address = '';
  child!: ChildProcess;
  log = '';
  /** Times that it ended without being told to. */
  crashes = 0;
  /** The longest that health was waited for, in ms. */
  worstHealthMs = 0;
  /** How long health was waited for, each time, in ms. */
  readonly healthMs: number[] = [];
  private stopping = false;
  private watch: Worker | null = null;

  private constructor(
    private readonly options: UnderFireOptions,
    readonly proxy: DatabaseProxy,
    readonly engine: BadEngine,
    private readonly cluster: Awaited<ReturnType<typeof startCluster>>,
  ) {}

  static async start(options: UnderFireOptions): Promise<ServiceUnderFire> {
    const data = join(options.folder, 'cluster');
    mkdirSync(data, { recursive: true });
    const cluster = await startCluster(data);
    const proxy = await DatabaseProxy.open(cluster.url);
    const engine = await BadEngine.open();
    const all = new ServiceUnderFire(options, proxy, engine, cluster);
    all.makeProject();
    options.change?.(all.project);
    await all.begin();
    return all;
  }

  get project(): string {
    return join(this.options.folder, 'project');
  }

  get dataFolder(): string {
    return join(this.options.folder, 'data');
  }

  get databasePid(): number {
    return this.cluster.pid()!;
  }

  /** Straight to the database, past the proxy. */
  async query<T extends pg.QueryResultRow>(sql: string, values: unknown[] = []): Promise<T[]> {
    const client = new pg.Client({ connectionString: this.cluster.url });
    client.on('error', () => undefined);
    await client.connect();
    try {
      return (await client.query<T>(sql, values)).rows;
    } finally {
      await client.end();
    }
  }

  /** Starts it, and waits until callers can be served. */
  async begin(): Promise<void> {
    const { root } = this.options;
    const args = ['serve', '--port', '0', '--project', this.project, '--data', this.dataFolder];
    const child = fork(join(root, 'packages/cli/bin/verbalon.mjs'), args, {
      env: { ...process.env, DATABASE_URL: this.proxy.url },
      stdio: ['ignore', 'ignore', 'pipe', 'ipc'],
    });
    this.child = child;
    child
      .stderr!.setEncoding('utf8')
      .on('data', (text: string) => (this.log = (this.log + text).slice(-200_000)));
    child.once('exit', () => child === this.child && !this.stopping && this.crashes++);
    const [{ address }] = (await once(child, 'message')) as [{ address: string }];
    this.address = address;
    await this.ready();
    await this.watch?.terminate();
    this.watch = new Worker(new URL('./health-watch.js', import.meta.url), { workerData: { address } });
    this.watch.on('message', (ms: number) => {
      this.healthMs.push(ms);
      this.worstHealthMs = Math.max(this.worstHealthMs, ms);
    });
  }

  async ready(): Promise<void> {
    await until(async () => (await fetch(`${this.address}/readyz`)).ok);
  }

  /** SIGKILL, and a new start. */
  async killAndBegin(): Promise<void> {
    this.stopping = true;
    const gone = once(this.child, 'exit');
    this.child.kill('SIGKILL');
    await gone;
    this.stopping = false;
    await this.begin();
  }

  /** Process ids of its children whose command line has this in it. */
  children(part: string): number[] {
    return readdirSync('/proc')
      .filter((name) => /^\d+$/.test(name))
      .map(Number)
      .filter((pid) => {
        try {
          const parent = /\nPPid:\s*(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1];
          return (
            Number(parent) === this.child.pid && readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(part)
          );
        } catch {
          return false;
        }
      });
  }

  /** Its memory, in MB. */
  memoryMb(): number {
    const status = readFileSync(`/proc/${this.child.pid}/status`, 'utf8');
    return Number(/VmRSS:\s*(\d+)/.exec(status)![1]) / 1024;
  }

  async stop(): Promise<number> {
    this.stopping = true;
    await this.watch?.terminate();
    const gone = once(this.child, 'exit');
    const fromMs = performance.now();
    this.child.kill('SIGTERM');
    await gone;
    const tookMs = performance.now() - fromMs;
    await this.proxy.close();
    await this.engine.close();
    await this.cluster.stop();
    return tookMs;
  }

  private makeProject(): void {
    const { root } = this.options;
    copyDemo(root, this.project);
    writeFileSync(join(this.project, 'engines/bad.yaml'), this.engine.card);
    const assistant = (llm: string) =>
      `title: Under fire\nlanguage: en\npersona: You answer.\nrecorded: true\nlineup: { stt: ears, llm: ${llm}, tts: voice }\n`;
    writeFileSync(join(this.project, 'assistants/fire.yaml'), assistant('echo'));
    writeFileSync(join(this.project, 'assistants/spare.yaml'), assistant('echo'));
    writeFileSync(join(this.project, 'assistants/bad.yaml'), assistant('bad'));
  }
}

/** Looks often until it holds. @throws Error after `mostMs` */
export async function until(holds: () => boolean | Promise<boolean>, mostMs = 90_000): Promise<void> {
  for (const deadline = performance.now() + mostMs; performance.now() < deadline;) {
    if (await Promise.resolve(holds()).catch(() => false)) return;
    await new Promise((done) => setTimeout(done, 25));
  }
  throw new Error(`it was waited for in vain: ${holds.toString()}`);
}
