/**
 * Birch, another made-up cloud: hearing as a streamed HTTP body answered by lines of JSON, writing over a
 * socket, speaking over a socket with sound in base64 and the ends of words. Its key is a bearer token.
 * docs/stand-in-clouds.md
 */
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { WebSocket } from 'ws';
import { Hearing } from '../common/hearing.js';
import { floatsOf } from '../common/wav.js';
import { options } from '../common/options.js';
import { Cut, Panel, Refusal, until, type Role } from '../common/panel.js';
import { Recordings } from '../common/recordings.js';
import { open } from '../common/server.js';
import { marksOf, speak } from '../common/speaking.js';
import { knowledgeOf, piecesOf } from '../common/writing.js';

const VOICES: Record<string, string> = { B1: 'en-us', B2: 'en-gb+f2', B7: 'de+f2' };
const SOUND_PIECE_BYTES = 6_400;

const given = options('330');
const panel = new Panel(given.seed, given.limits);
const knowledge = knowledgeOf(given.knowledge);
const recordings = given.recordings === undefined ? null : new Recordings(given.recordings);
const keyIsRight = (request: IncomingMessage) => request.headers.authorization === `Bearer ${given.key}`;

async function hear(
  request: IncomingMessage,
  response: ServerResponse,
  _url: URL,
  gone: AbortSignal,
): Promise<void> {
  const told = await panel.begin('stt', keyIsRight(request));
  const hearing = recordings && new Hearing(recordings);
  response.writeHead(200, { 'content-type': 'application/x-ndjson' });
  response.flushHeaders();
  const tell = async (message: object) => {
    const whole = await told.piece(gone);
    if (!gone.aborted) response.write(whole ? `${JSON.stringify(message)}\n` : '{"sealed":\n');
  };
  let odd: Buffer = Buffer.alloc(0);
  for await (const chunk of request as AsyncIterable<Buffer>) {
    const all = Buffer.concat([odd, chunk]);
    odd = all.subarray(all.length - (all.length % 2));
    hearing?.push(floatsOf(all));
    const words = hearing?.guess();
    if (!words || told.has('late-partials')) continue;
    await tell({ sealed: false, line: words.map(({ word }) => word).join(' ') });
    if (told.has('double-partials'))
      await tell({ sealed: false, line: words.map(({ word }) => word).join(' ') });
  }
  await until(performance.now() + panel.around(given.awayMs + 40), gone);
  const words = (hearing?.final() ?? []).map(({ word, fromMs, toMs }) => ({
    text: word,
    at: Math.round(fromMs),
    to: Math.round(toMs),
  }));
  await tell({ sealed: true, line: words.map(({ text }) => text).join(' '), words });
  response.end();
  told.over(gone.aborted ? 'cancelled' : 'finished');
}

/** One order a connection, which is a request of `role`. */
function answering<T>(
  role: Role,
  work: (
    order: T,
    told: Awaited<ReturnType<Panel['begin']>>,
    line: WebSocket,
    gone: AbortSignal,
  ) => Promise<void>,
) {
  return async (line: WebSocket, _request: IncomingMessage, _url: URL, gone: AbortSignal) => {
    line.on('message', (data: Buffer) => {
      const order = JSON.parse(data.toString('utf8')) as T;
      panel
        .begin(role, true)
        .then(async (told) => {
          line.on('close', () => told.over('cancelled'));
          await work(order, told, line, gone);
          told.over(gone.aborted ? 'cancelled' : 'finished');
        })
        .catch((error: unknown) => {
          if (!(error instanceof Refusal)) return error instanceof Cut ? line.terminate() : line.close(1011);
          line.send(JSON.stringify({ wrong: { number: error.status, text: error.why } }));
          line.close(1008);
        });
    });
  };
}

interface Asking {
  ask: { about: string; language: string; said: { by: 'them' | 'us'; words: string }[] };
}

const write = answering<Asking>('llm', async ({ ask }, told, line, gone) => {
  const talkSoFar = ask.said.map(({ by, words }) => ({
    by: by === 'them' ? ('caller' as const) : ('assistant' as const),
    words,
  }));
  panel.seen.texts.push(talkSoFar.at(-1)?.words ?? '');
  const pieces = piecesOf(knowledge, {
    persona: ask.about,
    talkSoFar,
    answerLength: 'short',
    language: ask.language,
  });
  let dueMs = performance.now() + panel.around(given.firstPieceMs);
  for (const bit of pieces) {
    await until(dueMs, gone);
    if (gone.aborted) return;
    line.send((await told.piece(gone)) ? JSON.stringify({ bit }) : '{"bit": ');
    dueMs = Math.max(dueMs, performance.now() - 50) + panel.around(given.betweenMs);
  }
  const read = talkSoFar.reduce((sum, { words }) => sum + words.split(/\s+/).length, 0);
  line.send(JSON.stringify({ fin: true, tokens: [read, pieces.length] }));
});

interface Saying {
  text: string;
  voice: string;
  tempo: number;
}

const say = answering<Saying>('tts', async ({ text, voice, tempo }, told, line, gone) => {
  const own = VOICES[voice];
  if (own === undefined) throw new Refusal(404, `no voice ${voice}`);
  panel.seen.texts.push(text);
  const { pcm, rateHz } = await speak(text, own, tempo / 100, gone);
  await until(performance.now() + panel.around(90 + given.awayMs), gone);
  line.send(JSON.stringify({ ends: marksOf(text, pcm.length / 2 / (rateHz / 1000)) }));
  for (let at = 0; at < pcm.length && !gone.aborted; at += SOUND_PIECE_BYTES) {
    const part = pcm.subarray(at, at + SOUND_PIECE_BYTES);
    const sound = told.has('wrong-rate') ? Buffer.from(part.filter((_, i) => i % 4 < 2)) : part;
    line.send((await told.piece(gone)) ? JSON.stringify({ clip: sound.toString('base64') }) : 'clip');
    await until(performance.now() + 20, gone);
  }
  line.send(JSON.stringify({ over: true }));
});

open({
  panel,
  port: given.port,
  http: { 'POST /hear': hear },
  sockets: { '/write': write, '/say': say },
  allows: keyIsRight,
});
