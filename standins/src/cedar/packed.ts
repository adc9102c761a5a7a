/** Sound packed as MP3 while it goes out, by Debian's lame. */
import { spawn } from 'node:child_process';
import type { Clip } from '../common/speaking.js';
import { wavHead } from '../common/wav.js';

export async function* asMp3({ pcm, rateHz }: Clip, signal: AbortSignal): AsyncIterable<Buffer> {
  const args = `--quiet -r -s ${rateHz / 1000} -m m --bitwidth 16 -b 48 - -`.split(' ');
  const child = spawn('lame', args, { stdio: ['pipe', 'pipe', 'ignore'], signal });
  child.on('error', () => undefined);
  child.stdin.on('error', () => undefined);
  child.stdin.end(pcm);
  for await (const chunk of child.stdout as AsyncIterable<Buffer>) yield chunk;
}

/** A stereo WAV file of it. */
export function asStereoWav({ pcm, rateHz }: Clip): Buffer {
  const both = Buffer.alloc(pcm.length * 2);
  for (let i = 0; i * 2 < pcm.length; i++) {
    const sample = pcm.readInt16LE(i * 2);
    both.writeInt16LE(sample, i * 4);
    both.writeInt16LE(sample, i * 4 + 2);
  }
  return Buffer.concat([wavHead(2, rateHz, both.length), both]);
}
