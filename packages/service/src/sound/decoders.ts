/** The decoders from the registry behind one shape. They are loaded when a recording needs one. */
import { statSync } from 'node:fs';
import { Fault } from '@verbalon/core';

export type PackedFormat = 'flac' | 'mp3' | 'vorbis' | 'opus' | 'webm';

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
 * The Opus packets of a WebM file, decoded one by one.
 * @param promises is told how many samples the file says that it has, if it says so
 * @throws Fault `sound-format-unknown`, `sound-damaged`
 */
export async function* webmPackets(
  file: string,
  promises: (samples: number) => void,
): AsyncIterable<{ piece: DecodedPiece; share: number }> {
  const { EncodedPacketSink, FilePathSource, Input, MATROSKA, WEBM } = await import('mediabunny');
  const { OpusDecoder } = await import('opus-decoder');
  const input = new Input({ formats: [WEBM, MATROSKA], source: new FilePathSource(file) });
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
  const size = statSync(file).size;
  let read = 0;
  try {
    for await (const packet of new EncodedPacketSink(track).packets()) {
      read += packet.byteLength;
      yield { piece: decoder.decodeFrame(packet.data), share: Math.min(1, read / size) };
    }
  } finally {
    decoder.free();
    input.dispose();
  }
}
