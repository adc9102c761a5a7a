/**
 * Recordings of any usual format, decoded piece by piece: WAV by our own reader, FLAC, MP3, Ogg and WebM by
 * decoders from the registry. What the bytes say counts, not the name of the file.
 */
import { createReadStream, readSync, statSync, openSync, closeSync } from 'node:fs';
import { Fault, mixDown, wavLayout } from '@verbalon/core';
import { oggIsComplete, promisedSamples } from './promises.js';
import {
  formatOf,
  openDecoder,
  webmPackets,
  type ChunkDecoder,
  type DecodedPiece,
  type PackedFormat,
} from '@verbalon/engines/decoding';

/** Enough for every header that is looked at: pictures in an MP3's tags are skipped by its decoder. */
const HEAD_BYTES = 65_536;
const PIECE_BYTES = 32_768;
/** Sound may be this much shorter than its header promises: encoders count their padding differently. */
const LEAST_SHARE_THERE = 0.95;
/**
 * No encoder makes more sound of a byte, in samples of one channel: FLAC's silence has about 380. What is
 * short may have as much as this.
 */
const MOST_SAMPLES_A_BYTE = 1_000;
const SHORT_SAMPLES = 1_000_000;

export interface SoundPiece {
  samples: Float32Array;
  rateHz: number;
  /** How much of the file has been read, 0 to 1. */
  share: number;
}

/**
 * Decodes a file, one channel, at its own rate.
 * @throws Fault with a `sound-…` code
 */
export async function* readSoundFile(file: string): AsyncIterable<SoundPiece> {
  const size = statSync(file).size;
  const head = headOf(file, size);
  const format = formatOf(head);
  if (format === 'wav') yield* wavPieces(file, head, size);
  else yield* decodedPieces(file, head, format);
}

function headOf(file: string, size: number): Uint8Array {
  const head = new Uint8Array(Math.min(HEAD_BYTES, size));
  const handle = openSync(file, 'r');
  readSync(handle, head, 0, head.length, 0);
  closeSync(handle);
  return head;
}

async function* wavPieces(file: string, head: Uint8Array, size: number): AsyncIterable<SoundPiece> {
  const layout = wavLayout(head, size);
  let rest: Buffer = Buffer.alloc(0);
  let done = 0;
  const stream = createReadStream(file, {
    start: layout.from,
    end: layout.to - 1,
    highWaterMark: PIECE_BYTES,
  });
  for await (const bytes of stream as AsyncIterable<Buffer>) {
    const all = Buffer.concat([rest, bytes]);
    const whole = all.length - (all.length % layout.frameBytes);
    rest = all.subarray(whole);
    done += bytes.length;
    const share = done / (layout.to - layout.from);
    yield { samples: mixDown(layout.read(all.subarray(0, whole))), rateHz: layout.rateHz, share };
  }
}

async function* decodedPieces(
  file: string,
  head: Uint8Array,
  format: PackedFormat,
): AsyncIterable<SoundPiece> {
  const { size } = statSync(file);
  const seen = { samples: 0, rateHz: 0, errors: [] as string[], promised: promisedSamples(format, head) };
  const source =
    format === 'webm'
      ? shares(
          webmPackets(file, (samples) => (seen.promised = samples)),
          size,
        )
      : chunks(file, await openDecoder(format));
  for await (const { piece, share } of source) {
    seen.samples += piece.samplesDecoded;
    if (seen.samples > SHORT_SAMPLES + MOST_SAMPLES_A_BYTE * size)
      throw new Fault('sound-damaged', `it claims to hold more sound than ${size} bytes can`);
    seen.rateHz = piece.sampleRate;
    seen.errors.push(...piece.errors.map(({ message }) => message));
    if (seen.errors.length > 0) {
      const second = (seen.samples / (seen.rateHz || 1)).toFixed(1);
      throw new Fault('sound-damaged', `it cannot be read at about second ${second}`);
    }
    if (piece.samplesDecoded > 0)
      yield { samples: mixDown(piece.channelData), rateHz: piece.sampleRate, share };
  }
  checkWhole(file, format, seen);
}

async function* shares(
  packets: AsyncIterable<{ piece: DecodedPiece; bytes: number }>,
  size: number,
): AsyncIterable<{ piece: DecodedPiece; share: number }> {
  let read = 0;
  for await (const { piece, bytes } of packets) {
    read += bytes;
    yield { piece, share: Math.min(1, read / size) };
  }
}

function checkWhole(
  file: string,
  format: PackedFormat,
  seen: { samples: number; rateHz: number; promised: number | null },
): void {
  if (seen.samples === 0)
    throw new Fault(
      seen.promised ? 'sound-cut-short' : 'sound-empty',
      `no sound could be read from this ${format} file`,
    );
  const { promised, samples, rateHz } = seen;
  const isShort = promised !== null && samples < promised * LEAST_SHARE_THERE;
  const isOpen = (format === 'opus' || format === 'vorbis') && !oggIsComplete(file);
  if (!isShort && !isOpen) return;
  const there = (samples / rateHz).toFixed(1);
  const what =
    promised === null
      ? 'its last page is missing'
      : `it promises ${(promised / rateHz).toFixed(1)} s of sound`;
  throw new Fault('sound-cut-short', `${what}, and ${there} s could be read`);
}

async function* chunks(
  file: string,
  decoder: ChunkDecoder,
): AsyncIterable<{ piece: DecodedPiece; share: number }> {
  const size = statSync(file).size;
  let done = 0;
  try {
    for await (const bytes of createReadStream(file, {
      highWaterMark: PIECE_BYTES,
    }) as AsyncIterable<Buffer>) {
      done += bytes.length;
      yield { piece: await decoder.decode(bytes), share: done / size };
    }
    const last = await decoder.flush();
    if (last) yield { piece: last, share: 1 };
  } finally {
    decoder.free();
  }
}
