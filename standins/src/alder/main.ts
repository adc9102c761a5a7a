/**
 * Alder, a made-up cloud: hearing over a socket (sound as it is, JSON back), writing as server-sent events,
 * speaking as raw sound in one streamed body. Its key goes in a header. docs/stand-in-clouds.md
 */
import type { IncomingMessage, ServerResponse } from 'node:http';
import type { WebSocket } from 'ws';
import { Hearing } from '../common/hearing.js';
import { floatsOf } from '../common/wav.js';
import { options } from '../common/options.js';
import { Cut, Panel, Refusal, until, type Request } from '../common/panel.js';
import { Recordings, type Word } from '../common/recordings.js';
import { bodyOf, open } from '../common/server.js';
import { speak } from '../common/speaking.js';
import { knowledgeOf, piecesOf } from '../common/writing.js';

const VOICES: Record<string, string> = { wren: 'en-gb', finch: 'en-us+f3', meise: 'de' };
const SOUND_PIECE_BYTES = 8_820;

const given = options('220');
const panel = new Panel(given.seed, given.limits);
const knowledge = knowledgeOf(given.knowledge);
const recordings = given.recordings === undefined ? null : new Recordings(given.recordings);
const keyIsRight = (request: IncomingMessage) => request.headers['x-alder-key'] === given.key;

async function hear(line: WebSocket, _request: IncomingMessage, _url: URL, gone: AbortSignal): Promise<void> {
  const hearing = recordings && new Hearing(recordings);
  let told: Request | undefined;
  const say = async (message: object) => {
    await until(performance.now() + panel.around(given.awayMs), gone);
    if (gone.aborted) return;
    const whole = await told!.piece(gone);
    line.send(whole ? JSON.stringify(message) : '{"type": gue');
  };
  const guess = (words: Word[]) => ({ type: 'guess', text: words.map(({ word }) => word).join(' ') });
  let order = Promise.resolve();
  const fail = (error: unknown) => (error instanceof Cut ? line.terminate() : line.close(1011));
  const next = (work: () => Promise<void>) => (order = order.then(work).catch(fail));
  line.on('message', (data: Buffer, isBinary) => {
    if (isBinary) {
      hearing?.push(floatsOf(data));
      const words = hearing?.guess();
      if (!words) return;
      return void next(async () => {
        if (told?.has('late-partials')) return;
        await say(guess(words));
        if (told?.has('double-partials')) await say(guess(words));
      });
    }
    const { op } = JSON.parse(data.toString('utf8')) as { op: string };
    if (op === 'stop') return told?.over('cancelled');
    if (op === 'begin')
      return void next(async () => {
        told = await panel.begin('stt', true).catch(async (error: unknown) => {
          if (error instanceof Refusal)
            line.send(JSON.stringify({ type: 'fault', code: error.status, why: error.why }));
          throw error;
        });
      });
    if (op !== 'flush') return;
    const words = hearing?.final() ?? [];
    next(async () => (told?.has('late-partials') ? say(guess(words)) : undefined));
    next(async () => {
      const listed = words.map(({ word, fromMs, toMs }) => ({
        word,
        startS: fromMs / 1000,
        endS: toMs / 1000,
        sure: 0.97,
      }));
      await say({ type: 'sure', text: words.map(({ word }) => word).join(' '), words: listed, also: [] });
      await say({ type: 'done' });
      told?.over('finished');
    });
  });
  line.on('close', () => told?.over('cancelled'));
}

interface Writing {
  model: string;
  brief: string;
  tongue?: string;
  turns: { who: 'guest' | 'host'; say: string }[];
}

async function write(
  request: IncomingMessage,
  response: ServerResponse,
  _url: URL,
  gone: AbortSignal,
): Promise<void> {
  const told = await panel.begin('llm', keyIsRight(request));
  const { brief, tongue, turns } = JSON.parse((await bodyOf(request)).toString('utf8')) as Writing;
  const talkSoFar = turns.map(({ who, say }) => ({
    by: who === 'guest' ? ('caller' as const) : ('assistant' as const),
    words: say,
  }));
  panel.seen.texts.push(talkSoFar.at(-1)?.words ?? '');
  const pieces = piecesOf(knowledge, {
    persona: brief,
    talkSoFar,
    answerLength: 'short',
    language: tongue ?? 'en',
  });
  response.writeHead(200, { 'content-type': 'text/event-stream' });
  response.flushHeaders();
  let dueMs = performance.now() + panel.around(given.firstPieceMs);
  for (const piece of pieces) {
    await until(dueMs, gone);
    if (gone.aborted) return told.over('cancelled');
    const whole = await told.piece(gone);
    response.write(whole ? `data: ${JSON.stringify({ more: piece })}\n\n` : 'data: {"more": oops\n\n');
    dueMs = Math.max(dueMs, performance.now() - 50) + panel.around(given.betweenMs);
  }
  const read = talkSoFar.reduce(
    (sum, { words }) => sum + words.split(/\s+/).length,
    brief.split(/\s+/).length,
  );
  response.write(`data: ${JSON.stringify({ used: { read, wrote: pieces.length } })}\n\n`);
  response.end('data: over\n\n');
  told.over('finished');
}

async function say(
  request: IncomingMessage,
  response: ServerResponse,
  _url: URL,
  gone: AbortSignal,
): Promise<void> {
  const told = await panel.begin('tts', keyIsRight(request));
  const { text, voice, pace } = JSON.parse((await bodyOf(request)).toString('utf8')) as {
    text: string;
    voice: string;
    pace: number;
  };
  const own = VOICES[voice];
  if (own === undefined)
    throw new Refusal(404, `there is no voice ${voice}; there are ${Object.keys(VOICES).join(', ')}`);
  panel.seen.texts.push(text);
  const { pcm } = await speak(text, own, pace, gone);
  await until(performance.now() + panel.around(60 + given.awayMs), gone);
  response.writeHead(200, { 'content-type': 'audio/l16;rate=22050' });
  for (let at = 0; at < pcm.length && !gone.aborted; at += SOUND_PIECE_BYTES) {
    const whole = await told.piece(gone);
    const part = pcm.subarray(at, at + SOUND_PIECE_BYTES);
    // At the wrong rate every second sample is missing.
    const wrong = () => Buffer.from(part.filter((_, i) => i % 4 < 2));
    response.write(whole ? (told?.has('wrong-rate') ? wrong() : part) : Buffer.from('<html>'));
    await until(performance.now() + 25, gone);
  }
  response.end();
  told.over(gone.aborted ? 'cancelled' : 'finished');
}

open({
  panel,
  port: given.port,
  http: { 'POST /write': write, 'POST /speak': say },
  sockets: { '/hear': hear },
  allows: keyIsRight,
});
