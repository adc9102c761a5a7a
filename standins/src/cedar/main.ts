/**
 * Cedar, a made-up provider of the kind that takes one file and gives one answer: hearing by an upload,
 * writing with functions and as JSON, a voice in MP3, and one behind a pass that must be fetched.
 * docs/stand-in-clouds.md
 */
import { randomBytes } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { Hearing } from '../common/hearing.js';
import { floatsOf } from '../common/wav.js';
import { options } from '../common/options.js';
import { Panel, Refusal, until } from '../common/panel.js';
import { Recordings } from '../common/recordings.js';
import { bodyOf, open } from '../common/server.js';
import { speak } from '../common/speaking.js';
import { knowledgeOf } from '../common/writing.js';
import { brokenLog, deedFor, wordsFor, type Asked } from './asking.js';
import { asMp3, asStereoWav } from './packed.js';
import { partsOf } from './parts.js';

const VOICES: Record<string, string> = { one: 'en-gb', two: 'en-us+f3' };
const PASS_S = 30;
const CLIP_PIECE = 12_000;

const given = options('200');
const panel = new Panel(given.seed, given.limits);
const knowledge = knowledgeOf(given.knowledge);
const recordings = given.recordings === undefined ? null : new Recordings(given.recordings);
/** Passes that were given out, with the time until which they hold. */
const passes = new Map<string, number>();

const json = (response: ServerResponse, body: unknown) => {
  response.writeHead(200, { 'content-type': 'application/json' });
  response.end(JSON.stringify(body));
};

/** A file in a form: 16-bit WAV of one channel; whatever its rate, the ears want to know it from the head. */
async function hear(
  request: IncomingMessage,
  response: ServerResponse,
  url: URL,
  gone: AbortSignal,
): Promise<void> {
  const told = await panel.begin('stt', url.searchParams.get('key') === given.key);
  const form = await partsOf(request);
  const clip = form.get('clip');
  if (!clip || typeof clip === 'string') throw new Refusal(422, 'there is no file "clip"');
  const bytes = Buffer.from(await clip.arrayBuffer());
  if (bytes.toString('latin1', 0, 4) !== 'RIFF' || bytes.readUInt32LE(40) !== bytes.length - 44)
    throw new Refusal(415, 'the clip is no whole WAV file');
  const hearing = recordings && new Hearing(recordings, bytes.readUInt32LE(24));
  hearing?.push(floatsOf(bytes.subarray(44)));
  const words = hearing?.final() ?? [];
  await until(performance.now() + panel.around(given.awayMs + 60), gone);
  if (!(await told.piece(gone))) return void response.end('{"heard":');
  // Words of the recordings have capitals and marks, as such engines write.
  const tokens = words.map(({ word }) => word);
  const shown = tokens.join(' ');
  json(response, {
    tongue: form.get('tongue'),
    heard: shown,
    marks: words.map(({ fromMs, toMs }, i) => ({ w: tokens[i], a: fromMs / 1000, z: toMs / 1000 })),
  });
  told.over('finished');
}

/**
 * Lines: `{bit}` of words, `{deed}` in pieces, `{over}`. With `shape: say` the bits are pieces of a JSON text
 * `{"mood", "say"}`.
 */
async function consider(
  request: IncomingMessage,
  response: ServerResponse,
  url: URL,
  gone: AbortSignal,
): Promise<void> {
  const told = await panel.begin('llm', url.searchParams.get('key') === given.key);
  const asked = JSON.parse((await bodyOf(request)).toString('utf8')) as Asked & { shape?: string };
  const broken = brokenLog(asked.log);
  if (broken !== null) throw new Refusal(422, broken);
  const last = asked.log.at(-1);
  panel.seen.texts.push(last?.from === 'deed' ? last.gave : (last?.words ?? ''));
  response.writeHead(200, { 'content-type': 'application/x-ndjson' });
  response.flushHeaders();
  const put = async (line: object) => {
    if (!gone.aborted) response.write((await told.piece(gone)) ? `${JSON.stringify(line)}\n` : '{"bit":\n');
  };
  await until(performance.now() + panel.around(given.firstPieceMs), gone);
  const deed = deedFor(asked);
  const words = deed ? ['One', ' moment.'] : wordsFor(knowledge, asked);
  const bits =
    asked.shape === 'say'
      ? JSON.stringify({ mood: 'calm', say: words.join('').trim() }).match(/.{1,7}/gs)!
      : words;
  for (const bit of bits) {
    await put({ bit });
    await until(performance.now() + panel.around(given.betweenMs), gone);
  }
  if (deed) {
    const text = JSON.stringify(deed.with);
    await put({ deed: { at: 0, ref: deed.ref, what: deed.what } });
    for (const part of text.match(/.{1,6}/gs)!) await put({ deed: { at: 0, with: part } });
  }
  await put({ over: { read: asked.log.length * 9, wrote: bits.length } });
  response.end();
  told.over(gone.aborted ? 'cancelled' : 'finished');
}

async function say(
  request: IncomingMessage,
  response: ServerResponse,
  url: URL,
  gone: AbortSignal,
): Promise<void> {
  const told = await panel.begin('tts', url.searchParams.get('key') === given.key);
  const { line, who } = JSON.parse((await bodyOf(request)).toString('utf8')) as { line: string; who: string };
  panel.seen.texts.push(line);
  const clip = await speak(line, voiceOf(who), 1, gone);
  await until(performance.now() + panel.around(80 + given.awayMs), gone);
  response.writeHead(200, { 'content-type': 'audio/mpeg' });
  for await (const part of asMp3(clip, gone)) if (await told.piece(gone)) response.write(part);
  response.end();
  told.over(gone.aborted ? 'cancelled' : 'finished');
}

/** The door at which a pass is fetched, with the key as a name and a password (RFC 7617). */
async function door(request: IncomingMessage, response: ServerResponse): Promise<void> {
  await bodyOf(request);
  const name = Buffer.from((request.headers.authorization ?? '').replace(/^Basic /, ''), 'base64').toString(
    'utf8',
  );
  if (name !== `verbalon:${given.key}`) throw new Refusal(401, 'nobody of that name');
  const pass = randomBytes(12).toString('hex');
  passes.set(pass, performance.now() + PASS_S * 1000);
  json(response, { pass, lasts: PASS_S });
}

/** Server-sent events with a stereo WAV file in base64, in pieces. */
async function sing(
  request: IncomingMessage,
  response: ServerResponse,
  _url: URL,
  gone: AbortSignal,
): Promise<void> {
  const pass = String(request.headers['x-pass'] ?? '');
  const told = await panel.begin('tts', (passes.get(pass) ?? 0) > performance.now());
  const { line, who } = JSON.parse((await bodyOf(request)).toString('utf8')) as { line: string; who: string };
  panel.seen.texts.push(line);
  const wav = asStereoWav(await speak(line, voiceOf(who), 1, gone)).toString('base64');
  response.writeHead(200, { 'content-type': 'text/event-stream' });
  for (let at = 0; at < wav.length; at += CLIP_PIECE)
    if (await told.piece(gone))
      response.write(`data: ${JSON.stringify({ wave: wav.slice(at, at + CLIP_PIECE) })}\n\n`);
  response.end('data: {"still":true}\n\n');
  told.over(gone.aborted ? 'cancelled' : 'finished');
}

/** Takes every pass back, as a provider does. */
function close(_request: IncomingMessage, response: ServerResponse): Promise<void> {
  passes.clear();
  return Promise.resolve(json(response, { ok: true }));
}

function voiceOf(who: string): string {
  const own = VOICES[who];
  if (own === undefined) throw new Refusal(404, `no voice ${who}`);
  return own;
}

open({
  panel,
  port: given.port,
  http: {
    'POST /hear': hear,
    'POST /consider': consider,
    'POST /say': say,
    'POST /door': door,
    'DELETE /door': close,
    'POST /sing': sing,
  },
});
