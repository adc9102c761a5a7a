/** Bytes that somebody sends, into a file. */
import { rmSync } from 'node:fs';
import { open } from 'node:fs/promises';
import { Transform, type Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { Fault } from '@verbalon/core';

/** Nothing is left of what does not come whole. @throws Fault `sound-too-large` for more than `mostBytes` */
export async function receive(from: Readable, file: string, mostBytes: number): Promise<void> {
  let bytes = 0;
  const counter = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      bytes += chunk.length;
      done(
        bytes > mostBytes ? new Fault('sound-too-large', `more than ${mostBytes} bytes came`) : null,
        chunk,
      );
    },
  });
  // It is there before anything can be cut off: a stream that opens it by itself may do so after it was taken
  // away.
  const handle = await open(file, 'w');
  try {
    await pipeline(from, counter, handle.createWriteStream());
  } catch (error) {
    rmSync(file, { force: true });
    throw error;
  }
}
