/**
 * A stand-in for a language model in a cloud: a process of its own that streams answers over HTTP
 * (docs/stand-in-llm.md). Its delays are drawn from a seed; a request that is closed is cancelled.
 */
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { parseArgs } from 'node:util';
import { knowledgeOf, piecesOf } from '../common/writing.js';
import type { Question } from '../common/answer.js';

const { values } = parseArgs({
  options: {
    knowledge: { type: 'string' },
    port: { type: 'string', default: '0' },
    seed: { type: 'string', default: '1' },
    /** Mean time to the first piece, and pieces a second. */
    'first-piece-ms': { type: 'string', default: '250' },
    'pieces-per-second': { type: 'string', default: '25' },
    /** Every answer has so many words, from a fixed text: for benches. */
    'fixed-words': { type: 'string' },
  },
});

const knowledge = knowledgeOf(values.knowledge);
const firstPieceMs = Number(values['first-piece-ms']);
const betweenPiecesMs = 1000 / Number(values['pieces-per-second']);
const MOST_BODY_BYTES = 1_000_000;
const FIXED =
  'The path over the saddle is open today. There is some loose stone below the second bend, so please keep to the left. ' +
  'Supper is at half past six at every hut, and the wardens are glad when you tell them early how many you are. ';

/** What the process has done, for whoever watches it: `GET /seen`. */
const seen = { asked: 0, finished: 0, cancelled: 0 };
let random = Number(values.seed) >>> 0;

/** A linear congruential generator (Numerical Recipes), so that a seed gives the same delays again. */
function next(): number {
  random = (Math.imul(random, 1664525) + 1013904223) >>> 0;
  return random / 4294967296;
}

/** Between three quarters and one and a half of the mean: most are near it, some are late. */
function around(meanMs: number): number {
  return meanMs * (0.75 + 0.75 * next() ** 2);
}

function piecesFor(question: Question): string[] {
  if (values['fixed-words'] === undefined) return piecesOf(knowledge, question);
  const words = FIXED.repeat(10).split(' ');
  const text = words.slice(0, Number(values['fixed-words'])).join(' ');
  return `${text.replace(/[,.]?$/, '')}.`.match(/\s*\S+/g) ?? [];
}

async function readBody(request: IncomingMessage): Promise<string> {
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of request as AsyncIterable<Buffer>) {
    size += chunk.length;
    if (size > MOST_BODY_BYTES) throw new Error('the body is larger than a megabyte');
    chunks.push(chunk);
  }
  return Buffer.concat(chunks).toString('utf8');
}

async function think(request: IncomingMessage, response: ServerResponse): Promise<void> {
  const question = JSON.parse(await readBody(request)) as Question;
  if (!Array.isArray(question.talkSoFar)) throw new Error('"talkSoFar" is missing');
  seen.asked++;
  const pieces = piecesFor(question);
  const stopped = new AbortController();
  response.on('close', () => stopped.abort());
  response.writeHead(200, { 'content-type': 'application/x-ndjson' });
  response.flushHeaders();
  let dueMs = performance.now() + around(firstPieceMs);
  for (const piece of pieces) {
    await until(dueMs, stopped.signal);
    if (stopped.signal.aborted) break;
    response.write(`${JSON.stringify({ say: piece })}\n`);
    dueMs += around(betweenPiecesMs);
  }
  if (stopped.signal.aborted) {
    seen.cancelled++;
    return;
  }
  seen.finished++;
  const read = question.talkSoFar.reduce((sum, { words }) => sum + words.split(/\s+/).length, 0);
  response.end(`${JSON.stringify({ finished: { read, wrote: pieces.length } })}\n`);
}

function until(dueMs: number, signal: AbortSignal): Promise<void> {
  return new Promise((resolve) => {
    const timer = setTimeout(resolve, Math.max(0, dueMs - performance.now()));
    signal.addEventListener('abort', () => (clearTimeout(timer), resolve()), { once: true });
  });
}

const server = createServer((request, response) => {
  if (request.method === 'POST' && request.url === '/think') {
    think(request, response).catch((error: unknown) => {
      if (!response.headersSent) response.writeHead(400, { 'content-type': 'application/x-ndjson' });
      response.end(
        `${JSON.stringify({ trouble: error instanceof Error ? error.message : String(error) })}\n`,
      );
    });
    return;
  }
  const known = { '/health': { ok: true }, '/seen': seen }[request.url ?? ''];
  response.writeHead(known ? 200 : 404, { 'content-type': 'application/json' });
  response.end(JSON.stringify(known ?? { trouble: 'there is POST /think, GET /health and GET /seen' }));
});
server.listen(Number(values.port), '127.0.0.1', () => {
  process.stdout.write(`ready http://127.0.0.1:${(server.address() as AddressInfo).port}\n`);
});
// Whoever started it holds its standard input: when that closes, nobody needs it any more.
process.stdin.on('end', () => process.exit(0)).resume();
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => process.exit(0));
