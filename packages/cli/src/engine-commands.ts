/** One engine at a time: `transcribe`, `aloud`, `voices`, `ask`. */
import { existsSync, openAsBlob, writeFileSync } from 'node:fs';
import { buffer, text as textFrom } from 'node:stream/consumers';
import { basename } from 'node:path';
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { SingleBar } from 'cli-progress';
import { ServiceError, type HttpClient } from '@verbalon/client';
import { cuesOf, mixDown, pcm16Bytes, readWav, toPcm16, webVtt } from '@verbalon/core';
import type { AloudRequest, Transcript } from '@verbalon/protocol';
import { complaint, exitCodeOf } from './complain.js';
import { terminal } from './terminal.js';
import { service } from './service-address.js';
import { playProgram } from './sound-programs.js';

export interface TranscribeOptions {
  assistant?: string;
  engine?: string;
  format: 'text' | 'json' | 'vtt';
  json?: boolean;
  spoken?: boolean;
}

/** Stands for standard input, or standard output. */
const STANDARD = '-';

export async function transcribeCommand(files: string[], given: TranscribeOptions): Promise<void> {
  const options = { ...given, format: given.json ? ('json' as const) : given.format };
  const http = service();
  const all: Record<string, unknown>[] = [];
  for (const file of files) {
    try {
      const transcript = await transcribeOne(http, file, options);
      if (options.format === 'json') all.push({ file, ...transcript });
      else terminal.stdout.write(written(transcript, file, files.length > 1, options));
    } catch (error) {
      // One file that cannot be read keeps nobody from the others.
      terminal.stderr.write(`${file}: ${complaint(error)}`);
      terminal.exitCode = exitCodeOf(error);
    }
  }
  if (options.format === 'json')
    terminal.stdout.write(`${JSON.stringify(files.length === 1 ? all[0] : all, null, 2)}\n`);
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
  { assistant, engine }: TranscribeOptions,
): Promise<Transcript> {
  const sound = await soundOf(file);
  const bar = terminal.stderr.isTTY
    ? new SingleBar({
        format: `${basename(file)} {bar} {percentage} % of the sound, {eta_formatted} left`,
        hideCursor: true,
      })
    : null;
  let started = false;
  try {
    for await (const event of http.transcribe(sound, { assistant, engine })) {
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

export async function aloudCommand(given: string, { to, output, ...request }: AloudOptions): Promise<void> {
  const text = await textOr(given);
  const said = await service().aloud({ text, ...request });
  const { channels, rateHz } = readWav(said.wav);
  const samples = toPcm16(mixDown(channels));
  const seconds = (samples.length / rateHz).toFixed(1);
  terminal.stderr.write(
    `${seconds} s of sound; the first of it after ${Math.round(said.firstSoundMs)} ms, all after ${Math.round(said.tookMs)} ms\n`,
  );
  if (to === STANDARD) return void terminal.stdout.write(said.wav);
  if (to !== undefined) return writeFileSync(to, said.wav);
  await playSamples(samples, rateHz, output);
}

/** A recording, or what comes on standard input. @throws ServiceError where there is no such file */
async function soundOf(file: string): Promise<Blob> {
  if (file === STANDARD) return new Blob([await buffer(terminal.stdin)]);
  if (!existsSync(file)) throw missing(file);
  return openAsBlob(file);
}

/** The text, or what stands on standard input. */
async function textOr(given: string): Promise<string> {
  return given === STANDARD ? (await textFrom(terminal.stdin)).trim() : given;
}

/** Plays to the end. @throws ServiceError when no loudspeaker can be used */
async function playSamples(samples: Int16Array, rateHz: number, output: string | undefined): Promise<void> {
  const [program, args] = playProgram(rateHz, output);
  const speaker = spawn(program, args, { stdio: ['pipe', 'ignore', 'pipe'], env: terminal.env });
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
      'Choose another with --output (verbalon sound lists them), or write to a file with --to FILE.wav.',
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
  const http = service();
  const voices = await http.voices();
  if (json) return void terminal.stdout.write(`${JSON.stringify(voices)}\n`);
  for (const { name, engine, languages, usedBy } of voices) {
    const users = usedBy.length === 0 ? '' : `, of ${usedBy.join(' and ')}`;
    terminal.stdout.write(`${name.padEnd(12)} ${engine}, ${languages.join(' ')}${users}\n`);
    if (!hear) continue;
    const { channels, rateHz } = readWav(
      (await http.aloud({ text: `This is the voice ${name}.`, engine, voice: name })).wav,
    );
    await playSamples(toPcm16(mixDown(channels)), rateHz, output);
  }
}

export async function askCommand(
  text: string,
  { json, ...who }: { assistant?: string; engine?: string; conversation?: string; json?: boolean },
): Promise<void> {
  const answer = await service().question({ text: await textOr(text), ...who });
  if (json) return void terminal.stdout.write(`${JSON.stringify(answer)}\n`);
  terminal.stdout.write(`${answer.text}\n`);
  terminal.stderr.write(
    `${answer.engine}: first piece after ${Math.round(answer.firstPieceMs)} ms, all after ${Math.round(answer.tookMs)} ms; go on with --conversation ${answer.conversation}\n`,
  );
}

export interface ExchangeOptions {
  assistant?: string;
  conversation?: string;
  to?: string;
  output?: string;
  json?: boolean;
}

export async function exchangeCommand(
  file: string,
  { to, output, json, ...who }: ExchangeOptions,
): Promise<void> {
  const sound = await soundOf(file);
  const { speech, ...told } = await service().exchange(sound, who);
  const wav = Buffer.from(speech, 'base64');
  if (json) terminal.stdout.write(`${JSON.stringify(told)}\n`);
  else if (to !== STANDARD)
    terminal.stdout.write(
      `${told.understood === '' ? '(no word understood)' : told.understood}\n→ ${told.answer}\n`,
    );
  terminal.stderr.write(
    `after ${Math.round(told.tookMs)} ms; go on with --conversation ${told.conversation}\n`,
  );
  if (to === STANDARD) return void terminal.stdout.write(wav);
  if (to !== undefined) return writeFileSync(to, wav);
  if (json) return;
  const { channels, rateHz } = readWav(wav);
  await playSamples(toPcm16(mixDown(channels)), rateHz, output);
}
