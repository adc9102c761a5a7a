/** Sound on its way to and from an engine. */
import {
  A_LAW,
  HOUSE_RATE_HZ,
  mixDown,
  MU_LAW,
  pcm16FromBytes,
  Resampler,
  toFloats,
  toPcm16,
  wavHead,
  wavLayout,
  type WavLayout,
} from '@verbalon/core';
import type { ReceivePart, SendPart } from '@verbalon/protocol';
import { EngineFault } from '../common/contract.js';
import { formatOf, TELLING_BYTES, type PackedFormat, type SoundFormat } from '../decoding/formats.js';
import { Unpacking } from '../decoding/unpack.js';
import { EventQueue } from '../common/event-queue.js';
import { FlacFile } from './flac.js';

/** What the caller's sound becomes on its way to the engine. */
export class SoundOut {
  private readonly rateHz: number;
  private readonly resampler: Resampler | null;
  private readonly flac: FlacFile | null;

  constructor(
    private readonly encoding: SendPart['encoding'],
    rateHz = HOUSE_RATE_HZ,
  ) {
    this.rateHz = rateHz;
    this.resampler = rateHz === HOUSE_RATE_HZ ? null : new Resampler(HOUSE_RATE_HZ, rateHz);
    this.flac = encoding === 'flac' ? new FlacFile(rateHz) : null;
  }

  push(samples: Int16Array): Buffer {
    return this.coded(this.resampler ? toPcm16(this.resampler.push(toFloats(samples))) : samples);
  }

  flush(): Buffer {
    return this.coded(this.resampler ? toPcm16(this.resampler.flush()) : new Int16Array(0));
  }

  /**
   * All that was pushed so far, as one file of the encoding. @param coded what pushing gave @param over
   * nothing more comes
   */
  async whole(coded: readonly Buffer[], over: boolean): Promise<Buffer> {
    const all = Buffer.concat(coded);
    if (this.encoding === 'wav') return Buffer.concat([wavHead(1, this.rateHz, all.length / 2), all]);
    if (!this.flac) return all;
    if (over) return this.flac.whole();
    // One that goes on cannot be ended for what there is of it so far.
    const soFar = new FlacFile(this.rateHz);
    soFar.push(pcm16FromBytes(all));
    return soFar.whole();
  }

  private coded(samples: Int16Array): Buffer {
    const { encoding } = this;
    this.flac?.push(samples);
    if (encoding === 'mulaw') return Buffer.from(MU_LAW.encode(samples));
    if (encoding === 'alaw') return Buffer.from(A_LAW.encode(samples));
    return Buffer.from(samples.buffer.slice(samples.byteOffset, samples.byteOffset + samples.byteLength));
  }
}

/** Enough of a WAV file to hold its head, in bytes. */
const HEAD_BYTES = 4_096;

/** What the engine sends becomes 16-bit sound at the house rate, read as it comes. */
export class SoundIn implements AsyncIterable<Int16Array> {
  private readonly out = new EventQueue<Int16Array>();
  private head: Buffer = Buffer.alloc(0);
  private plain: PlainSound | null = null;
  private packed: Unpacking | null = null;
  private over = false;
  /** Raw sound was looked at: is it really a file? */
  private looked = false;

  constructor(
    private readonly name: string,
    private readonly receive: ReceivePart,
  ) {
    const { encoding = 'pcm16', rateHz, channels } = receive;
    if (encoding === 'pcm16' || encoding === 'mulaw' || encoding === 'alaw')
      this.plain = rawSound(encoding, rateHz ?? HOUSE_RATE_HZ, channels ?? 1);
  }

  push(bytes: Buffer): void {
    try {
      this.take(bytes);
    } catch (error) {
      this.fail(error as Error);
    }
  }

  /** All of it has come. */
  end(): void {
    if (this.over) return;
    this.over = true;
    try {
      if (this.head.length > 0) this.begin(true);
      if (this.packed) return this.packed.end();
      const last = this.plain?.flush();
      if (last && last.length > 0) this.out.push(last);
      this.out.end();
    } catch (error) {
      this.fail(error as Error);
    }
  }

  fail(fault: Error): void {
    this.over = true;
    this.out.fail(fault);
  }

  /** Nobody reads it any more. */
  close(): void {
    this.packed?.close();
  }

  [Symbol.asyncIterator](): AsyncIterator<Int16Array, undefined> {
    return this.out[Symbol.asyncIterator]();
  }

  private take(bytes: Buffer): void {
    if (this.packed) return this.packed.push(bytes);
    if (this.plain) {
      if (!this.looked) this.lookAt(bytes);
      const samples = this.plain.push(bytes);
      if (samples.length > 0) this.out.push(samples);
      return;
    }
    this.head = Buffer.concat([this.head, bytes]);
    this.begin(false);
  }

  /** Raw sound has no head: where there is one that is plain to see, the card is wrong. */
  private lookAt(first: Buffer): void {
    this.looked = true;
    const magic = /^(?:RIFF|OggS|fLaC|ID3|\x1aE\xdf\xa3)/.exec(first.toString('latin1', 0, 4))?.[0];
    if (magic === undefined) return;
    const { encoding = 'pcm16' } = this.receive;
    throw new EngineFault(
      'engine-garbled',
      `${this.name} sent a file (it begins with ${JSON.stringify(magic)}), and its card says raw sound (receive.encoding: ${encoding}); write auto`,
    );
  }

  /** Once there is enough of it to tell what it is. @param all nothing more comes */
  private begin(all: boolean): void {
    const { head, name } = this;
    if (head.length < TELLING_BYTES && !all) return;
    const format = this.formatOf(head);
    if (format === 'wav') {
      const at = head.subarray(0, HEAD_BYTES).indexOf('data');
      const isThere = at >= 0 && head.length >= at + 8;
      if (!isThere && head.length < HEAD_BYTES && !all) return;
      const layout = wavOf(name, head);
      this.looked = true;
      this.plain = new PlainSound(layout);
      this.head = Buffer.alloc(0);
      return this.take(head.subarray(layout.from));
    }
    this.packed = this.unpack(format);
    this.head = Buffer.alloc(0);
    this.take(head);
  }

  private formatOf(head: Buffer): SoundFormat {
    const { name, receive } = this;
    let found: SoundFormat;
    try {
      found = formatOf(head);
    } catch {
      const said =
        receive.encoding === 'auto' ? 'none of WAV, MP3, Ogg, FLAC and WebM' : `not ${receive.encoding}`;
      throw new EngineFault(
        'engine-garbled',
        `${name} sent sound that is ${said}: it begins with ${JSON.stringify(head.toString('latin1', 0, 8))}`,
      );
    }
    const is = found === 'opus' || found === 'vorbis' ? 'ogg' : found;
    if (receive.encoding !== 'auto' && receive.encoding !== is)
      throw new EngineFault(
        'engine-garbled',
        `${name} sent ${is} sound, and its card says "receive.encoding: ${receive.encoding}"; write ${is} or auto`,
      );
    return found;
  }

  private unpack(format: PackedFormat): Unpacking {
    const packed = new Unpacking(this.name, format);
    void (async () => {
      for await (const samples of packed) this.out.push(samples);
    })().then(
      () => this.out.end(),
      (fault: Error) => this.fail(fault),
    );
    return packed;
  }
}

/** What plain sound is: its samples follow each other as they are. */
interface PlainFormat {
  rateHz: number;
  frameBytes: number;
  /** Of whole frames. */
  read(bytes: Buffer): Int16Array;
}

class PlainSound {
  private odd: Buffer = Buffer.alloc(0);
  private readonly resampler: Resampler | null;

  constructor(private readonly format: PlainFormat) {
    this.resampler = format.rateHz === HOUSE_RATE_HZ ? null : new Resampler(format.rateHz, HOUSE_RATE_HZ);
  }

  push(bytes: Buffer): Int16Array {
    const all = this.odd.length === 0 ? bytes : Buffer.concat([this.odd, bytes]);
    const whole = all.length - (all.length % this.format.frameBytes);
    this.odd = whole < all.length ? Buffer.from(all.subarray(whole)) : Buffer.alloc(0);
    const samples = this.format.read(all.subarray(0, whole));
    return this.resampler ? toPcm16(this.resampler.push(toFloats(samples))) : samples;
  }

  flush(): Int16Array {
    return this.resampler ? toPcm16(this.resampler.flush()) : new Int16Array(0);
  }
}

function rawSound(encoding: 'pcm16' | 'mulaw' | 'alaw', rateHz: number, channels: number): PlainSound {
  const width = encoding === 'pcm16' ? 2 : 1;
  const one = (bytes: Buffer): Int16Array => {
    if (encoding === 'mulaw') return MU_LAW.decode(bytes);
    if (encoding === 'alaw') return A_LAW.decode(bytes);
    return pcm16FromBytes(bytes);
  };
  const mixed = (samples: Int16Array) =>
    Int16Array.from({ length: samples.length / channels }, (_, i) => {
      let sum = 0;
      for (let channel = 0; channel < channels; channel++) sum += samples[i * channels + channel]!;
      return sum / channels;
    });
  const read = (bytes: Buffer) => (channels === 1 ? one(bytes) : mixed(one(bytes)));
  return new PlainSound({ rateHz, frameBytes: width * channels, read });
}

function wavOf(name: string, head: Buffer): PlainFormat & Pick<WavLayout, 'from'> {
  try {
    const at = head.indexOf('data');
    const layout = wavLayout(at < 0 ? head : head.subarray(0, at + 8), Number.MAX_SAFE_INTEGER);
    const { rateHz, frameBytes, from } = layout;
    return { rateHz, frameBytes, from, read: (bytes) => toPcm16(mixDown(layout.read(bytes))) };
  } catch (error) {
    throw new EngineFault(
      'engine-garbled',
      `${name} sent a WAV file that cannot be read: ${(error as Error).message}`,
    );
  }
}
