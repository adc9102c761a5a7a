/** `verbalon talk` and `verbalon listen`. */
import { readFileSync, writeFileSync } from 'node:fs';
import { isFedLines } from './standard-input.js';
import { terminal } from './terminal.js';
import { typedCommand } from './typed-command.js';
import { createInterface, type Interface } from 'node:readline';
import { callWithRecording, type RecordedCall } from '@verbalon/client/node';
import { writeWav } from '@verbalon/core';
import type { ServiceMessage } from '@verbalon/protocol';
import { EXIT } from './complain.js';
import { keysOf, liveCall, type CallKeys, type LiveCall } from './live-call.js';
import { TalkPrinter } from './print-talk.js';
import { knownEcho } from './own-voice.js';
import { ScreenModel } from './screen-model.js';
import { service, serviceAddress, serviceKey } from './service-address.js';
import { echoTest } from './sound-command.js';

export interface TalkCommandOptions {
  from?: string;
  save?: string;
  json?: boolean;
  type?: boolean;
  plain?: boolean;
  device?: boolean;
  headphones?: boolean;
  echoTest?: boolean;
  push?: boolean;
  once?: boolean;
  language?: string;
  input?: string;
  output?: string;
}

const CONNECTION_WORDS = {
  lost: 'the connection was lost; trying again',
  back: 'the connection is back',
};

/** Where a talk is shown: in lines, as JSON, or on the whole screen. */
interface Show {
  message(message: ServiceMessage): void;
  notice(words: string): void;
  connection(state: 'lost' | 'back'): void;
  sound(samples: Int16Array, rateHz: number): void;
  played(speech: number, playedMs: number, atMs: number): void;
  keys(keys: CallKeys): void;
  close(): void;
}

export async function talkCommand(
  purpose: 'talk' | 'listen',
  assistant: string | undefined,
  options: TalkCommandOptions,
): Promise<void> {
  if (options.from === undefined && options.echoTest)
    await echoTest(options, (text) => terminal.stderr.write(`verbalon: ${text}\n`));
  if (purpose === 'listen' && options.once) return listenOnce(assistant, options);
  const isTyped = options.type ?? (options.from === undefined && isFedLines());
  if (purpose === 'talk' && isTyped && options.from === undefined) return typedCommand(assistant, options);
  const isTerminal = terminal.stdout.isTTY && terminal.stdin.isTTY;
  const full =
    options.device === true || (purpose === 'talk' && isTerminal && !options.plain && !options.json);
  const show = full
    ? await onScreen(assistant, options.device ?? false)
    : inLines(options.json ?? false, purpose);
  let refused = false;
  const onMessage = (message: ServiceMessage) => {
    if (message.kind === 'trouble' && message.fatal) refused = true;
    show.message(message);
  };
  let call: RecordedCall | LiveCall;
  try {
    call = await hold(purpose, assistant, options, show, onMessage);
  } finally {
    show.close();
  }
  if (options.save) writeFileSync(options.save, writeWav([call.caller, call.assistant], call.rateHz));
  if (call.cutOff !== null) {
    if (!refused || full) terminal.stderr.write(`verbalon: the talk ended before its time: ${call.cutOff}\n`);
    terminal.exitCode = 1;
  }
}

/** One turn of the caller's: its text is all that is written. */
async function listenOnce(assistant: string | undefined, options: TalkCommandOptions): Promise<void> {
  const finals: string[] = [];
  let keys: CallKeys | null = null;
  let opened = false;
  const onMessage = (message: ServiceMessage) => {
    if (message.kind === 'final') finals.push(message.text);
    if (message.kind === 'trouble') terminal.stderr.write(`verbalon: ${message.title}: ${message.detail}\n`);
    if (message.kind !== 'state') return;
    // The floor was opened, and is closed again: the turn is over.
    if (opened && message.state === 'resting') keys?.leave();
    opened ||= message.state === 'listening';
  };
  const show: Show = {
    ...inLines(true, 'listen'),
    message: () => undefined,
    notice: () => undefined,
    keys: (own) => {
      keys = own;
      own.press();
      own.release();
    },
  };
  const call = await hold('listen', assistant, options, show, onMessage);
  if (options.save) writeFileSync(options.save, writeWav([call.caller, call.assistant], call.rateHz));
  terminal.stdout.write(`${finals.join(' ')}\n`);
  if (finals.length === 0) terminal.exitCode = EXIT.failed;
}

function inLines(json: boolean, purpose: 'talk' | 'listen'): Show {
  const printer = new TalkPrinter(purpose);
  let lines: Interface | null = null;
  return {
    message: (message) =>
      json ? void terminal.stdout.write(`${JSON.stringify(message)}\n`) : printer.show(message),
    notice: (words) => terminal.stderr.write(`verbalon: ${words}\n`),
    connection: (state) => terminal.stderr.write(`verbalon: ${CONNECTION_WORDS[state]}\n`),
    sound: () => undefined,
    played: (speech, _playedMs, atMs) => json || printer.played(speech, atMs),
    keys: (keys) => (lines = readLines(keys)),
    close: () => lines?.close(),
  };
}

async function onScreen(assistant: string | undefined, device: boolean): Promise<Show> {
  const { openScreen } = await import('./open-screen.js');
  const all = await service().assistants();
  const title = all.find(({ name, isDefault }) =>
    assistant === undefined ? isDefault : name === assistant,
  )?.title;
  const model = new ScreenModel();
  const { close } = openScreen(model, title ?? assistant ?? 'assistant', device);
  return {
    message: (message) => model.message(message),
    notice: (words) => model.notice(words),
    connection: (state) => {
      model.notice(CONNECTION_WORDS[state]);
      model.connection(state === 'lost' ? 'away' : 'open');
    },
    sound: (samples, rateHz) => model.sound(samples, rateHz),
    played: (speech, playedMs, atMs) => model.played(speech, playedMs, atMs),
    keys: (keys) => (model.keys = keys),
    close,
  };
}

/** Without a full screen: a line of text is a typed turn, an empty one hushes. */
function readLines(keys: CallKeys, atEnd = keys.leave): Interface {
  const lines = createInterface({ input: terminal.stdin });
  const commands: Record<string, () => void> = {
    '': keys.hush,
    '/fresh': keys.fresh,
    '/leave': keys.leave,
    '/press': () => (keys.press(), keys.release()),
  };
  lines.on('line', (line) => (commands[line.trim()] ?? (() => keys.type(line.trim())))());
  lines.on('close', atEnd);
  process.once('SIGINT', () => keys.leave());
  return lines;
}

function hold(
  purpose: 'talk' | 'listen',
  assistant: string | undefined,
  { from, type, headphones, device, push, once, language, input, output }: TalkCommandOptions,
  show: Show,
  onMessage: (message: ServiceMessage) => void,
): Promise<RecordedCall | LiveCall> {
  const at = { address: serviceAddress(), key: serviceKey() };
  const floor = once ? ('once' as const) : push || device ? ('press' as const) : undefined;
  const line = device
    ? ('device' as const)
    : from === undefined
      ? ('terminal' as const)
      : ('recording' as const);
  if (from === undefined) {
    const echo = headphones ? null : knownEcho({ input, output });
    if (echo?.free) show.notice(`you can interrupt by speaking: ${echo.why}`);
    return liveCall({
      ...at,
      assistant,
      purpose,
      line,
      floor,
      language: language ?? languageOfDevice(),
      headphones: headphones ?? echo?.free ?? false,
      sound: { input, output },
      onMessage,
      onNotice: (words) => show.notice(words),
      onConnection: (state) => show.connection(state),
      onSound: (samples, rateHz) => show.sound(samples, rateHz),
      onPlayed: (speech, playedMs, atMs) => show.played(speech, playedMs, atMs),
      onOpen: (keys) => {
        if (terminal.stdin.isTTY || !process.stdin.destroyed) show.keys(keys);
      },
    });
  }
  const stop = new AbortController();
  process.once('SIGINT', () => stop.abort());
  return callWithRecording({
    ...at,
    assistant,
    purpose,
    line,
    floor,
    recording: readFileSync(from),
    onMessage,
    onPlayed: (speech, playedMs, atMs) => show.played(speech, playedMs, atMs),
    onSound: (samples, rateHz) => show.sound(samples, rateHz),
    onOpen: (caller) => {
      if (once) show.keys(keysOf(caller, () => stop.abort()));
      // In lines nothing is read from the keyboard: the recording is the caller.
      if (terminal.stdin.isTTY) show.keys(keysOf(caller, () => stop.abort()));
      // Lines are typed while the recording speaks; the talk ends with the recording.
      else if (type)
        readLines(
          keysOf(caller, () => stop.abort()),
          () => undefined,
        );
    },
    signal: stop.signal,
  });
}

/** The language that the device is set to, as a BCP 47 tag; nothing for "C" and its like. */
function languageOfDevice(): string | undefined {
  const set = terminal.env.LC_ALL ?? terminal.env.LC_MESSAGES ?? terminal.env.LANG ?? '';
  const tag = set.split('.')[0]!.replace('_', '-');
  return /^[a-z]{2,3}(-[A-Z]{2})?$/.test(tag) ? tag : undefined;
}
