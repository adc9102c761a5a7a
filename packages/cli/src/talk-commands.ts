/** `verbalon talk` and `verbalon listen`. */
import { readFileSync, writeFileSync } from 'node:fs';
import { callWithRecording, type RecordedCall } from '@verbalon/client/node';
import { writeWav } from '@verbalon/core';
import type { ServiceMessage } from '@verbalon/protocol';
import { DEFAULT_PORT } from '@verbalon/service';
import { liveCall, type LiveCall } from './live-call.js';
import { TalkPrinter } from './print-talk.js';

export interface TalkCommandOptions {
  from?: string;
  save?: string;
  json?: boolean;
  headphones?: boolean;
}

export function serviceAddress(): string {
  return process.env.VERBALON_URL ?? `http://127.0.0.1:${DEFAULT_PORT}`;
}

export async function talkCommand(
  purpose: 'talk' | 'listen',
  assistant: string | undefined,
  options: TalkCommandOptions,
): Promise<void> {
  const printer = new TalkPrinter();
  let refused = false;
  const onMessage = (message: ServiceMessage) => {
    if (message.kind === 'trouble' && message.fatal) refused = true;
    if (options.json) process.stdout.write(`${JSON.stringify(message)}\n`);
    else printer.show(message);
  };
  const call = await hold(purpose, assistant, options, onMessage);
  if (options.save) writeFileSync(options.save, writeWav([call.caller, call.assistant], call.rateHz));
  if (call.cutOff !== null) {
    if (!refused) process.stderr.write(`verbalon: the talk ended before its time: ${call.cutOff}\n`);
    process.exitCode = 1;
  }
}

function hold(
  purpose: 'talk' | 'listen',
  assistant: string | undefined,
  { from, headphones }: TalkCommandOptions,
  onMessage: (message: ServiceMessage) => void,
): Promise<RecordedCall | LiveCall> {
  const address = serviceAddress();
  if (from === undefined)
    return liveCall({ address, assistant, purpose, headphones: headphones ?? false, onMessage });
  const stop = new AbortController();
  process.once('SIGINT', () => stop.abort());
  return callWithRecording({
    address,
    assistant,
    purpose,
    recording: readFileSync(from),
    onMessage,
    signal: stop.signal,
  });
}
