/** One engine at a time: `transcribe`, `aloud`, `voices`, `ask`. */
import { existsSync, openAsBlob, writeFileSync } from 'node:fs';
import { basename } from 'node:path';
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { SingleBar } from 'cli-progress';
import { HttpClient, ServiceError } from '@verbalon/client';
import { cuesOf, mixDown, pcm16Bytes, readWav, toPcm16, webVtt } from '@verbalon/core';
import type { AloudRequest, Transcript } from '@verbalon/protocol';
import { complaint } from './complain.js';
import { serviceAddress } from './service-address.js';
import { playProgram } from './sound-programs.js';

export interface TranscribeOptions {
  assistant?: string;
  format: 'text' | 'json' | 'vtt';
  spoken?: boolean;
}

export async function transcribeCommand(files: string[], options: TranscribeOptions): Promise<void> {
  const http = new HttpClient(serviceAddress());
  const all: Record<string, unknown>[] = [];
  for (const file of files) {
    try {
      const transcript = await transcribeOne(http, file, options);
      if (options.format === 'json') all.push({ file, ...transcript });
      else process.stdout.write(written(transcript, file, files.length > 1, options));
    } catch (error) {
      // One file that cannot be read keeps nobody from the others.
      process.stderr.write(`${file}: ${complaint(error)}`);
      process.exitCode = 1;
    }
  }
  if (options.format === 'json')
    process.stdout.write(`${JSON.stringify(files.length === 1 ? all[0] : all, null, 2)}\n`);
}

function written(
  transcript: Transcript,
  file: string,
  named: boolean,
  { format, spoken }: TranscribeOptions,
): string {
  if (format === 'vtt') return webVtt(transcript.segments.flatMap(({ words }) => cuesOf(words)));
  const text = spoken ? transcript.spoken : transcript.text;
  return `${named ? `${basename(file)}: ` : ''}${text === '' ? '(no word understood)' : text}\n`;
}

async function transcribeOne(
  http: HttpClient,
  file: string,
  { assistant }: TranscribeOptions,
): Promise<Transcript> {
  if (!existsSync(file)) throw missing(file);
  const bar = process.stderr.isTTY ? new SingleBar({ format: `${basename(file)} {bar} {percentage} % of the sound, {eta_formatted} left`, hideCursor: true }) : null; // prettier-ignore
  let started = false;
  try {
    for await (const event of http.transcribe(await openAsBlob(file), assistant)) {
      if (event.kind === 'done') return event.transcript;
      if (event.kind !== 'progress' || event.ofMs === null) continue;
      if (!started) bar?.start(event.ofMs, event.heardMs);
      started = true;
      bar?.setTotal(event.ofMs);
      bar?.update(event.heardMs);
    }
  } finally {
    bar?.stop();
  }
  throw new ServiceError({
    code: 'unreachable',
    title: 'The service ended before its answer was complete',
    detail: file,
    remedy: 'Try again.',
  });
}

function missing(file: string): ServiceError {
  return new ServiceError({
    code: 'file-missing',
    title: 'There is no such file',
    detail: file,
    remedy: 'Check its name.',
  });
}

export interface AloudOptions extends Omit<AloudRequest, 'text'> {
  to?: string;
  output?: string;
}

export async function aloudCommand(text: string, { to, output, ...request }: AloudOptions): Promise<void> {
  const said = await new HttpClient(serviceAddress()).aloud({ text, ...request });
  const { channels, rateHz } = readWav(said.wav);
  const samples = toPcm16(mixDown(channels));
  const seconds = (samples.length / rateHz).toFixed(1);
  process.stderr.write(
    `${seconds} s of sound; the first of it after ${Math.round(said.firstSoundMs)} ms, all after ${Math.round(said.tookMs)} ms\n`,
  );
  if (to !== undefined) return writeFileSync(to, said.wav);
  await playSamples(samples, rateHz, output);
}

/** Plays to the end. @throws ServiceError when no loudspeaker can be used */
async function playSamples(samples: Int16Array, rateHz: number, output: string | undefined): Promise<void> {
  const [program, args] = playProgram(rateHz, output);
  const speaker = spawn(program, args, { stdio: ['pipe', 'ignore', 'pipe'] });
  let words = '';
  speaker.stderr.setEncoding('utf8').on('data', (part: string) => (words += part));
  speaker.stdin.on('error', () => undefined);
  speaker.stdin.end(pcm16Bytes(samples));
  const [code] = (await once(speaker, 'close')) as [number | null];
  if (code === 0) return;
  throw new ServiceError({
    code: 'loudspeaker-silent',
    title: 'The loudspeaker cannot be used',
    detail: `${program}: ${words.trim().split('\n').at(-1) || `it ended with code ${code}`}`,
    remedy:
      'Choose another with --output (npx verbalon sound lists them), or write to a file with --to FILE.wav.',
  });
}

export async function voicesCommand({
  hear,
  output,
  json,
}: {
  hear?: boolean;
  output?: string;
  json?: boolean;
}): Promise<void> {
  const http = new HttpClient(serviceAddress());
  const voices = await http.voices();
  if (json) return void process.stdout.write(`${JSON.stringify(voices)}\n`);
  for (const { name, engine, languages, usedBy } of voices) {
    const users = usedBy.length === 0 ? '' : `, of ${usedBy.join(' and ')}`;
    process.stdout.write(`${name.padEnd(12)} ${engine}, ${languages.join(' ')}${users}\n`);
    if (!hear) continue;
    const { channels, rateHz } = readWav(
      (await http.aloud({ text: `This is the voice ${name}.`, engine, voice: name })).wav,
    );
    await playSamples(toPcm16(mixDown(channels)), rateHz, output);
  }
}

export async function askCommand(
  text: string,
  { assistant, json }: { assistant?: string; json?: boolean },
): Promise<void> {
  const answer = await new HttpClient(serviceAddress()).question({
    text,
    ...(assistant === undefined ? {} : { assistant }),
  });
  if (json) return void process.stdout.write(`${JSON.stringify(answer)}\n`);
  process.stdout.write(`${answer.text}\n`);
  process.stderr.write(
    `${answer.engine}: first piece after ${Math.round(answer.firstPieceMs)} ms, all after ${Math.round(answer.tookMs)} ms\n`,
  );
}
