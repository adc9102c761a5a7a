/**
 * Sample formats: whole numbers at the edges, floats in [-1, 1] in the computation.
 */

/** The rate at which everything in the service is heard and said, in Hz. */
export const HOUSE_RATE_HZ = 16_000;

/** Rates that a caller may send or ask for, in Hz. */
export const LEAST_RATE_HZ = 8_000;
export const GREATEST_RATE_HZ = 192_000;

/** As nearly every machine is: its samples are the bytes already. */
const IS_LITTLE_ENDIAN = new Uint8Array(new Uint16Array([1]).buffer)[0] === 1;

/** 16-bit whole numbers to floats in [-1, 1). */
export function toFloats(pcm: Int16Array): Float32Array {
  const out = new Float32Array(pcm.length);
  for (let i = 0; i < pcm.length; i++) out[i] = pcm[i]! / 32768;
  return out;
}

/** Floats to 16-bit whole numbers, rounded; what is louder than full scale is clipped. */
export function toPcm16(samples: Float32Array): Int16Array {
  const out = new Int16Array(samples.length);
  for (let i = 0; i < samples.length; i++) {
    const value = Math.round(samples[i]! * 32768);
    out[i] = value > 32767 ? 32767 : value < -32768 ? -32768 : value;
  }
  return out;
}

/** Little-endian bytes of 16-bit samples, as a copy (any offset of the source is fine). */
export function pcm16Bytes(pcm: Int16Array): Uint8Array {
  if (IS_LITTLE_ENDIAN) return new Uint8Array(pcm.buffer, pcm.byteOffset, pcm.byteLength).slice();
  const out = new Uint8Array(pcm.length * 2);
  const view = new DataView(out.buffer);
  for (let i = 0; i < pcm.length; i++) view.setInt16(i * 2, pcm[i]!, true);
  return out;
}

/** 16-bit samples from little-endian bytes at any offset; an odd last byte is left out. */
export function pcm16FromBytes(bytes: Uint8Array): Int16Array {
  const out = new Int16Array(bytes.byteLength >> 1);
  if (IS_LITTLE_ENDIAN) {
    new Uint8Array(out.buffer).set(bytes.subarray(0, out.byteLength));
    return out;
  }
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let i = 0; i < out.length; i++) out[i] = view.getInt16(i * 2, true);
  return out;
}

/** One array out of many, in order. */
export function joinPcm16(parts: readonly Int16Array[]): Int16Array {
  const out = new Int16Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}

/** What lies between two samples of many arrays in order, as a copy. */
export function slicePcm16(parts: readonly Int16Array[], from: number, to: number): Int16Array {
  const out = new Int16Array(to - from);
  let start = 0;
  for (const part of parts) {
    const a = Math.max(from, start);
    const b = Math.min(to, start + part.length);
    if (a < b) out.set(part.subarray(a - start, b - start), a - from);
    start += part.length;
    if (start >= to) break;
  }
  return out;
}

/** How many samples `ms` milliseconds are at `rateHz`, rounded. */
export function samplesOfMs(ms: number, rateHz: number): number {
  return Math.round((ms * rateHz) / 1000);
}

/** How many milliseconds `count` samples last at `rateHz`. */
export function msOfSamples(count: number, rateHz: number): number {
  return (count * 1000) / rateHz;
}

/** The mean of all channels; a single channel is returned as it is. */
export function mixDown(channels: readonly Float32Array[]): Float32Array {
  const first = channels[0] ?? new Float32Array(0);
  if (channels.length <= 1) return first;
  const out = new Float32Array(first.length);
  for (const channel of channels)
    for (let i = 0; i < out.length; i++) out[i]! += channel[i]! / channels.length;
  return out;
}
