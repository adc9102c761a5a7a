/**
 * Binary frames of the talk socket. A header of 16 bytes, then 16-bit little-endian samples:
 *
 *   byte 0      kind: 1 caller's sound, 2 assistant's sound, 3 other people's in the talk
 *   byte 1      flags: bit 0 the speech ends with this frame
 *   bytes 2-3   zero
 *   bytes 4-7   epoch, unsigned, little-endian: the speech's id; 0 for people
 *   bytes 8-15  first sample, unsigned, little-endian: on the caller's axis, or within the speech
 *
 * The whole length is a multiple of four; a frame with an odd number of samples is refused.
 */
import { pcm16Bytes, pcm16FromBytes } from '@verbalon/core';

const HEADER_BYTES = 16;
/** The most sound in one frame: one second at 192 kHz. */
export const MOST_FRAME_BYTES = HEADER_BYTES + 2 * 192_000;

export const FRAME_KINDS = { caller: 1, assistant: 2, people: 3 } as const;
type FrameKind = keyof typeof FRAME_KINDS;

export interface Frame {
  from: FrameKind;
  epoch: number;
  firstSample: number;
  last: boolean;
  samples: Int16Array;
}

export class FrameFault extends Error {}

export function writeFrame(frame: Frame): Uint8Array {
  const even = frame.samples.length + (frame.samples.length & 1);
  const out = new Uint8Array(HEADER_BYTES + even * 2);
  const view = new DataView(out.buffer);
  view.setUint8(0, FRAME_KINDS[frame.from]);
  view.setUint8(1, frame.last ? 1 : 0);
  view.setUint32(4, frame.epoch, true);
  view.setBigUint64(8, BigInt(frame.firstSample), true);
  out.set(pcm16Bytes(frame.samples), HEADER_BYTES);
  return out;
}

/** Reads a frame from bytes at any offset. @throws FrameFault that says what is wrong with it. */
export function readFrame(bytes: Uint8Array): Frame {
  if (bytes.byteLength < HEADER_BYTES) {
    throw new FrameFault(
      `a frame has a header of ${HEADER_BYTES} bytes, this one has ${bytes.byteLength} bytes in all`,
    );
  }
  if (bytes.byteLength % 4 !== 0)
    throw new FrameFault(`its length of ${bytes.byteLength} bytes is not a multiple of four`);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const kind = view.getUint8(0);
  const from = (Object.keys(FRAME_KINDS) as FrameKind[]).find((name) => FRAME_KINDS[name] === kind);
  if (!from) throw new FrameFault(`its kind is ${kind}; known are 1 (caller), 2 (assistant) and 3 (people)`);
  const firstSample = view.getBigUint64(8, true);
  if (firstSample > BigInt(Number.MAX_SAFE_INTEGER)) throw new FrameFault('its first sample is out of range');
  return {
    from,
    epoch: view.getUint32(4, true),
    firstSample: Number(firstSample),
    last: (view.getUint8(1) & 1) === 1,
    samples: pcm16FromBytes(bytes.subarray(HEADER_BYTES)),
  };
}
