/** Sounds for tests: noise of a room, and a voice. All at 16 kHz, the same every time. */
import { readFileSync } from 'node:fs';
import { readWav, seeded } from '../packages/core/src/index.js';

const random = seeded(2);

/** White noise with this peak. */
export function noise(count: number, peak = 0.001): Float32Array {
  return Float32Array.from({ length: count }, () => (random() * 2 - 1) * peak);
}

const recordings = new URL('../demo/recordings/', import.meta.url);

/** What a recorded walker says, without the silences between. */
function sayings(walker: string): Float32Array {
  const { channels } = readWav(readFileSync(new URL(`${walker}.wav`, recordings)));
  const truth = JSON.parse(readFileSync(new URL(`${walker}.json`, recordings), 'utf8')) as {
    spoken: { fromMs: number; toMs: number }[];
  };
  const parts = truth.spoken.map(({ fromMs, toMs }) => channels[0]!.slice(fromMs * 16, toMs * 16));
  const out = new Float32Array(parts.reduce((sum, part) => sum + part.length, 0));
  parts.reduce((at, part) => (out.set(part, at), at + part.length), 0);
  return out;
}

/** Somebody who speaks for so many samples without a pause. */
export function voice(count: number): Float32Array {
  const said = sayings('miller-asks');
  return Float32Array.from({ length: count }, (_, i) => said[i % said.length]!);
}
