/** `verbalon serve`: runs a service until it is told to stop. */
import { pino } from 'pino';
import { serve } from '@verbalon/service';

export interface ServeCommandOptions {
  port: number;
  data: string;
  project: string;
}

export async function serveCommand({ port, data, project }: ServeCommandOptions): Promise<void> {
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
