/** What the headers of packed sound promise, so that a file that was cut short is noticed. */
import { closeSync, openSync, readSync, statSync } from 'node:fs';
import type { PackedFormat } from '@verbalon/engines/decoding';

/** How many samples the file says that it has; null where it does not. */
export function promisedSamples(format: PackedFormat, head: Uint8Array): number | null {
  if (format === 'flac') return flacSamples(head);
  if (format === 'mp3') return mp3Samples(head);
  return null;
}

/** STREAMINFO (RFC 9639, section 8.2): 36 bits, after "fLaC", the block's header and 13.5 bytes. */
function flacSamples(head: Uint8Array): number | null {
  if (head.length < 26) return null;
  const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
  const count = (head[21]! & 0x0f) * 2 ** 32 + view.getUint32(22);
  return count === 0 ? null : count;
}

/**
 * The count of frames that encoders write into the first one ("Xing" or "Info"), of 1152 samples (576 at the
 * lower rates).
 */
function mp3Samples(head: Uint8Array): number | null {
  const text = Buffer.from(head).toString('latin1');
  const at = Math.max(text.indexOf('Xing'), text.indexOf('Info'));
  if (at < 4 || at + 12 > head.length) return null;
  const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
  if ((view.getUint32(at + 4) & 1) === 0) return null;
  const sync = text.lastIndexOf('\xff', at);
  const isLowRate = sync >= 0 && (head[sync + 1]! & 0x08) === 0;
  return view.getUint32(at + 8) * (isLowRate ? 576 : 1152);
}

/** Does the last page of an Ogg file (RFC 3533) say that it is the last? */
export function oggIsComplete(file: string): boolean {
  const size = statSync(file).size;
  const tail = Buffer.alloc(Math.min(size, 131_072));
  const handle = openSync(file, 'r');
  readSync(handle, tail, 0, tail.length, size - tail.length);
  closeSync(handle);
  const last = tail.lastIndexOf('OggS');
  return last >= 0 && (tail[last + 5]! & 0x04) !== 0;
}
