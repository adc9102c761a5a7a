/**
 * A project whose engines answer at once, for tests that hear nothing: the demo's errands and contacts, ears
 * and a voice that cost nothing, and only the stand-ins that a test names.
 */
import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { parse, stringify } from 'yaml';
import { HOUSE_RATE_HZ, pcm16Bytes } from '@verbalon/core';
import { demoCopy } from './service.js';

/** A word of the voice is a tone of this length where none is given, in ms: nobody waits for it. */
const WORD_MS = 30;
const TONE_HZ = 440;
const LOUDNESS = 8_000;

const tone = (ms: number): Buffer =>
  Buffer.from(
    pcm16Bytes(
      Int16Array.from(
        { length: (ms * HOUSE_RATE_HZ) / 1000 },
        (_, i) => LOUDNESS * Math.sin((2 * Math.PI * TONE_HZ * i) / HOUSE_RATE_HZ),
      ),
    ),
  );

let engines: Promise<string> | null = null;

/** Where ears that hear "hello" and a voice of tones answer, as long as the tests of this file run. */
function enginesAtOnce(): Promise<string> {
  engines ??= new Promise((done) => {
    const server: Server = createServer((request, response) => {
      const parts: Buffer[] = [];
      request.on('data', (part: Buffer) => parts.push(part));
      request.on('end', () => {
        if (request.method === 'GET') return void response.end('{}');
        if (request.url === '/hear') return void response.end('{"text":"hello"}');
        const { text } = JSON.parse(Buffer.concat(parts).toString()) as { text: string };
        const wordMs = Number(new URL(request.url!, 'http://x').searchParams.get('wordMs'));
        response.end(tone(text.split(/\s+/).length * wordMs));
      });
    });
    server.listen(0, '127.0.0.1', () => {
      // It keeps no test from ending.
      server.unref();
      done(`http://127.0.0.1:${(server.address() as AddressInfo).port}`);
    });
  });
  return engines;
}

const EARS = (address: string) => `title: Ears that hear hello
role: stt
where: on-machine
wire: http
languages: [en]
address: ${address}/hear
send: { form: parts, encoding: wav, parts: [{ name: file, file: a.wav, type: audio/wav }] }
receive: { form: whole, read: [{ final: { text: /text } }] }
`;

const VOICE = (address: string, wordMs: number) => `title: A voice of tones
role: tts
where: on-machine
wire: http
languages: [en]
voices: { linnet: a, dunlin: b, wren: c }
address: ${address}/say?wordMs=${wordMs}
send: { open: [{ text: '{text}' }] }
receive: { form: sound, encoding: pcm16, rateHz: ${HOUSE_RATE_HZ} }
`;

interface Light {
  /** Stand-ins to start, by their names. */
  standins?: readonly string[];
  /** More of the demo's engines; `echo` is there always. */
  engines?: readonly string[];
  /** Files of assistants; null takes the demo's own, with a model that is there. `tansy` by itself. */
  assistants?: Readonly<Record<string, string | null>>;
  wordMs?: number;
}

/** Its folder, newly made; a test may change it. */
export async function lightProject({
  standins = [],
  engines: more = [],
  assistants = { tansy: null },
  wordMs = WORD_MS,
}: Light = {}): Promise<string> {
  const project = demoCopy();
  const address = await enginesAtOnce();
  const kept = new Set(['ears', 'voice', 'echo', ...more].map((name) => `${name}.yaml`));
  for (const name of readdirSync(join(project, 'engines')))
    if (!kept.has(name)) rmSync(join(project, 'engines', name));
  writeFileSync(join(project, 'engines/ears.yaml'), EARS(address));
  writeFileSync(join(project, 'engines/voice.yaml'), VOICE(address, wordMs));
  const errands = keepErrands(join(project, 'errands'), standins);
  const folder = join(project, 'assistants');
  const own = new Map(Object.keys(assistants).map((name) => [`${name}.yaml`, assistants[name]]));
  const model = more.includes('thinker') ? 'thinker' : 'echo';
  for (const name of readdirSync(folder)) {
    const path = join(folder, name);
    if (own.get(name) === null) writeFileSync(path, atHome(path, model, errands, standins));
    else if (name.endsWith('.yaml')) rmSync(path);
  }
  for (const [name, text] of own) if (typeof text === 'string') writeFileSync(join(folder, name), text);
  keepStandins(join(project, 'project.yaml'), standins, Object.keys(assistants)[0]!);
  return project;
}

/** Only those that need no other stand-in. @returns their files */
function keepErrands(folder: string, standins: readonly string[]): string[] {
  for (const name of readdirSync(folder))
    if (leadsAway(join(folder, name), standins)) rmSync(join(folder, name));
  return readdirSync(folder);
}

/** It needs a stand-in that is not started. */
const leadsAway = (path: string, standins: readonly string[]): boolean =>
  [...readFileSync(path, 'utf8').matchAll(/standin:(\w+)/g)].some(([, name]) => !standins.includes(name!));

/** An assistant of the demo, with what is left of it. */
function atHome(path: string, llm: string, errands: readonly string[], standins: readonly string[]): string {
  const { origins, ...file } = parse(readFileSync(path, 'utf8')) as {
    origins?: string[];
    errands?: string[];
  };
  return stringify({
    ...file,
    lineup: { stt: 'ears', llm, tts: 'voice' },
    ...(origins && standins.includes('site') ? { origins } : {}),
    ...(file.errands ? { errands: file.errands.filter((name) => errands.includes(`${name}.yaml`)) } : {}),
  });
}

/** What was sent to a stand-in that is not there goes nowhere. */
const NOWHERE = { webhook: 'http://127.0.0.1:9/messages' };

function keepStandins(path: string, names: readonly string[], assistant: string): void {
  const file = parse(readFileSync(path, 'utf8')) as { standins: { name: string }[]; messages: object };
  const standins = file.standins.filter(({ name }) => names.includes(name));
  const messages = names.includes('messenger') ? file.messages : { messenger: NOWHERE };
  writeFileSync(path, stringify({ ...file, assistant, standins, messages }));
}
