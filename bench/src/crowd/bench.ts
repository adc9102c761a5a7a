/**
 * `npm run bench crowd`: how many talks one process holds, beside a bare relay of the same packets in the
 * same run. The service, the relay and the callers are processes of their own; the engines answer at once.
 */
import { fork, type ChildProcess } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { round, spread } from '../common/stage.js';
import type { Crowd } from './callers.js';

const STEPS = [10, 20, 40, 60, 80, 120, 160, 240, 320, 480];
const SECONDS = 10;
/** Held: sound is late by no more than this at p99, in ms, and nobody was lost. */
const LATE_MS = 20;
/** So many talks are looked at closely. */
const PROFILED = 20;

/** A process that is asked one thing after the other. */
export class Helper {
  private constructor(readonly child: ChildProcess) {}

  static async begin(file: string): Promise<{ helper: Helper; said: Record<string, unknown> }> {
    const child = fork(fileURLToPath(new URL(file, import.meta.url)), {
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
      execArgv: ['--expose-gc'],
    });
    const helper = new Helper(child);
    return { helper, said: await helper.next() };
  }

  next(): Promise<Record<string, unknown>> {
    return new Promise((resolve, reject) => {
      const exited = (code: number | null) => reject(new Error(`a helper of the bench ended with ${code}`));
      this.child.once('exit', exited);
      this.child.once('message', (message) => {
        this.child.off('exit', exited);
        resolve(message as Record<string, unknown>);
      });
    });
  }

  ask(what: string | Crowd): Promise<Record<string, unknown>> {
    const answer = this.next();
    this.child.send(what);
    return answer;
  }
}

interface Held {
  talks: number;
  lateP99: number;
  /** Of a core, for each second of a talk. */
  msASecond: number;
  memoryMb: number;
  gap: ReturnType<typeof spread>;
  lost: number;
  parts?: Record<string, number>;
}

async function hold(server: Helper, address: string, talks: number, relay: boolean): Promise<Held> {
  const { helper } = await Helper.begin('./callers.js');
  await helper.ask({ address, callers: talks, seconds: SECONDS, relay });
  const closely = !relay && talks === PROFILED;
  if (closely) await server.ask('profile');
  await server.ask('begin');
  await helper.next();
  // Before anything else is asked: it may come in the meantime.
  const coming = helper.next();
  const { cpuMs, memoryMb } = (await server.ask('take')) as { cpuMs: number; memoryMb: number };
  const found = (await coming) as { lateness: number[]; gaps: number[]; lost: number };
  const parts = closely ? ((await server.ask('parts')) as Record<string, number>) : null;
  // Who was refused cost nothing.
  const eachMs = (ms: number) => round(ms / SECONDS / Math.max(1, talks - found.lost), 2);
  return {
    talks,
    lateP99: spread(found.lateness).p99,
    msASecond: eachMs(cpuMs),
    memoryMb: round(memoryMb),
    gap: spread(found.gaps),
    lost: found.lost,
    ...(parts
      ? { parts: Object.fromEntries(Object.entries(parts).map(([name, ms]) => [name, eachMs(ms)])) }
      : {}),
  };
}

/** Ever more talks, until one step is not held. */
async function rows(file: string, relay: boolean): Promise<Held[]> {
  const found: Held[] = [];
  const { helper, said } = await Helper.begin(file);
  const address = String(said.address);
  for (const talks of STEPS) {
    const held = await hold(helper, address, talks, relay);
    found.push(held);
    process.stdout.write(`  ${relay ? 'relay' : 'service'} ${JSON.stringify(held)}\n`);
    if (!isHeld(held)) break;
  }
  await helper.ask('end');
  return found;
}

const isHeld = ({ lateP99, lost }: Held) => lateP99 < LATE_MS && lost === 0;
const most = (of: readonly Held[]) => Math.max(0, ...of.filter(isHeld).map(({ talks }) => talks));

export async function crowdBench(): Promise<object> {
  const service = await rows('./service.js', false);
  const relay = await rows('./relay.js', true);
  return {
    held: { service: most(service), relay: most(relay), ratio: round(most(service) / most(relay), 2) },
    service,
    relay,
  };
}
