/** `verbalon serve`: runs a service until it is told to stop. */

export interface ServeCommandOptions {
  port: number;
  data: string;
  project: string;
}

export async function serveCommand({ port, data, project }: ServeCommandOptions): Promise<void> {
  // A service is much to load: the other commands do without.
  const [{ pino }, { serve }] = await Promise.all([import('pino'), import('@verbalon/service')]);
  const log = pino({ level: process.env.VERBALON_LOG ?? 'info' }, pino.destination(2));
  const hosts = (process.env.VERBALON_HOSTS ?? '').split(',').filter(Boolean);
  const service = await serve({
    projectFolder: project,
    dataFolder: data,
    port,
    log,
    databaseUrl: process.env.DATABASE_URL,
    hosts,
  });
  process.stdout.write(`verbalon serves at ${service.address}\n`);
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
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, () => void stop());
  if (process.send) process.on('disconnect', () => void stop());
}
