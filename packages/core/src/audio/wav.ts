/**
 * WAV (RIFF/WAVE) in and out: PCM of 8 to 32 bits, floats of 32 and 64 bits, G.711; any rate, any channel
 * count.
 */
import { Fault } from '../common/faults.js';
import { aLawSample, muLawSample } from './g711.js';
import { GREATEST_RATE_HZ, LEAST_RATE_HZ } from './samples.js';

export interface Sound {
  rateHz: number;
  /** One array a channel, floats in [-1, 1], all of one length. */
  channels: Float32Array[];
}

type ReadSample = (view: DataView, at: number) => number;

const FORMAT_PCM = 1;
const FORMAT_FLOAT = 3;
const FORMAT_A_LAW = 6;
const FORMAT_MU_LAW = 7;
const FORMAT_EXTENSIBLE = 0xfffe;
/** Sizes that a recorder writes when it cannot go back and fill in the true one. */
const OPEN_SIZES = new Set([0, 0xffffffff, 0x7fffffff]);

const readers: Record<string, ReadSample> = {
  [`${FORMAT_PCM}/8`]: (view, at) => (view.getUint8(at) - 128) / 128,
  [`${FORMAT_PCM}/16`]: (view, at) => view.getInt16(at, true) / 32768,
  [`${FORMAT_PCM}/24`]: (view, at) =>
    (view.getUint8(at) | (view.getUint8(at + 1) << 8) | (view.getInt8(at + 2) << 16)) / 8388608,
  [`${FORMAT_PCM}/32`]: (view, at) => view.getInt32(at, true) / 2147483648,
  [`${FORMAT_FLOAT}/32`]: (view, at) => view.getFloat32(at, true),
  [`${FORMAT_FLOAT}/64`]: (view, at) => view.getFloat64(at, true),
  [`${FORMAT_A_LAW}/8`]: (view, at) => aLawSample(view.getUint8(at)) / 32768,
  [`${FORMAT_MU_LAW}/8`]: (view, at) => muLawSample(view.getUint8(at)) / 32768,
};

interface WavFormat {
  tag: number;
  channels: number;
  rateHz: number;
  bits: number;
}

function ascii(view: DataView, at: number): string {
  return String.fromCharCode(...[0, 1, 2, 3].map((i) => view.getUint8(at + i)));
}

function readFormat(view: DataView, at: number, size: number): WavFormat {
  if (size < 16)
    throw new Fault('sound-format-unknown', `its format chunk has ${size} bytes, at least 16 are needed`);
  const tag = view.getUint16(at, true);
  const format: WavFormat = {
    tag: tag === FORMAT_EXTENSIBLE && size >= 26 ? view.getUint16(at + 24, true) : tag,
    channels: view.getUint16(at + 2, true),
    rateHz: view.getUint32(at + 4, true),
    bits: view.getUint16(at + 14, true),
  };
  if (format.channels < 1 || format.channels > 32) {
    throw new Fault('sound-format-unknown', `it names ${format.channels} channels`);
  }
  if (format.rateHz < LEAST_RATE_HZ || format.rateHz > GREATEST_RATE_HZ) {
    throw new Fault('sound-rate-out-of-range', `its rate is ${format.rateHz} Hz`);
  }
  return format;
}

/** Where the samples of a WAV file lie, and what they are. */
export interface WavLayout {
  rateHz: number;
  channels: number;
  /** Of the samples, in bytes from the beginning of the file. */
  from: number;
  to: number;
  /** One sample of every channel. */
  frameBytes: number;
  /** The channels of whole frames, one array each. */
  read(bytes: Uint8Array): Float32Array[];
}

/**
 * Reads the header of a WAV file from its first bytes; the file may be longer than these.
 * @param fileBytes the length of the whole file
 * @throws Fault `sound-empty`, `sound-not-wav`, `sound-cut-short`, `sound-format-unknown` or
 * `sound-rate-out-of-range`.
 */
export function wavLayout(head: Uint8Array, fileBytes: number): WavLayout {
  if (head.byteLength === 0) throw new Fault('sound-empty', 'it has no bytes');
  const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
  if (head.byteLength < 12 || ascii(view, 0) !== 'RIFF' || ascii(view, 8) !== 'WAVE') {
    throw new Fault('sound-not-wav', 'it does not begin with a RIFF/WAVE header');
  }
  let format: WavFormat | undefined;
  for (let at = 12; at + 8 <= head.byteLength;) {
    const name = ascii(view, at);
    const size = view.getUint32(at + 4, true);
    const body = at + 8;
    const there = fileBytes - body;
    if (name === 'data') {
      if (!format) throw new Fault('sound-format-unknown', 'its samples come before its format');
      if (size > there && !OPEN_SIZES.has(size)) {
        throw new Fault('sound-cut-short', `it promises ${size} bytes of sound and has ${there}`);
      }
      const open = OPEN_SIZES.has(size) && there > 0;
      return layoutOf(format, body, body + (open ? there : size));
    }
    if (size > there) throw new Fault('sound-cut-short', `its part "${name}" ends after the end of the file`);
    if (name === 'fmt ') format = readFormat(view, body, size);
    at = body + size + (size & 1);
  }
  throw new Fault('sound-cut-short', 'it ends before its samples begin');
}

function layoutOf({ tag, channels, rateHz, bits }: WavFormat, from: number, to: number): WavLayout {
  const read = readers[`${tag}/${bits}`];
  if (!read) throw new Fault('sound-format-unknown', `format ${tag} with ${bits} bits a sample`);
  const width = bits / 8;
  const frameBytes = width * channels;
  const frames = Math.floor((to - from) / frameBytes);
  if (frames === 0) throw new Fault('sound-empty', 'it has a header and no samples');
  return {
    rateHz,
    channels,
    from,
    to: from + frames * frameBytes,
    frameBytes,
    read: (bytes) => {
      const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
      const count = Math.floor(bytes.byteLength / frameBytes);
      return Array.from({ length: channels }, (_, channel) => {
        const out = new Float32Array(count);
        for (let i = 0; i < count; i++) out[i] = read(view, i * frameBytes + channel * width);
        return out;
      });
    },
  };
}

/**
 * Reads a whole WAV file.
 * @throws Fault as `wavLayout`
 */
export function readWav(bytes: Uint8Array): Sound {
  const layout = wavLayout(bytes, bytes.byteLength);
  return { rateHz: layout.rateHz, channels: layout.read(bytes.subarray(layout.from, layout.to)) };
}

/** How long the head of a WAV file is that we write, in bytes. */
export const WAV_HEAD_BYTES = 44;

/** The head of a 16-bit WAV file with so many frames (a sample of each channel). */
export function wavHead(channels: number, rateHz: number, frames: number): Uint8Array {
  const size = frames * channels * 2;
  const out = new Uint8Array(WAV_HEAD_BYTES);
  const view = new DataView(out.buffer);
  const put = (at: number, text: string) =>
    [...text].forEach((c, i) => view.setUint8(at + i, c.charCodeAt(0)));
  put(0, 'RIFF');
  view.setUint32(4, 36 + size, true);
  put(8, 'WAVEfmt ');
  view.setUint32(16, 16, true);
  view.setUint16(20, FORMAT_PCM, true);
  view.setUint16(22, channels, true);
  view.setUint32(24, rateHz, true);
  view.setUint32(28, rateHz * channels * 2, true);
  view.setUint16(32, channels * 2, true);
  view.setUint16(34, 16, true);
  put(36, 'data');
  view.setUint32(40, size, true);
  return out;
}

/** The samples of several channels, frame after frame; a channel that is shorter ends in silence. */
export function interleaved(channels: readonly Int16Array[]): Uint8Array {
  const frames = Math.max(0, ...channels.map((channel) => channel.length));
  const out = new Uint8Array(frames * channels.length * 2);
  const view = new DataView(out.buffer);
  channels.forEach((channel, c) => {
    for (let i = 0; i < channel.length; i++) view.setInt16((i * channels.length + c) * 2, channel[i]!, true);
  });
  return out;
}

/** A WAV file of 16-bit samples; channels shorter than the longest are filled up with silence. */
export function writeWav(channels: readonly Int16Array[], rateHz: number): Uint8Array {
  const sound = interleaved(channels);
  const out = new Uint8Array(WAV_HEAD_BYTES + sound.length);
  out.set(wavHead(channels.length, rateHz, sound.length / channels.length / 2));
  out.set(sound, WAV_HEAD_BYTES);
  return out;
}
