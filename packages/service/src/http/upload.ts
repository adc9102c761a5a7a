/** Recordings that are sent to the service. */
import { randomUUID } from 'node:crypto';
import { createWriteStream, mkdirSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Request } from 'express';
import { Fault } from '@verbalon/core';
import type { HttpHost } from './host.js';

/** The largest recording that is taken, in bytes. */
const MOST_SOUND_BYTES = 2_000_000_000;

/** The body as a file, for as long as it is needed. @throws Fault `sound-empty`, `sound-too-large` */
export async function withUpload(
  host: Pick<HttpHost, 'dataFolder'>,
  request: Request,
  use: (file: string) => Promise<void>,
): Promise<void> {
  const folder = join(host.dataFolder, 'uploads');
  mkdirSync(folder, { recursive: true });
  const file = join(folder, randomUUID());
  let bytes = 0;
  const counter = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      bytes += chunk.length;
      done(
        bytes > MOST_SOUND_BYTES
          ? new Fault('sound-too-large', `more than ${MOST_SOUND_BYTES} bytes came`)
          : null,
        chunk,
      );
    },
  });
  try {
    await pipeline(request, counter, createWriteStream(file));
    await use(file);
  } finally {
    rmSync(file, { force: true });
  }
}
