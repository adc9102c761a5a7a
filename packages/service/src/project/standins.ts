/**
 * Starts the stand-ins that a project names, starts them again when they die, and stops them with the
 * service.
 */
import { spawn, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { createInterface } from 'node:readline';
import type { Logger } from 'pino';
import { childEnvironment, KeptProcess } from '@verbalon/engines';
import type { ProjectFile } from '@verbalon/protocol';
import { ProblemError } from '../problems/problems.js';

const START_PATIENCE_MS = 10_000;

type Named = NonNullable<ProjectFile['standins']>[number];

export class Standins {
  /** Where they are by now, by name; it changes when one is started again. */
  readonly addresses: Record<string, string> = {};
  /** Environment variables with the keys that were made up for them. */
  readonly keys: Record<string, string> = {};
  private readonly running: Standin[] = [];

  /** @throws ProblemError `standin-not-starting` */
  static async start(folder: string, file: ProjectFile, log: Logger): Promise<Standins> {
    const all = new Standins();
    try {
      for (const named of file.standins ?? []) {
        const own = randomBytes(12).toString('hex');
        // A key that is set wrong is a thing to try: the stand-in knows another one then.
        if (named.key !== undefined) all.keys[named.key] = process.env[named.key] ?? own;
        const isAt = (address: string) => (all.addresses[named.name] = address);
        all.running.push(new Standin(folder, named, own, log, isAt));
      }
      await Promise.all(all.running.map((one) => one.begin()));
      return all;
    } catch (error) {
      await all.stop();
      throw error;
    }
  }

  /** For tests that kill one. */
  pids(): Record<string, { pid: number; address: string }> {
    return Object.fromEntries(
      this.running.map(({ name, pid }) => [name, { pid, address: this.addresses[name]! }]),
    );
  }

  async stop(): Promise<void> {
    await Promise.all(this.running.map(({ process }) => process.stop()));
  }
}

class Standin {
  readonly process = new KeptProcess({
    start: () => this.run(),
    ended: (how, againInMs) =>
      this.log.warn({ standin: this.name, how, againInMs }, 'a stand-in ended and is started again'),
  });
  private isReady: Promise<void> = Promise.resolve();

  constructor(
    private readonly folder: string,
    private readonly named: Named,
    private readonly key: string,
    private readonly log: Logger,
    private readonly isAt: (address: string) => void,
  ) {}

  get name(): string {
    return this.named.name;
  }

  get pid(): number {
    return this.process.child?.pid ?? 0;
  }

  /** Resolves when it is ready. @throws ProblemError `standin-not-starting` */
  begin(): Promise<void> {
    this.process.start();
    return this.isReady;
  }

  private run(): ChildProcess {
    const { start, key } = this.named;
    // A group of its own: Ctrl-C in a terminal is the service's business; a stand-in ends when its standard
    // input closes.
    const child = spawn(process.execPath, key === undefined ? start : [...start, '--key', this.key], {
      cwd: this.folder,
      stdio: ['pipe', 'pipe', 'pipe'],
      detached: true,
      env: childEnvironment(),
    });
    child.stdin.on('error', () => undefined);
    this.isReady = this.ready(child).then(this.isAt);
    // Whoever began it hears of it the first time; after that its end is logged.
    this.isReady.catch(() => undefined);
    return child;
  }

  private ready(child: ChildProcess): Promise<string> {
    let complaint = '';
    child
      .stderr!.setEncoding('utf8')
      .on('data', (text: string) => (complaint = (complaint + text).slice(-2_000)));
    return new Promise<string>((resolve, reject) => {
      const fail = (why: string) => reject(new ProblemError('standin-not-starting', `${this.name}: ${why}`));
      const timer = setTimeout(() => {
        fail(`not ready after ${START_PATIENCE_MS} ms`);
        child.kill('SIGKILL');
      }, START_PATIENCE_MS);
      child.once('error', (error) => fail(error.message));
      child.once('exit', (code) => {
        clearTimeout(timer);
        fail(complaint.trim().split('\n').at(-1) || `it ended with code ${code}`);
      });
      createInterface(child.stdout!).on('line', (line) => {
        const found = /^ready (http:\S+)$/.exec(line)?.[1];
        if (!found) return;
        clearTimeout(timer);
        resolve(found);
      });
    });
  }
}
