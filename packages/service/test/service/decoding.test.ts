/**
 * Recordings that would hurt their decoders: they are refused with words, and nothing of their processes is
 * left.
 */
import { describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { flacBomb, mutated } from '@verbalon/hostile';
import { decodedSound } from '@verbalon/service';
import { freshFolder, root, until } from '../../../../testing/service.js';

const folder = freshFolder();
const sound = (name: string) => new Uint8Array(readFileSync(join(root, 'testing/sounds', name)));

async function decode(bytes: Uint8Array, signal = new AbortController().signal) {
  const file = join(folder, 'sound');
  writeFileSync(file, bytes);
  let count = 0;
  for await (const { samples } of decodedSound(file, signal)) count += samples.length;
  return count;
}

const running = () => spawnSync('pgrep', ['-f', 'sound/decode-host.js']).stdout.toString().trim();

describe('a recording', () => {
  it('that is good comes whole, at the house rate', async () => {
    for (const name of ['bunks.flac', 'bunks.mp3', 'bunks.webm', 'bunks.opus.ogg', 'bunks.vorbis.ogg'])
      expect(Math.abs((await decode(sound(name))) / 16_000 - 3.6)).toBeLessThan(0.1);
  });

  // Found by `mutated` in 1,500 tries: its reader goes round and round forever.
  it.each([20, 32])('that is a damaged WebM (%d) on which its reader hangs is refused', async (seed) => {
    await expect(decode(mutated(sound('bunks.webm'), seed))).rejects.toMatchObject({ code: 'sound-damaged' });
    await until(() => running() === '');
  });

  it.each([7_800, 31_000])('that is a FLAC of %d bytes and claims gigabytes is refused', async (bytes) => {
    await expect(decode(flacBomb(bytes))).rejects.toMatchObject({ code: 'sound-damaged' });
    await until(() => running() === '');
  });

  it('that nobody waits for any more is let go', async () => {
    const abort = new AbortController();
    const file = join(folder, 'long');
    writeFileSync(file, readFileSync(join(root, 'demo/recordings/miller-asks.wav')));
    await expect(
      (async () => {
        for await (const { share } of decodedSound(file, abort.signal)) if (share > 0) abort.abort();
      })(),
    ).rejects.toThrow();
    await until(() => running() === '');
  });
});
