/** `verbalon tryout`: the same recordings, questions or texts through several engines, compared. */
import { randomUUID } from 'node:crypto';
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { HttpClient } from '@verbalon/client';
import type { TriedEngine, TriedItem, Tryout, TryoutRequest } from '@verbalon/protocol';
import { table } from './lineup-commands.js';
import { terminal } from './terminal.js';
import { service } from './service-address.js';

export interface TryoutOptions {
  role: TryoutRequest['role'];
  engines: string[];
  assistant?: string;
  recordings?: string;
  conversations?: string[];
  texts?: string;
  json?: string | true;
  csv?: string;
  words?: boolean;
}

const print = (text: string): void => void terminal.stdout.write(text);

export async function tryoutCommand(options: TryoutOptions): Promise<void> {
  const http = service();
  let tryout: Tryout | null = null;
  for await (const event of http.tryout(await requestOf(http, options))) {
    if (event.kind === 'done') tryout = event.tryout;
    else if (options.json !== true)
      terminal.stderr.write(
        `${event.engine}: ${event.item.item}${event.item.problem ? `: ${event.item.problem}` : ''}\n`,
      );
  }
  if (!tryout) throw new Error('the service ended before the tryout was complete');
  if (options.csv !== undefined) writeFileSync(options.csv, await http.tryoutTable(tryout.id));
  if (typeof options.json === 'string') writeFileSync(options.json, JSON.stringify(tryout, null, 2));
  if (options.json === true) return print(`${JSON.stringify(tryout)}\n`);
  print(
    `\n${tryoutText(tryout, options.words ?? false)}\ntryout ${tryout.id.slice(0, 8)} is kept: the console shows it on the page Tryouts\n`,
  );
}

async function requestOf(http: HttpClient, options: TryoutOptions): Promise<TryoutRequest> {
  const { role, engines, assistant, recordings, conversations, texts } = options;
  return {
    role,
    engines,
    ...(assistant === undefined ? {} : { assistant }),
    ...(conversations === undefined ? {} : { conversations }),
    ...(recordings === undefined ? {} : await recordingsFor(http, recordings)),
    ...(texts === undefined ? {} : { texts: linesIn(texts) }),
  };
}

const linesIn = (file: string): string[] =>
  readFileSync(file, 'utf8')
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean);

/**
 * A folder of this machine is sent to the service; anything else is names of the project's own recordings.
 */
async function recordingsFor(
  http: HttpClient,
  recordings: string,
): Promise<Pick<TryoutRequest, 'brought' | 'recordings'>> {
  if (!existsSync(recordings)) return { recordings: recordings.split(',') };
  const files = readdirSync(recordings).filter((file) => /\.(?:wav|txt|json)$/.test(file));
  const count = files.filter((file) => file.endsWith('.wav')).length;
  if (count === 0)
    throw new Error(
      `${recordings} has no NAME.wav: put recordings there, each with NAME.txt, what was said in it`,
    );
  terminal.stderr.write(`sending ${count} recordings from ${recordings} to the service …\n`);
  const brought = randomUUID();
  for (const file of files) await http.bringRecording(brought, file, readFileSync(join(recordings, file)));
  return { brought };
}

function tryoutText({ role, engines }: Tryout, words: boolean): string {
  const heads = {
    stt: ['engine', 'word errors', 'first partial', 'final after', 'flicker', 'real time', 'cost'],
    llm: ['engine', 'first piece', 'all', 'pieces/s', 'cost'],
    tts: ['engine', 'first sound', 'all', 'understood', 'words/s', 'level', 'cost'],
  };
  const ms = (spread: TriedEngine['firstMs']) =>
    spread ? `${Math.round(spread.p50)} (${Math.round(spread.p95)}) ms` : '';
  const rows = engines.map((one) => {
    const errors = one.errors ? `${(100 * one.errors.rate).toFixed(1)} %` : '';
    const cost = one.cost === null ? '' : `${one.currency} ${one.cost.toFixed(5)}`;
    const fails = one.failed > 0 ? `  ${one.failed} failed` : '';
    if (role === 'stt')
      return [
        one.engine,
        errors,
        ms(one.firstMs),
        ms(one.endMs),
        String(one.flicker ?? ''),
        one.realTimeFactor?.p50.toFixed(2) ?? '',
        cost + fails,
      ];
    if (role === 'llm')
      return [one.engine, ms(one.firstMs), ms(one.endMs), one.rate?.p50.toFixed(1) ?? '', cost + fails];
    const understood = one.errors ? `${(100 * (1 - one.errors.rate)).toFixed(1)} %` : '';
    return [
      one.engine,
      ms(one.firstMs),
      ms(one.endMs),
      understood,
      one.rate?.p50.toFixed(1) ?? '',
      one.levelDb ? `${one.levelDb.p50.toFixed(1)} dBFS` : '',
      cost + fails,
    ];
  });
  const groups = role === 'stt' && words ? groupsText(engines) : '';
  return table([heads[role], ...rows]) + groups + (words ? itemsText(role, engines) : '');
}

function groupsText(engines: readonly TriedEngine[]): string {
  const names = engines[0]!.byGroup.map(({ group }) => group);
  const rate = (one: TriedEngine, group: string) => {
    const errors = one.byGroup.find((each) => each.group === group)?.errors;
    return errors ? `${(100 * errors.rate).toFixed(1)} %` : '';
  };
  return `\n${table([['word errors', ...engines.map(({ engine }) => engine)], ...names.map((group) => [group, ...engines.map((one) => rate(one, group))])])}`;
}

/** Every item with what each engine made of it, the words that differ marked. */
function itemsText(role: Tryout['role'], engines: readonly TriedEngine[]): string {
  return engines[0]!.items
    .map(({ item, given }) => {
      const lines = engines.map(({ engine, items }) => {
        const its = items.find((one) => one.item === item);
        return `  ${engine.padEnd(14)} ${its?.problem ?? (role === 'llm' ? its?.got : its && aligned(its))}\n`;
      });
      return `\n${item}: ${given}\n${lines.join('')}`;
    })
    .join('');
}

function aligned({ alignment }: TriedItem): string {
  const marks = {
    same: (said: string) => said,
    other: (said: string, heard: string) => `[${said}→${heard}]`,
    missing: (said: string) => `[${said}→]`,
    added: (_: string, heard: string) => `[→${heard}]`,
  };
  return alignment
    .map(({ what, said, heard }) => marks[what as keyof typeof marks](said ?? '', heard ?? ''))
    .join(' ');
}
