/** `verbalon keys` and `verbalon audit`: who may, and who did what. */
import { ServiceError } from '@verbalon/client';
import { SCOPES, type KeyRequest, type KeySummary, type NewKey, type Scope } from '@verbalon/protocol';
import { Option, type Command } from 'commander';
import { complain } from './complain.js';
import { terminal } from './terminal.js';
import { dataFolderOf } from './data-folder-of.js';
import { service } from './service-address.js';

interface Json {
  json?: boolean;
}

interface NewKeyOptions extends Json {
  scope: Scope[];
  days?: number;
  talksAtOnce?: number;
  talksADay?: number;
  project: string;
  data?: string;
}

type Count = (name: string, least: number, most: number) => (text: string) => number;

const say = (text: string) => terminal.stdout.write(`${text}\n`);
const day = (iso: string | null, none: string): string => (iso === null ? none : iso.slice(0, 10));

export function addKeysCommands(program: Command, count: Count): void {
  const keys = program
    .command('keys')
    .description('who may: list the keys; keys new NAME, keys revoke NAME')
    .option('--json', 'as JSON, one a line')
    .action((options: Json) => list(options).catch(complain));
  keys
    .command('new')
    .description('make a key; it is shown this once. Where no service runs it is made in its data folder')
    .argument('<name>', 'whose it is, such as "the huts site"')
    .addOption(new Option('--scope <scope...>', 'what it is for').choices(SCOPES).default(['talk'], 'talk'))
    .option('--days <days>', 'it ends after so many', count('days', 1, 3_650))
    .option('--talks-at-once <count>', 'so many talks at the same time', count('talks', 1, 100_000))
    .option('--talks-a-day <count>', 'so many talks a day', count('talks', 1, 10_000_000))
    .option('--project <folder>', 'of a service that does not run', 'demo')
    .option('--data <folder>', 'its data folder; by default .verbalon/data in the project')
    .action((name: string, options: NewKeyOptions) =>
      make(name, { ...options, ...keys.opts() }).catch(complain),
    );
  keys
    .command('revoke')
    .description('it opens nothing any more, nor do its page tokens')
    .argument('<name>')
    .option('--let-finish', 'talks that were begun with it may go on to their end')
    .action((name: string, options: { letFinish?: boolean }) => revoke(name, options).catch(complain));
  program
    .command('audit')
    .description('what was changed or refused, by whom')
    .option('--limit <count>', 'how many', count('limit', 1, 1_000), 20)
    .option('--before <number>', 'only those before this one', count('before', 1, Number.MAX_SAFE_INTEGER))
    .option('--json', 'as JSON, one a line')
    .action((options: Json & { limit: number; before?: number }) => audit(options).catch(complain));
}

async function list({ json }: Json): Promise<void> {
  const all = await service().keys();
  if (json) return all.forEach((one) => say(JSON.stringify(one)));
  if (all.length === 0) say('No key was made: everybody on this machine may do everything.');
  for (const one of all) say(lineOf(one));
}

function lineOf({ name, scopes, usedAt, expiresAt, revokedAt, limits }: KeySummary): string {
  const { talksAtOnce, talksADay } = limits;
  const parts = [
    name.padEnd(20),
    scopes.join(', ').padEnd(20),
    revokedAt !== null ? `revoked ${day(revokedAt, '')}` : `until ${day(expiresAt, 'revoked')}`,
    `used ${day(usedAt, 'never')}`,
    ...(talksAtOnce === undefined ? [] : [`${talksAtOnce} talks at once`]),
    ...(talksADay === undefined ? [] : [`${talksADay} talks a day`]),
  ];
  return parts.join('  ');
}

async function make(
  name: string,
  { json, scope, days, talksAtOnce, talksADay, project, data = dataFolderOf(project) }: NewKeyOptions,
): Promise<void> {
  const request: KeyRequest = {
    name,
    scopes: [...new Set(scope)],
    ...(days === undefined ? {} : { days }),
    limits: {
      ...(talksAtOnce === undefined ? {} : { talksAtOnce }),
      ...(talksADay === undefined ? {} : { talksADay }),
    },
  };
  const made = await service()
    .makeKey(request)
    .catch((error: unknown) => {
      const isAway = error instanceof ServiceError && error.problem.code === 'unreachable';
      if (isAway && terminal.env.VERBALON_URL === undefined) return inDataFolder(data, request);
      throw error;
    });
  if (json) return void say(JSON.stringify(made));
  say(made.key);
  terminal.stderr.write(
    `"${made.name}" is for ${made.scopes.join(', ')}, until ${day(made.expiresAt, 'it is revoked')}. The key is shown this once: keep it.\n` +
      'Commands take it from VERBALON_KEY; programs send it as "Authorization: Bearer KEY".\n',
  );
}

async function inDataFolder(data: string, request: KeyRequest): Promise<NewKey> {
  terminal.stderr.write(`no service runs: the key is made in ${data}\n`);
  // A service is much to load: the other commands do without.
  const { makeKeyIn } = await import('@verbalon/service');
  return makeKeyIn(data, terminal.env.DATABASE_URL, request);
}

async function revoke(name: string, { letFinish = false }: { letFinish?: boolean }): Promise<void> {
  await service().revokeKey(name, letFinish);
  say(
    `"${name}" opens nothing any more. ${letFinish ? 'Talks that were begun with it may go on to their end.' : 'Talks that were begun with it end within 2 s.'}`,
  );
}

async function audit({ json, limit, before }: Json & { limit: number; before?: number }): Promise<void> {
  const all = await service().audit(limit, before);
  if (json) return all.forEach((one) => say(JSON.stringify(one)));
  if (all.length === 0) say('Nothing was changed, and nothing refused.');
  for (const { at, who, address, what, about, status } of all)
    say(
      `${at.slice(0, 19).replace('T', ' ')}  ${String(status)}  ${what.padEnd(16)} ${who} (${address})  ${about}`,
    );
  const last = all.at(-1);
  if (all.length === limit && last) say(`older ones: verbalon audit --before ${last.number}`);
}
