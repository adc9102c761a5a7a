/** `verbalon engines`, `engines check`, `swap`, `language` and `cost`. */
import { engineState, priceWords, ServiceError, type HttpClient } from '@verbalon/client';
import type { CostSum, EngineCheck, EngineCost } from '@verbalon/protocol';
import { wholeId } from './conversations-command.js';
import { terminal } from './terminal.js';
import { service } from './service-address.js';

const print = (text: string): void => void terminal.stdout.write(text);
const ROLE_WORDS = { stt: 'hears', llm: 'thinks', tts: 'speaks' } as const;

export async function enginesCommand({ json }: { json?: boolean }): Promise<void> {
  const all = await service().engines();
  if (json) return print(`${JSON.stringify(all)}\n`);
  const rows = all.map((one) => [
    one.name,
    ROLE_WORDS[one.role],
    one.where === 'cloud' ? `cloud${one.region ? `, ${one.region}` : ''}` : 'this machine',
    one.languages.join(' '),
    one.usualFirstMs === null ? '' : `${one.usualFirstMs} ms`,
    [engineState(one), one.resting || one.why].filter(Boolean).join(': '),
    priceWords(one),
  ]);
  print(table([['engine', 'role', 'where', 'languages', 'first answer', 'state', 'price'], ...rows]));
}

export async function checkCommand(names: string[], { json }: { json?: boolean }): Promise<void> {
  const http = service();
  const wanted = names.length > 0 ? names : (await http.engines()).map(({ name }) => name);
  const all: EngineCheck[] = [];
  for (const name of wanted) {
    const [checked] = await http.checkEngines([name]);
    all.push(checked!);
    if (!json) print(checkWords(checked!));
  }
  if (json) print(`${JSON.stringify(all)}\n`);
  if (all.some(({ ok }) => !ok)) terminal.exitCode = 1;
}

function checkWords(check: EngineCheck): string {
  const { name, role, ok, doubtful, firstMs, againMs, answered, expected, notes, problem } = check;
  const head = `${!ok ? '✗' : doubtful ? '?' : '✓'} ${name.padEnd(14)} ${ROLE_WORDS[role].padEnd(7)}`;
  if (problem)
    return `${head} ${problem.title}: ${problem.detail} [${problem.code}]\n    → ${problem.remedy}\n`;
  if (firstMs === null || againMs === null) return `${head} ${notes.join('; ')}\n`;
  const times = `first answer ${Math.round(firstMs)} ms, again ${Math.round(againMs)} ms`;
  const shown = expected === null ? answered : `\n    expected: ${expected}\n    heard:    ${answered}`;
  return `${head} ${times}: ${shown}\n${notes.map((note) => `    ! ${note}\n`).join('')}`;
}

export async function swapCommand(
  role: EngineCheck['role'],
  engine: string,
  { talk }: { talk?: string },
): Promise<void> {
  const http = service();
  const id = talk === undefined ? await onlyTalk(http) : await wholeId(http, talk);
  await http.swap(id, role, engine);
  print(
    `${engine} ${ROLE_WORDS[role]} from the next ${{ stt: 'segment', llm: 'thought', tts: 'phrase' }[role]} on.\n`,
  );
}

export async function languageCommand({
  talk,
  ...wanted
}: {
  talk?: string;
  hears?: string;
  speaks?: string;
}): Promise<void> {
  const http = service();
  await http.setLanguage(talk === undefined ? await onlyTalk(http) : await wholeId(http, talk), wanted);
  const words = [wanted.hears && `hears ${wanted.hears}`, wanted.speaks && `speaks ${wanted.speaks}`];
  print(`It ${words.filter(Boolean).join(' and ')} from now on.\n`);
}

/** @throws ServiceError where there is none, or several */
async function onlyTalk(http: HttpClient): Promise<string> {
  const live = (await http.conversations()).filter(({ endedAt }) => endedAt === null);
  if (live.length === 1) return live[0]!.id;
  throw new ServiceError({
    code: live.length === 0 ? 'talk-unknown' : 'talk-ambiguous',
    title: live.length === 0 ? 'No talk is going on' : `${live.length} talks are going on`,
    detail: live.map(({ id }) => id.slice(0, 8)).join(', ') || 'none',
    remedy: 'Name it with --talk ID; verbalon conversations lists them.',
  });
}

export interface CostOptions {
  days: number;
  stt?: string;
  llm?: string;
  tts?: string;
  json?: boolean;
}

/** Of one talk, or of the last days. */
export async function costCommand(
  id: string | undefined,
  { days, json, ...others }: CostOptions,
): Promise<void> {
  const http = service();
  if (id === undefined) {
    const all = await http.costs(days);
    if (json) return print(`${JSON.stringify(all)}\n`);
    return print(
      all.length === 0
        ? 'Nothing was used.\n'
        : table([
            ['day', ...USE_HEAD, 'rent and plan'],
            ...all.map((one) => [
              one.day,
              ...useRow(one),
              one.standing ? `${one.standing.currency} ${one.standing.cost.toFixed(5)}` : '',
            ]),
          ]),
    );
  }
  const cost = await http.cost(await wholeId(http, id), definedOnly(others));
  if (json) return print(`${JSON.stringify(cost)}\n`);
  print(table([USE_HEAD, ...cost.engines.map(useRow)]));
  print(`\nin all     ${sumWords(cost.sums)}\n`);
  for (const { turn, sums } of cost.turns)
    if (sums.length > 0) print(`turn ${String(turn ?? '—').padEnd(5)} ${sumWords(sums)}\n`);
  if (cost.other) print(`\nwith ${Object.values(definedOnly(others)).join(', ')}: ${sumWords(cost.other)}\n`);
}

const USE_HEAD = ['engine', 'role', 'requests', 'sound', 'characters', 'tokens in/out', 'cost'];

function useRow({
  engine,
  role,
  requests,
  audioMs,
  characters,
  tokensIn,
  tokensOut,
  sums,
}: EngineCost): string[] {
  return [
    engine,
    ROLE_WORDS[role],
    String(requests),
    audioMs === 0 ? '' : `${(audioMs / 1000).toFixed(1)} s`,
    characters === 0 ? '' : String(characters),
    tokensIn + tokensOut === 0 ? '' : `${tokensIn}/${tokensOut}`,
    sumWords(sums),
  ];
}

function sumWords(sums: readonly CostSum[]): string {
  if (sums.length === 0) return 'no price';
  return sums
    .map(({ currency, cost, wasted, saved }) => {
      const more = [
        wasted > 0 ? `${wasted.toFixed(5)} of it wasted` : '',
        saved > 0 ? `${saved.toFixed(5)} saved` : '',
      ];
      const words = more.filter(Boolean).join(', ');
      return `${currency} ${cost.toFixed(5)}${words ? ` (${words})` : ''}`;
    })
    .join(' + ');
}

function definedOnly(others: Record<string, string | undefined>): Record<string, string> {
  return Object.fromEntries(
    Object.entries(others).filter((entry): entry is [string, string] => entry[1] !== undefined),
  );
}

/** Columns as wide as what is in them. */
export function table(rows: readonly (readonly string[])[]): string {
  const widths = rows[0]!.map((_, i) => Math.max(...rows.map((row) => row[i]!.length)));
  return rows
    .map(
      (row) =>
        `${row
          .map((cell, i) => cell.padEnd(widths[i]!))
          .join('  ')
          .trimEnd()}\n`,
    )
    .join('');
}
