/** Bytes that were damaged on the way, by a seed: overwritten, cut, doubled, swapped. */
import { seeded } from '@verbalon/core';

export type Random = () => number;

export const below = (random: Random, most: number) => Math.floor(random() * most);
export const pick = <T>(random: Random, all: readonly T[]): T => all[below(random, all.length)]!;

/** One to eight injuries. */
export function mutated(bytes: Uint8Array, seed: number): Uint8Array {
  const random = seeded(seed);
  let out: Uint8Array = Uint8Array.from(bytes);
  for (let left = 1 + below(random, 8); left > 0 && out.length > 0; left--) out = injured(out, random);
  return out;
}

function injured(bytes: Uint8Array, random: Random): Uint8Array {
  const at = below(random, bytes.length);
  const length = 1 + below(random, Math.min(4_000, bytes.length - at));
  const out = Uint8Array.from(bytes);
  switch (below(random, 7)) {
    case 0:
      out[at] = below(random, 256);
      return out;
    case 1:
      return out.map((byte, i) => (i >= at && i < at + length ? below(random, 256) : byte));
    case 2:
      return out.fill(pick(random, [0, 0x7f, 0xff]), at, at + length);
    case 3:
      return out.subarray(0, at);
    case 4:
      return Uint8Array.of(...out.subarray(0, at), ...out.subarray(at + length));
    case 5:
      return Uint8Array.of(...out.subarray(0, at + length), ...out.subarray(at));
    default: {
      // Numbers in heads are where most harm is: one of the first bytes.
      out[below(random, Math.min(200, out.length))] = pick(random, [0, 1, 0x7f, 0x80, 0xff]);
      return out;
    }
  }
}
