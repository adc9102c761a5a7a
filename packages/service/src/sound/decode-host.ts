/**
 * Decodes one recording, in a process of its own: what a damaged file makes a decoder do happens here. Sends
 * the sound, one channel at HOUSE_RATE_HZ, piece by piece, each when it is asked for.
 */
import { Fault, HOUSE_RATE_HZ, NARROW_RATE_HZ, Resampler } from '@verbalon/core';
import type { FromDecodeHost, ToDecodeHost } from './decoding.js';
import { readSoundFile } from './sound-file.js';

const tell = (message: FromDecodeHost, then?: () => void) => void process.send!(message, undefined, {}, then);
/** What was told last must have gone out. */
const end = () => process.disconnect();
let wake: (() => void) | null = null;
let asked = 0;

process.on('message', (message: ToDecodeHost) => {
  if (message.kind === 'decode') return void decode(message.file).catch(failed);
  asked++;
  wake?.();
});
process.on('disconnect', () => process.exit(0));

function failed(error: unknown): void {
  const fault = error instanceof Fault ? error : new Fault('sound-damaged', 'it cannot be decoded');
  tell({ kind: 'fault', code: fault.code, detail: fault.detail }, end);
}

async function decode(file: string): Promise<void> {
  let resampler: Resampler | null = null;
  let of = 0;
  const give = async (samples: Float32Array, share: number) => {
    if (samples.length === 0) return;
    while (asked === 0) await new Promise<void>((resolve) => (wake = resolve));
    asked--;
    tell({ kind: 'piece', samples, share, narrow: of <= NARROW_RATE_HZ });
  };
  for await (const { samples, rateHz, share } of readSoundFile(file)) {
    if (rateHz !== of) resampler = new Resampler(rateHz, HOUSE_RATE_HZ);
    of = rateHz;
    await give(resampler!.push(samples), share);
  }
  if (resampler) await give(resampler.flush(), 1);
  tell({ kind: 'end' }, end);
}
