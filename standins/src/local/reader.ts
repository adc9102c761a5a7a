/**
 * A local server as people run them beside their assistant: a voice that gives whole WAV files; it takes a
 * moment to load.
 */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { options } from '../common/options.js';
import { Panel, Refusal } from '../common/panel.js';
import { open } from '../common/server.js';
import { speak } from '../common/speaking.js';
import { wavHead } from '../common/wav.js';

const LOADING_MS = 800;
const given = options('0');
const panel = new Panel(given.seed, given.limits);
const readyAt = performance.now() + LOADING_MS;

async function read(
  _request: IncomingMessage,
  response: ServerResponse,
  url: URL,
  gone: AbortSignal,
): Promise<void> {
  if (performance.now() < readyAt) throw new Refusal(503, 'the voice is being loaded');
  const told = await panel.begin('tts', true);
  const { pcm, rateHz } = await speak(
    url.searchParams.get('text') ?? '',
    url.searchParams.get('voice') ?? 'en-gb',
    1,
    gone,
  );
  response.writeHead(200, { 'content-type': 'audio/wav' });
  response.end(Buffer.concat([wavHead(1, rateHz, pcm.length), pcm]));
  told.over('finished');
}

function health(_request: IncomingMessage, response: ServerResponse): Promise<void> {
  response.writeHead(performance.now() < readyAt ? 503 : 200).end();
  return Promise.resolve();
}

open({ panel, port: given.port, http: { 'GET /read': read, 'GET /health': health } });
