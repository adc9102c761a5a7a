/** The decoders from the registry behind one shape. They are loaded when sound needs one. */
import { Fault } from '@verbalon/core';
import type { PackedFormat } from './formats.js';

export interface DecodedPiece {
  channelData: Float32Array[];
  samplesDecoded: number;
  sampleRate: number;
  errors: { message: string }[];
}

export interface ChunkDecoder {
  decode(bytes: Uint8Array): Promise<DecodedPiece>;
  /** What was held back; null where nothing can be. */
  flush(): Promise<DecodedPiece | null>;
  free(): void;
}

/** A decoder of the registry: some answer at once, some later, and some cannot flush. */
interface Foreign {
  ready: Promise<void>;
  decode(bytes: Uint8Array): DecodedPiece | Promise<DecodedPiece>;
  flush?(): Promise<DecodedPiece>;
  free(): void;
}

const OPENERS: Record<Exclude<PackedFormat, 'webm'>, () => Promise<Foreign>> = {
  flac: async () => new (await import('@wasm-audio-decoders/flac')).FLACDecoder(),
  mp3: async () => new (await import('mpg123-decoder')).MPEGDecoder(),
  vorbis: async () => new (await import('@wasm-audio-decoders/ogg-vorbis')).OggVorbisDecoder(),
  opus: async () => new (await import('ogg-opus-decoder')).OggOpusDecoder(),
};

export async function openDecoder(format: Exclude<PackedFormat, 'webm'>): Promise<ChunkDecoder> {
  const decoder = await OPENERS[format]();
  await decoder.ready;
  return {
    decode: async (bytes) => decoder.decode(bytes),
    flush: async () => {
      try {
        return (await decoder.flush?.()) ?? null;
      } catch {
        // Of a file that ends inside a header; that nothing came out of it is told by whoever asked.
        return null;
      }
    },
    free: () => decoder.free(),
  };
}

/**
 * The Opus packets of a WebM file, or of one that is still coming, decoded one by one.
 * @param promises is told how many samples the file says that it has, if it says so
 * @throws Fault `sound-format-unknown`, `sound-damaged`
 */
export async function* webmPackets(
  from: string | ReadableStream<Uint8Array>,
  promises: (samples: number) => void,
): AsyncIterable<{ piece: DecodedPiece; bytes: number }> {
  const { EncodedPacketSink, FilePathSource, Input, MATROSKA, ReadableStreamSource, WEBM } =
    await import('mediabunny');
  const { OpusDecoder } = await import('opus-decoder');
  const source = typeof from === 'string' ? new FilePathSource(from) : new ReadableStreamSource(from);
  const input = new Input({ formats: [WEBM, MATROSKA], source });
  const track = await input.getPrimaryAudioTrack().catch((error: unknown) => {
    throw new Fault('sound-damaged', (error as Error).message);
  });
  if (!track) throw new Fault('sound-damaged', 'it has no track of sound that could be found');
  if (track.codec !== 'opus')
    throw new Fault('sound-format-unknown', `a WebM file with ${track.codec ?? 'an unknown codec'}`);
  const durationS = await track.getDurationFromMetadata().catch(() => null);
  const decoder = new OpusDecoder({ channels: track.numberOfChannels });
  await decoder.ready;
  if (durationS) promises(durationS * 48_000);
  try {
    for await (const packet of new EncodedPacketSink(track).packets())
      yield { piece: decoder.decodeFrame(packet.data), bytes: packet.byteLength };
  } finally {
    decoder.free();
    input.dispose();
  }
}

/** Sound that is still coming, decoded as far as it is there. @throws Fault */
export async function* decodedPieces(
  format: PackedFormat,
  chunks: AsyncIterable<Uint8Array>,
): AsyncIterable<DecodedPiece> {
  if (format === 'webm') {
    const stream = ReadableStream.from(chunks) as ReadableStream<Uint8Array>;
    for await (const { piece } of webmPackets(stream, () => undefined)) yield piece;
    return;
  }
  const decoder = await openDecoder(format);
  try {
    for await (const bytes of chunks) yield await decoder.decode(bytes);
    const last = await decoder.flush();
    if (last) yield last;
  } finally {
    decoder.free();
  }
}
