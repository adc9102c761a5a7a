/**
 * The keys of a telephone as tones in its sound (ITU-T Q.23 and Q.24): two frequencies at once, one of a row
 * and one of a column.
 */

const ROWS_HZ = [697, 770, 852, 941];
const COLUMNS_HZ = [1209, 1336, 1477, 1633];
const KEYS = ['123A', '456B', '789C', '*0#D'];
/** Sound is looked at in blocks so long, in ms. */
const BLOCK_MS = 20;
/** A key counts when it is in so many blocks one after the other: shorter ones are speech. */
const LEAST_BLOCKS = 2;
/** Mean magnitude below which a block is quiet, of 32768. */
const QUIET = 100;
/** Both tones together make up at least this share of all energy. */
const TONE_SHARE = 0.8;
/** One tone may be so much stronger than the other, as a ratio of energies: 8 dB. */
const MOST_TWIST = 6.3;

/** A key of a telephone. */
export type Key =
  '0' | '1' | '2' | '3' | '4' | '5' | '6' | '7' | '8' | '9' | '*' | '#' | 'A' | 'B' | 'C' | 'D';
/** In the order of their codes in RFC 4733. */
export const TELEPHONE_KEYS = [...'0123456789*#ABCD'] as readonly Key[];

export class ToneDetector {
  private readonly block: Float32Array;
  private filled = 0;
  private key: Key | null = null;
  private blocks = 0;
  private isTold = false;

  constructor(private readonly rateHz: number) {
    this.block = new Float32Array(Math.round((BLOCK_MS * rateHz) / 1_000));
  }

  /** A key sounds: nobody speaks. */
  get isDown(): boolean {
    return this.key !== null;
  }

  /** @returns the keys that went down in it, each once however long it is held */
  hear(samples: Int16Array): Key[] {
    const keys: Key[] = [];
    for (const sample of samples) {
      this.block[this.filled++] = sample;
      if (this.filled < this.block.length) continue;
      this.filled = 0;
      const key = keyIn(this.block, this.rateHz);
      this.blocks = key !== null && key === this.key ? this.blocks + 1 : 1;
      if (key !== this.key) this.isTold = false;
      this.key = key;
      if (key === null || this.isTold || this.blocks < LEAST_BLOCKS) continue;
      this.isTold = true;
      keys.push(key);
    }
    return keys;
  }
}

function keyIn(block: Float32Array, rateHz: number): Key | null {
  let energy = 0;
  let magnitude = 0;
  for (const sample of block) {
    energy += sample * sample;
    magnitude += Math.abs(sample);
  }
  if (magnitude / block.length < QUIET) return null;
  const row = strongest(block, ROWS_HZ, rateHz);
  const column = strongest(block, COLUMNS_HZ, rateHz);
  if (row.energy + column.energy < energy * TONE_SHARE) return null;
  if (Math.max(row.energy, column.energy) > MOST_TWIST * Math.min(row.energy, column.energy)) return null;
  return KEYS[row.at]![column.at] as Key;
}

function strongest(block: Float32Array, frequencies: readonly number[], rateHz: number) {
  const energies = frequencies.map((hz) => energyAt(block, hz, rateHz));
  const energy = Math.max(...energies);
  return { at: energies.indexOf(energy), energy };
}

/** How much of the block's energy is at this frequency (Goertzel's algorithm): all of a pure tone's. */
function energyAt(block: Float32Array, hz: number, rateHz: number): number {
  const factor = 2 * Math.cos((2 * Math.PI * hz) / rateHz);
  let last = 0;
  let before = 0;
  for (const sample of block) {
    const now = sample + factor * last - before;
    before = last;
    last = now;
  }
  return ((last * last + before * before - factor * last * before) * 2) / block.length;
}

/** The tones of a key. @param level of each, of 32768 @throws RangeError for what is no key */
export function keyTones(key: Key, ms: number, rateHz: number, level = 6_000): Int16Array {
  const row = KEYS.findIndex((keys) => keys.includes(key));
  if (row < 0) throw new RangeError(`"${String(key)}" is no key of a telephone`);
  const [low, high] = [ROWS_HZ[row]!, COLUMNS_HZ[KEYS[row]!.indexOf(key)]!];
  const step = (hz: number, i: number) => Math.sin((2 * Math.PI * hz * i) / rateHz);
  return Int16Array.from({ length: Math.round((ms * rateHz) / 1_000) }, (_, i) =>
    Math.round(level * (step(low, i) + step(high, i))),
  );
}
