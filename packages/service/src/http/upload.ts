/** Recordings that are sent to the service. */
import { randomUUID } from 'node:crypto';
import { mkdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import type { Request } from 'express';
import { receive } from '../sound/receive.js';
import type { HttpHost } from './host.js';

/** The largest recording that is taken, in bytes. */
const MOST_SOUND_BYTES = 2_000_000_000;

/** The body as a file, for as long as it is needed. @throws Fault `sound-too-large` */
export async function withUpload(
  host: Pick<HttpHost, 'dataFolder'>,
  request: Request,
  use: (file: string) => Promise<void>,
): Promise<void> {
  const folder = join(host.dataFolder, 'uploads');
  mkdirSync(folder, { recursive: true });
  const file = join(folder, randomUUID());
  try {
    await receive(request, file, MOST_SOUND_BYTES);
    await use(file);
  } finally {
    rmSync(file, { force: true });
  }
}
