/** Engines by the demo's cards, changed as a test wants them, against stand-ins that the test starts. */
import { spawn, type ChildProcess } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { createInterface } from 'node:readline';
import { parse } from 'yaml';
import { readWav, samplesOfMs, toPcm16 } from '@verbalon/core';
import { openEngine, type Surroundings } from '@verbalon/engines';
import type { EngineCard } from '@verbalon/protocol';
import { truth, walker } from './service.js';

/** A stand-in of the demo, in a process of its own. */
export function standinFor(name: string, key: string) {
  let child: ChildProcess | null = null;
  const one = {
    address: '',
    async start(): Promise<void> {
      const args = [
        '--knowledge',
        'demo/knowledge/huts.yaml',
        '--recordings',
        'demo/recordings',
        '--key',
        key,
        '--first-piece-ms',
        '40',
      ];
      const begun = spawn(process.execPath, [`standins/dist/${name}/main.js`, ...args], {
        stdio: ['pipe', 'pipe', 'inherit'],
      });
      child = begun;
      const line = await new Promise<string>((done) => createInterface(begun.stdout).once('line', done));
      one.address = line.replace('ready ', '');
    },
    stop(): void {
      child?.kill();
    },
  };
  return one;
}

const nothing = () => {
  throw new Error('not of this test');
};

export function openCard(
  name: string,
  change: (card: Record<string, unknown>) => object = (card) => card,
  around: Partial<Surroundings> = {},
) {
  const file = parse(readFileSync(`demo/engines/${name}.yaml`, 'utf8')) as Record<string, unknown>;
  // What is tested is what is said, not how soon a busy machine says it.
  const card = change({ ...file, deadlines: { firstMs: 50_000, betweenMs: 50_000 } }) as EngineCard;
  const surroundings = {
    workFolder: '/tmp',
    standins: {},
    secrets: {},
    folder: 'demo',
    answers: nothing,
    model: nothing,
    page: nothing,
  };
  return openEngine(name, card, { ...surroundings, ...around });
}

/** What a walker of the demo says in a turn: the sound, at the house rate, and its words. */
export function segmentOf(name: string, turn: number): { samples: Int16Array; text: string } {
  const { channels, rateHz } = readWav(walker(name));
  const { fromMs, toMs, text } = truth(name)[turn]!;
  const samples = channels[0]!.slice(samplesOfMs(fromMs - 200, rateHz), samplesOfMs(toMs + 200, rateHz));
  return { samples: toPcm16(samples), text };
}

type Answer = object | string | Buffer | number;

/** A server that answers each request with what this gives: an object as JSON, a number as a status. */
export async function answering(answer: (request: IncomingMessage, body: Buffer) => Answer) {
  const server: Server = createServer((request, response) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      if (request.method === 'GET') return void response.end('{}');
      const given = answer(request, Buffer.concat(chunks));
      if (typeof given === 'number') return void response.writeHead(given).end();
      response.end(Buffer.isBuffer(given) || typeof given === 'string' ? given : JSON.stringify(given));
    });
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  return {
    address: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    close: () => new Promise<void>((done) => (server.closeAllConnections(), server.close(() => done()))),
  };
}
