/**
 * Unpacks what voices send, one stream at a time, in a process of its own: what a damaged stream does to its
 * decoder happens here.
 */
import { Fault, HOUSE_RATE_HZ, mixDown, Resampler, toPcm16 } from '@verbalon/core';
import { EventQueue } from '../common/event-queue.js';
import type { FromAnyHost } from '../hosts/host-pool.js';
import { decodedPieces } from './decoders.js';
import type { PackedFormat } from './formats.js';
import type { FromUnpackHost, ToUnpackHost } from './messages.js';

const tell = (message: FromUnpackHost | FromAnyHost) => process.send?.(message);
let current: { job: number; chunks: EventQueue<Uint8Array> } | null = null;

async function unpack(job: number, format: PackedFormat, chunks: AsyncIterable<Uint8Array>): Promise<void> {
  let resampler: Resampler | null = null;
  let of = 0;
  const give = (samples: Float32Array) => {
    if (samples.length > 0) tell({ kind: 'sound', job, samples: toPcm16(samples) });
  };
  for await (const { channelData, samplesDecoded, sampleRate, errors } of decodedPieces(format, chunks)) {
    if (errors.length > 0) throw new Fault('sound-damaged', errors[0]!.message);
    if (samplesDecoded === 0) continue;
    if (sampleRate !== of) resampler = new Resampler(sampleRate, HOUSE_RATE_HZ);
    of = sampleRate;
    give(resampler!.push(mixDown(channelData)));
  }
  if (resampler) give(resampler.flush());
}

process.on('message', (message: ToUnpackHost) => {
  const { job } = message;
  if (message.kind === 'begin') {
    const chunks = new EventQueue<Uint8Array>();
    current = { job, chunks };
    void unpack(job, message.format, chunks)
      .then(
        () => tell({ kind: 'done', job }),
        (error: unknown) =>
          tell({
            kind: 'fault',
            job,
            detail: error instanceof Fault ? error.detail : 'it cannot be decoded',
          }),
      )
      .then(() => tell({ kind: 'idle', job }));
  } else if (current?.job === job) {
    if (message.kind === 'bytes') current.chunks.push(message.bytes);
    else current.chunks.end();
  }
});
process.on('disconnect', () => process.exit(0));

tell({ kind: 'ready' });
