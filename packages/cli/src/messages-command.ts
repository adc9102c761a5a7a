/** `verbalon messages` and `verbalon contacts`: what waits and what went, and to whom it may go. */
import type { MessageSummary } from '@verbalon/protocol';
import type { Command } from 'commander';
import { complain } from './complain.js';
import { terminal } from './terminal.js';
import { printFindings } from './project-commands.js';
import { service } from './service-address.js';

interface Json {
  json?: boolean;
}

const say = (text: string) => terminal.stdout.write(`${text}\n`);

export function addMessagesCommands(
  program: Command,
  count: (name: string, least: number, most: number) => (text: string) => number,
): void {
  const messages = program
    .command('messages')
    .description('messages of errands, waiting and gone; messages withdraw ID')
    .option('--waiting', 'only those that wait')
    .option('--limit <count>', 'how many', count('limit', 1, 500), 20)
    .option('--json', 'as JSON, one a line')
    .action((options: Json & { waiting?: boolean; limit: number }) => list(options).catch(complain));
  messages
    .command('withdraw')
    .description('it does not go; only while it waits')
    .argument('<id>')
    .action((id: string) => withdraw(id).catch(complain));
  const contacts = program
    .command('contacts')
    .description('whom messages may go to; contacts check')
    .option('--json', 'as JSON, one a line')
    .action((options: Json) => people(options).catch(complain));
  contacts
    .command('check')
    .description('look contacts.yaml and its vCards through, without a service')
    .argument('[folder]', 'the project', 'demo')
    .action((folder: string) => check(folder).catch(complain));
}

async function list({ json, waiting, limit }: Json & { waiting?: boolean; limit: number }): Promise<void> {
  const all = await service().messages({ limit: String(limit), ...(waiting ? { state: 'waiting' } : {}) });
  if (json) return all.forEach((one) => say(JSON.stringify(one)));
  if (all.length === 0) say('No message yet.');
  for (const one of all) print(one);
}

function print({ id, at, state, dueAt, occasion, text, deliveries }: MessageSummary): void {
  const when =
    occasion === null
      ? state === 'waiting' && dueAt !== null
        ? ` for ${local(dueAt)}`
        : ''
      : ` until ${occasion}`;
  say(`${local(at)}  ${state}${when}  "${text.replaceAll('\n', ' / ')}"  (${id})`);
  for (const { name, state: how, way, attempts, why } of deliveries)
    say(
      `${' '.repeat(18)}${name.padEnd(20)} ${how}${how === 'waiting' && attempts === 0 ? '' : ` by ${way}`}${why === '' ? '' : `: ${why}`}`,
    );
}

const local = (iso: string): string => new Date(iso).toLocaleString('sv').slice(0, 16);

async function withdraw(id: string): Promise<void> {
  await service().withdrawMessage(id);
  say('It is withdrawn.');
}

async function people({ json }: Json): Promise<void> {
  const all = await service().contacts();
  if (json) return all.forEach((one) => say(JSON.stringify(one)));
  if (all.length === 0) say('No contacts yet. Write contacts.yaml: docs/messages.md');
  for (const { key, name, also, ways, of } of all) {
    const where =
      of.length > 0
        ? `of ${of.join(', ')}`
        : Object.entries(ways)
            .map(([way, to]) => `${way} ${to}`)
            .join(', ');
    say(
      `${key.padEnd(16)} ${name.padEnd(22)} ${where}${also.length === 0 ? '' : `  (also: ${also.join(', ')})`}`,
    );
  }
}

async function check(folder: string): Promise<void> {
  const { findingsIn } = await import('@verbalon/service/project');
  printFindings(
    findingsIn(folder, terminal.env).filter(({ file }) => file === 'contacts.yaml'),
    'the contacts can be used',
  );
}
