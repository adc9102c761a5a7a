/**
 * `verbalon talk --type`: a talk without a microphone. Each line is a turn; what the assistant says is
 * written as soon as it would be heard.
 */
import { createInterface } from 'node:readline';
import { TypedTalk } from '@verbalon/client/node';
import type { ServiceMessage } from '@verbalon/protocol';
import { EXIT } from './complain.js';
import { terminal } from './terminal.js';
import { TalkPrinter } from './print-talk.js';
import { serviceAddress, serviceKey } from './service-address.js';

export interface TypedOptions {
  json?: boolean;
  language?: string;
}

export async function typedCommand(
  assistant: string | undefined,
  { json = false, language }: TypedOptions,
): Promise<void> {
  const printer = new TalkPrinter('talk');
  let isRefused = false;
  const key = serviceKey();
  const talk = await TypedTalk.begin(serviceAddress(), assistant, {
    line: 'terminal',
    ...(key === undefined ? {} : { key }),
    ...(language === undefined ? {} : { language }),
    onMessage: (message: ServiceMessage) => {
      isRefused ||= message.kind === 'trouble' && message.fatal === true;
      if (json) terminal.stdout.write(`${JSON.stringify(message)}\n`);
      else printer.show(message);
    },
    onPlayed: (speech, atMs) => json || printer.played(speech, atMs),
  });
  await talk.quiet();
  // Not before: lines that come while nobody asks for them are lost.
  const lines = createInterface({ input: terminal.stdin });
  process.once('SIGINT', () => lines.close());
  for await (const line of lines) {
    const text = line.trim();
    if (talk.isOver || text === '/leave') break;
    if (text === '') talk.hush();
    else if (text === '/fresh') talk.fresh();
    else await talk.says(text);
    await talk.quiet();
  }
  lines.close();
  talk.leave();
  if (isRefused) terminal.exitCode = EXIT.failed;
}
