/** `verbalon serve`: runs a service until it is told to stop. */
import { resolve } from 'node:path';
import { ProblemError } from '@verbalon/service/problems';
import { dataFolderOf } from './data-folder-of.js';

export interface ServeCommandOptions {
  port: number;
  host: string;
  cert?: string;
  certKey?: string;
  edit?: boolean;
  data?: string;
  project: string;
  quiet?: boolean;
  verbose?: boolean;
}

/** After an error that nobody caught the service has so long to put everything away, in ms. */
const LAST_RESORT_MS = 20_000;

export async function serveCommand(options: ServeCommandOptions): Promise<void> {
  const { port, host, cert, certKey, edit, project, quiet, verbose } = options;
  const data = options.data ?? dataFolderOf(project);
  if ((cert === undefined) !== (certKey === undefined))
    throw new ProblemError('settings-broken', '--cert and --cert-key go together');
  // A service is much to load: the other commands do without.
  const [{ pino }, { makeLogger, serve }] = await Promise.all([import('pino'), import('@verbalon/service')]);
  const level = verbose ? 'debug' : quiet ? 'warn' : (process.env.VERBALON_LOG ?? 'info');
  const log = makeLogger(level, pino.destination(2));
  const most = Number(process.env.VERBALON_TALKS) || undefined;
  const named = (variable: string) =>
    (process.env[variable] ?? '')
      .split(',')
      .map((one) => one.trim())
      .filter(Boolean);
  const service = await serve({
    projectFolder: project,
    dataFolder: data,
    port,
    host,
    ...(cert === undefined ? {} : { tls: { cert, key: certKey! } }),
    ...(edit ? { edit } : {}),
    log,
    databaseUrl: process.env.DATABASE_URL,
    hosts: named('VERBALON_HOSTS'),
    proxies: named('VERBALON_PROXY'),
    mostTalks: most,
  });
  process.stdout.write(`verbalon serves at ${service.address}\n`);
  process.stdout.write(`project ${resolve(project)}, data ${resolve(data)}\n`);
  // Whoever started us with a channel learns what we started, and we stop when it goes away.
  process.send?.({ kind: 'serving', address: service.address, pids: service.pids() });
  let stopping = false;
  const stop = async () => {
    if (stopping) return;
    stopping = true;
    await service.stop();
    process.stdout.write('verbalon has stopped\n');
    process.exit(0);
  };
  // What nobody foresaw, and nothing else caught, leaves a state that nobody knows: everything is put away,
  // and whoever watches over the service starts it again (docs/running.md).
  const fatal = (error: unknown) => {
    log.fatal(
      { err: error },
      'the service came upon something that nobody foresaw; it puts everything away and ends',
    );
    setTimeout(() => process.exit(1), LAST_RESORT_MS).unref();
    void service.stop().finally(() => process.exit(1));
  };
  process.once('uncaughtException', fatal);
  process.once('unhandledRejection', fatal);
  process.on('uncaughtException', () => undefined);
  process.on('unhandledRejection', () => undefined);
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, () => void stop());
  if (process.send) process.on('disconnect', () => void stop());
}
