/** `verbalon errands`: what the assistants can do, tried without doing anything, and what came of it. */
import type { RunSummary, TriedErrand } from '@verbalon/protocol';
import { Option, type Command } from 'commander';
import { complain } from './complain.js';
import { terminal } from './terminal.js';
import { service } from './service-address.js';

interface Json {
  json?: boolean;
}
type Count = (name: string, least: number, most: number) => (text: string) => number;

const say = (text: string) => terminal.stdout.write(`${text}\n`);
const lines = (all: readonly unknown[]) => all.forEach((one) => say(JSON.stringify(one)));

/** @param count reads a number of an option */
export function addErrandsCommand(program: Command, count: Count): void {
  const errands = program
    .command('errands')
    .description('what the assistants can do: list; errands try, examples, outcomes')
    .option('--json', 'as JSON, one a line')
    .action((options: Json) => list(options).catch(complain));
  errands
    .command('try')
    .description('see what sayings come to: values, what is asked next; nothing is done')
    .argument('<name>')
    .argument('<saying...>', 'one after the other, each in quotes')
    .option('--now <moment>', 'as if it were then, such as 2026-11-26T10:00')
    .action((name: string, said: string[], options: { now?: string }) =>
      tryOne(name, said, { ...options, ...errands.opts<Json>() }).catch(complain),
    );
  errands
    .command('examples')
    .description('sentences that begin it: those of its file, and some made of its patterns')
    .argument('<name>')
    .option('--limit <count>', 'how many', count('limit', 1, 500), 20)
    .action((name: string, { limit }: { limit: number }) => examples(name, limit).catch(complain));
  errands
    .command('grammar')
    .description('what begins it, as a grammar for other recognisers')
    .argument('<name>')
    .addOption(new Option('--as <form>', 'SRGS (XML) or JSGF').choices(['srgs', 'jsgf']).default('srgs'))
    .action((name: string, options: { as: 'srgs' | 'jsgf' }) => grammar(name, options.as).catch(complain));
  errands
    .command('outcomes')
    .description('what came of errands, the newest first')
    .option('--errand <name>', 'only of this one')
    .option('--limit <count>', 'how many', count('limit', 1, 500), 20)
    .action((options: { errand?: string; limit: number }) =>
      outcomes({ ...options, ...errands.opts<Json>() }).catch(complain),
    );
}

async function list({ json }: Json): Promise<void> {
  const all = await service().errands();
  if (json) return lines(all);
  if (all.length === 0) say('No errand yet. Write one: docs/errands.md');
  for (const { name, title, slots, does, readsBack, assistants } of all) {
    say(`${name.padEnd(16)} ${title}`);
    const needs = slots.map((slot) => `${slot.name} (${slot.kind}${slot.optional ? ', optional' : ''})`);
    say(`${' '.repeat(17)}needs ${needs.join(', ') || 'nothing'}`);
    say(
      `${' '.repeat(17)}does ${does}${readsBack ? ', read back before' : ''}; for ${assistants.join(', ') || 'no assistant'}`,
    );
  }
}

async function tryOne(name: string, said: string[], { json, now }: Json & { now?: string }): Promise<void> {
  const tried = await service().tryErrand(name, said, now);
  if (json) return lines(tried);
  for (const one of tried) {
    say(`caller     ${one.said}`);
    for (const { name: slot, kind, value, text } of one.slots)
      say(
        `           ${slot.padEnd(10)} ${String(value).padEnd(18)} ${kind}${text === String(value) ? '' : `, said "${text}"`}`,
      );
    say(`assistant  ${sentenceOf(one)}`);
  }
}

function sentenceOf({ does, says }: TriedErrand): string {
  if (does === 'pass') return '(nothing for this errand: a model answers)';
  if (does === 'answer') return `(a model answers, then:) ${says}`;
  if (does === 'act') return '(does it now)';
  return does === 'hand over' ? `(hands over) ${says}` : says;
}

async function examples(name: string, limit: number): Promise<void> {
  for (const sentence of await service().errandExamples(name, limit)) say(sentence);
}

async function grammar(name: string, form: 'srgs' | 'jsgf'): Promise<void> {
  terminal.stdout.write(await service().errandGrammar(name, form));
}

async function outcomes({ json, errand, limit }: Json & { errand?: string; limit: number }): Promise<void> {
  const all = await service().runs({ limit: String(limit), ...(errand === undefined ? {} : { errand }) });
  if (json) return lines(all);
  if (all.length === 0) say('Nothing was done yet.');
  for (const one of all) say(rowOf(one));
}

function rowOf({ at, errand, state, code, slots, given, assistant, conversation }: RunSummary): string {
  const when = at.slice(0, 16).replace('T', ' ');
  const texts = (values: Readonly<Record<string, unknown>>) =>
    Object.entries(values)
      .map(([name, value]) => `${name} ${String(value)}`)
      .join(', ');
  const result = texts(given);
  return `${when}  ${errand.padEnd(16)} ${(code ?? state).padEnd(11)} ${texts(slots)}${result === '' ? '' : ` → ${result}`}  (${assistant}, ${conversation.slice(0, 8)})`;
}
