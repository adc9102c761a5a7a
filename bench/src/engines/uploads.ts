/**
 * What a card costs where sound goes as a file: ears by a form beside a client written by hand for the same server, and the first
 * sound of a voice in MP3 beside the same voice in PCM.
 */
import { spawnSync } from 'node:child_process';
import { createServer, request as ask } from 'node:http';
import type { AddressInfo } from 'node:net';
import { HOUSE_RATE_HZ, percentile, seeded, wavHead } from '@verbalon/core';
import { openEngine, type SttEngine, type TtsEngine } from '@verbalon/engines';
import type { EngineCard } from '@verbalon/protocol';

const SEGMENTS = 300;
const SEGMENT_S = 4;
const AT_ONCE = 4;
const SPOKEN = 60;
/** The voice sends its sound in pieces of so much, with so much time between, in ms. */
const PIECE_MS = 100;
const VOICE_RATE_HZ = 24_000;

export async function uploadsBench(seed: number): Promise<object> {
  const server = createServer((request, response) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      if (request.method === 'GET') return void response.end('{}');
      if (request.url !== '/mp3' && request.url !== '/pcm')
        return void response.end(JSON.stringify({ text: 'two bunks', bytes: Buffer.concat(chunks).length }));
      void speak(response, sounds[request.url.slice(1) as 'mp3' | 'pcm']);
    });
  });
  const sounds = voiceSounds(seed);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const random = seeded(seed);
  const segment = Int16Array.from({ length: SEGMENT_S * HOUSE_RATE_HZ }, () => (random() - 0.5) * 8_000);
  const ears = opened({ role: 'stt', address: `${base}/hear`, send: { form: 'parts', encoding: 'wav', parts: [{ name: 'file', file: 'a.wav', type: 'audio/wav' }, { name: 'language', value: '{language}' }] }, receive: { form: 'whole', read: [{ final: { text: '/text' } }] } }) as SttEngine; // prettier-ignore
  const ways = { card: () => byCard(ears, segment), 'by hand': () => byHand(`${base}/hear`, segment) };
  const alone: Record<string, number[]> = { card: [], 'by hand': [] };
  for (let i = 0; i < SEGMENTS; i++)
    for (const [name, way] of Object.entries(ways)) alone[name]!.push(await way());
  const rates: Record<string, number> = {};
  for (const [name, way] of Object.entries(ways)) {
    const from = performance.now();
    await Promise.all(Array.from({ length: AT_ONCE }, async () => { for (let i = 0; i < SEGMENTS / AT_ONCE; i++) await way(); })); // prettier-ignore
    rates[name] = SEGMENTS / ((performance.now() - from) / 1000);
  }
  const voices = {
    mp3: opened({ role: 'tts', voices: { a: 'a' }, address: `${base}/mp3`, send: { open: [{ text: '{text}' }] }, receive: { form: 'sound', encoding: 'mp3' } }) as TtsEngine, // prettier-ignore
    pcm: opened({ role: 'tts', voices: { a: 'a' }, address: `${base}/pcm`, send: { open: [{ text: '{text}' }] }, receive: { form: 'sound', encoding: 'pcm16', rateHz: VOICE_RATE_HZ } }) as TtsEngine, // prettier-ignore
  };
  await Promise.all(Object.values(voices).map((voice) => voice.warm()));
  const first: Record<'mp3' | 'pcm', number[]> = { mp3: [], pcm: [] };
  for (let i = 0; i < SPOKEN; i++)
    for (const name of ['mp3', 'pcm'] as const) first[name].push(await firstSound(voices[name]));
  await Promise.all([ears.close(), ...Object.values(voices).map((voice) => voice.close())]);
  server.closeAllConnections();
  server.close();
  const at = (values: number[], share: number) => Number(percentile(values, share).toFixed(2));
  const both = (values: Record<string, number[]>, share: number) =>
    Object.fromEntries(Object.entries(values).map(([name, all]) => [name, at(all, share)]));
  return {
    seed,
    formMsP50: both(alone, 0.5),
    formMsP95: both(alone, 0.95),
    formMoreMs: Number((at(alone.card!, 0.5) - at(alone['by hand']!, 0.5)).toFixed(2)),
    formThroughputRatio: Number((rates.card! / rates['by hand']!).toFixed(2)),
    firstSoundMsP50: both(first, 0.5),
    firstSoundMsP95: both(first, 0.95),
    mp3MoreMs: Number((at(first.mp3, 0.5) - at(first.pcm, 0.5)).toFixed(2)),
  };
}

/** The same sound as raw samples and, by Debian's lame, as MP3, each in pieces of PIECE_MS. */
function voiceSounds(seed: number): Record<'mp3' | 'pcm', Buffer[]> {
  const random = seeded(seed + 1);
  const samples = Int16Array.from(
    { length: 2 * VOICE_RATE_HZ },
    (_, i) => 6_000 * Math.sin(i / 20) + 400 * random(),
  );
  const pcm = Buffer.from(samples.buffer);
  const args = `--quiet -r -s ${VOICE_RATE_HZ / 1000} -m m --bitwidth 16 -b 48 - -`.split(' ');
  const mp3 = spawnSync('lame', args, { input: pcm, maxBuffer: 10_000_000 }).stdout;
  const pieces = (bytes: Buffer) => {
    const size = Math.ceil((bytes.length * PIECE_MS) / 2_000);
    return Array.from({ length: Math.ceil(bytes.length / size) }, (_, i) =>
      bytes.subarray(i * size, (i + 1) * size),
    );
  };
  return { mp3: pieces(mp3), pcm: pieces(pcm) };
}

async function speak(response: NodeJS.WritableStream, pieces: readonly Buffer[]): Promise<void> {
  for (const piece of pieces) {
    response.write(piece);
    await new Promise((done) => setTimeout(done, PIECE_MS / 10));
  }
  response.end();
}

function opened(part: object) {
  const nothing = () => {
    throw new Error('not used');
  };
  const card = { title: 'x', wire: 'http', where: 'on-machine', languages: ['en'], ...part } as EngineCard;
  return openEngine('card', card, { workFolder: '/tmp', folder: '.', standins: {}, secrets: {}, answers: nothing, model: nothing, page: nothing }); // prettier-ignore
}

/** From the end of the segment to its words, in ms. */
async function byCard(ears: SttEngine, segment: Int16Array): Promise<number> {
  const signal = new AbortController().signal;
  const stream = ears.open({ language: 'en', profile: null, talk: 't', stay: null, signal });
  for (let at = 0; at < segment.length; at += 1_600) stream.push(segment.subarray(at, at + 1_600));
  const from = performance.now();
  stream.finish();
  for await (const event of stream.events) if (event.kind === 'final') return performance.now() - from;
  throw new Error('no words');
}

/** The same request as one would write it for this server alone. */
function byHand(address: string, segment: Int16Array): Promise<number> {
  const from = performance.now();
  const boundary = 'x-x-x-x-x-x';
  const head = Buffer.from(
    `--${boundary}\r\ncontent-disposition: form-data; name="file"; filename="a.wav"\r\ncontent-type: audio/wav\r\n\r\n`,
  );
  const tail = Buffer.from(
    `\r\n--${boundary}\r\ncontent-disposition: form-data; name="language"\r\n\r\nen\r\n--${boundary}--\r\n`,
  );
  const sound = Buffer.from(segment.buffer, segment.byteOffset, segment.byteLength);
  const body = Buffer.concat([head, wavHead(1, HOUSE_RATE_HZ, segment.length), sound, tail]);
  return new Promise((resolve, reject) => {
    const one = ask(
      address,
      {
        method: 'POST',
        headers: {
          'content-type': `multipart/form-data; boundary=${boundary}`,
          'content-length': body.length,
        },
      },
      (answer) => {
        let text = '';
        answer.setEncoding('utf8').on('data', (part: string) => (text += part));
        answer.on('end', () => {
          JSON.parse(text);
          resolve(performance.now() - from);
        });
      },
    );
    one.on('error', reject);
    one.end(body);
  });
}

async function firstSound(voice: TtsEngine): Promise<number> {
  const from = performance.now();
  const abort = new AbortController();
  for await (const { samples } of voice.speak({
    text: 'x',
    language: 'en',
    voice: {},
    stay: null,
    signal: abort.signal,
  })) {
    if (samples.length === 0) continue;
    const tookMs = performance.now() - from;
    abort.abort();
    return tookMs;
  }
  throw new Error('no sound');
}
