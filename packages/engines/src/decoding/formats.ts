/** What the first bytes of sound tell of its format. */
import { Fault } from '@verbalon/core';

/** Sound that a decoder must unpack, by what is in it. */
export type PackedFormat = 'flac' | 'mp3' | 'vorbis' | 'opus' | 'webm';
export type SoundFormat = 'wav' | PackedFormat;

/** So many first bytes tell what sound is. */
export const TELLING_BYTES = 64;

/** What these first bytes are. @throws Fault `sound-empty`, `sound-format-unknown` */
export function formatOf(head: Uint8Array): SoundFormat {
  if (head.length === 0) throw new Fault('sound-empty', 'it has no bytes');
  const text = Buffer.from(head.subarray(0, TELLING_BYTES)).toString('latin1');
  if (text.startsWith('RIFF')) return 'wav';
  if (text.startsWith('fLaC')) return 'flac';
  if (text.startsWith('OggS')) return text.includes('OpusHead') ? 'opus' : 'vorbis';
  if (text.startsWith('\x1aE\xdf\xa3')) return 'webm';
  if (text.startsWith('ID3') || (head[0] === 0xff && (head[1]! & 0xe6) >= 0xe2)) return 'mp3';
  throw new Fault('sound-format-unknown', `it begins with ${JSON.stringify(text.slice(0, 8))}`);
}
