/** Small files that ask for much: a FLAC of frames that each say "so many samples, all alike" (RFC 9639). */

/** @returns a file of about `bytes` bytes; each of its frames stands for 65,535 samples */
export function flacBomb(bytes: number): Uint8Array {
  const info = new Uint8Array(34);
  const view = new DataView(info.buffer);
  view.setUint16(0, 65_535);
  view.setUint16(2, 65_535);
  // 48 kHz (20 bits), 8 channels (3 bits, less one), 16 bits a sample (5 bits, less one); how many samples is
  // not known.
  const packed = (48_000 << 12) | (7 << 9) | (15 << 4);
  view.setUint32(10, packed >>> 0);
  const parts: number[] = [0x66, 0x4c, 0x61, 0x43, 0x80, 0, 0, 34, ...info];
  for (let frame = 0; parts.length < bytes; frame++) parts.push(...constantFrame(frame));
  return Uint8Array.from(parts);
}

function constantFrame(index: number): number[] {
  // Sync and fixed blocks; the block's size in 16 bits, 48 kHz; 8 channels, 16 bits.
  const head = [0xff, 0xf8, 0x7a, 0x78, ...coded(index), 0xff, 0xfe];
  const subframes = Array.from({ length: 8 }, () => [0x00, 0x00, 0x00]).flat();
  const body = [...head, crc(head, 8, 0x07), ...subframes];
  const check = crc(body, 16, 0x8005);
  return [...body, check >> 8, check & 0xff];
}

/** A number as UTF-8 writes one (section 9.1.5). */
function coded(value: number): number[] {
  if (value < 0x80) return [value];
  if (value < 0x800) return [0xc0 | (value >> 6), 0x80 | (value & 0x3f)];
  return [0xe0 | (value >> 12), 0x80 | ((value >> 6) & 0x3f), 0x80 | (value & 0x3f)];
}

function crc(bytes: readonly number[], bits: 8 | 16, polynomial: number): number {
  const top = 1 << (bits - 1);
  const mask = (1 << bits) - 1;
  let value = 0;
  for (const byte of bytes) {
    value ^= byte << (bits - 8);
    for (let i = 0; i < 8; i++) value = (value & top ? (value << 1) ^ polynomial : value << 1) & mask;
  }
  return value;
}
