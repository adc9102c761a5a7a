/** What a card costs against an adapter written by hand for the same protocol: pieces a second, and time a piece. */
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { percentile } from '@verbalon/core';
import { openEngine, type LlmEngine } from '@verbalon/engines';
import type { EngineCard } from '@verbalon/protocol';
import { parse } from 'yaml';
import { LinesEngine } from '../hand-written.js';

const PIECES = 9_000;
const ROUNDS = 9;
const SPACED_PIECES = 300;
const SPACED_MS = 4;

export async function wiresBench(): Promise<object> {
  const server = createServer((request, response) => {
    request.resume();
    if (request.url === '/fast/health' || request.url === '/health') return void response.end('ok');
    response.writeHead(200, { 'content-type': 'application/x-ndjson' });
    const line = (text: string) => `${JSON.stringify({ say: text })}\n`;
    const end = () => response.end('{"finished":{"read":1,"wrote":1}}\n');
    if (request.url!.startsWith('/spaced')) {
      let sent = 0;
      const timer = setInterval(() => {
        response.write(line(` ${performance.now()}`));
        if (++sent < SPACED_PIECES) return;
        clearInterval(timer);
        end();
      }, SPACED_MS);
      return;
    }
    const many = line(' word').repeat(100);
    for (let i = 0; i < PIECES / 100; i++) response.write(many);
    end();
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const engines = (path: string): Record<string, LlmEngine> => ({
    card: carded(`${base}/${path}/think`),
    'by hand': byHand(`${base}/${path}`),
  });
  const rates: Record<string, number[]> = { card: [], 'by hand': [] };
  for (let round = 0; round < ROUNDS; round++)
    for (const [name, engine] of Object.entries(engines('fast'))) {
      const from = performance.now();
      const pieces = await drain(engine);
      rates[name]!.push(pieces.length / ((performance.now() - from) / 1000));
      await engine.close();
    }
  const delays: Record<string, number> = {};
  for (const [name, engine] of Object.entries(engines('spaced'))) {
    const pieces = await drain(engine);
    delays[name] = percentile(
      pieces.map(({ text, atMs }) => atMs - Number(text)),
      0.5,
    );
    await engine.close();
  }
  server.closeAllConnections();
  server.close();
  const middle = (name: string) => percentile(rates[name]!, 0.5);
  return {
    piecesASecond: { card: Math.round(middle('card')), byHand: Math.round(middle('by hand')) },
    throughputRatio: Number((middle('card') / middle('by hand')).toFixed(2)),
    delayOfAPieceMs: { card: Number(delays.card!.toFixed(3)), byHand: Number(delays['by hand']!.toFixed(3)) },
    moreAPieceMs: Number((delays.card! - delays['by hand']!).toFixed(3)),
  };
}

/** The demo's card for this protocol, with nothing of ours around but its guard. */
function carded(address: string): LlmEngine {
  const file = fileURLToPath(new URL('../../../demo/engines/thinker.yaml', import.meta.url));
  const card = { ...(parse(readFileSync(file, 'utf8')) as EngineCard), address } as EngineCard;
  const nothing = () => {
    throw new Error('not used');
  };
  return openEngine('card', card, {
    workFolder: '/tmp',
    folder: '.',
    standins: {},
    secrets: {},
    answers: nothing,
    model: nothing,
    page: nothing,
  }) as LlmEngine;
}

function byHand(address: string): LlmEngine {
  return new LinesEngine({
    name: 'hand',
    title: 'by hand',
    where: 'cloud',
    languages: ['en'],
    address,
    patienceMs: 5_000,
  });
}

async function drain(engine: LlmEngine): Promise<{ text: string; atMs: number }[]> {
  const pieces: { text: string; atMs: number }[] = [];
  const request = {
    persona: '',
    messages: [{ role: 'caller' as const, text: 'x' }],
    answerLength: 'short' as const,
    language: 'en',
    talk: 't',
    stay: null,
    signal: new AbortController().signal,
  };
  for await (const event of engine.think(request))
    if (event.kind === 'piece') pieces.push({ text: event.text, atMs: performance.now() });
  return pieces;
}
