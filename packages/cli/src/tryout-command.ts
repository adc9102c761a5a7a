/** `verbalon tryout`: the same recordings, questions or texts through several engines, compared. */
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { resolve } from 'node:path';
import type { TriedEngine, TriedItem, Tryout, TryoutRequest } from '@verbalon/protocol';
import { table } from './lineup-commands.js';
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

const print = (text: string): void => void process.stdout.write(text);

export async function tryoutCommand(options: TryoutOptions): Promise<void> {
  const http = service();
  let tryout: Tryout | null = null;
  for await (const event of http.tryout(requestOf(options))) {
    if (event.kind === 'done') tryout = event.tryout;
    else if (options.json !== true)
      process.stderr.write(
        `${event.engine}: ${event.item.item}${event.item.problem ? `: ${event.item.problem}` : ''}\n`,
      );
  }
  if (!tryout) throw new Error('the service ended before the tryout was complete');
  if (options.csv !== undefined) writeFileSync(options.csv, await http.tryoutTable(tryout.id));
  if (typeof options.json === 'string') writeFileSync(options.json, JSON.stringify(tryout, null, 2));
  if (options.json === true) return print(`${JSON.stringify(tryout)}\n`);
  print(
    `\n${tryoutText(tryout, options.words ?? false)}\ntryout ${tryout.id.slice(0, 8)} is kept: see it on the Engines page\n`,
  );
}

function requestOf({
  role,
  engines,
  assistant,
  recordings,
  conversations,
  texts,
}: TryoutOptions): TryoutRequest {
  // A folder of this machine; anything else is names of the project's own recordings.
  const isFolder = recordings !== undefined && existsSync(recordings);
  return {
    role,
    engines,
    ...(assistant === undefined ? {} : { assistant }),
    ...(conversations === undefined ? {} : { conversations }),
    ...(recordings === undefined
      ? {}
      : isFolder
        ? { folder: resolve(recordings) }
        : { recordings: recordings.split(',') }),
    ...(texts === undefined
      ? {}
      : {
          texts: readFileSync(texts, 'utf8')
            .split('\n')
            .map((line) => line.trim())
            .filter(Boolean),
        }),
  };
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
