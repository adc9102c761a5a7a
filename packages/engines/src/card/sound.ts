/** Sound as an engine wants it, and as it sends it. */
import {
  aLawByte, aLawSample, HOUSE_RATE_HZ, muLawByte, muLawSample, Resampler, toFloats, toPcm16, wavLayout,
} from '@verbalon/core'; // prettier-ignore
import { EngineFault } from '../contract.js';

export type Encoding = 'pcm16' | 'mulaw' | 'alaw' | 'wav';
interface Format {
  encoding?: Encoding | undefined;
  rateHz?: number | undefined;
}

/** What the caller's sound becomes on its way to the engine. */
export class SoundOut {
  private readonly resampler: Resampler | null;

  constructor(private readonly format: Format) {
    const rateHz = format.rateHz ?? HOUSE_RATE_HZ;
    this.resampler = rateHz === HOUSE_RATE_HZ ? null : new Resampler(HOUSE_RATE_HZ, rateHz);
  }

  push(samples: Int16Array): Buffer {
    return this.coded(this.resampler ? toPcm16(this.resampler.push(toFloats(samples))) : samples);
  }

  flush(): Buffer {
    return this.coded(this.resampler ? toPcm16(this.resampler.flush()) : new Int16Array(0));
  }

  private coded(samples: Int16Array): Buffer {
    const { encoding } = this.format;
    if (encoding === 'mulaw') return Buffer.from(Uint8Array.from(samples, muLawByte));
    if (encoding === 'alaw') return Buffer.from(Uint8Array.from(samples, aLawByte));
    return Buffer.from(samples.buffer.slice(samples.byteOffset, samples.byteOffset + samples.byteLength));
  }
}

/** Enough of a WAV file to hold its head, in bytes. */
const HEAD_BYTES = 4_096;

/** What the engine sends becomes 16-bit sound at the house rate. */
export class SoundIn {
  private resampler: Resampler | null = null;
  private odd: Buffer = Buffer.alloc(0);
  private rateHz: number;
  private headRead: boolean;

  constructor(
    private readonly name: string,
    private readonly format: Format,
  ) {
    this.rateHz = format.rateHz ?? HOUSE_RATE_HZ;
    this.headRead = format.encoding !== 'wav';
  }

  push(bytes: Buffer): Int16Array {
    const all = this.odd.length === 0 ? bytes : Buffer.concat([this.odd, bytes]);
    this.odd = Buffer.alloc(0);
    if (this.headRead) return this.decode(all);
    const head = this.headOf(all);
    if (!head) {
      this.odd = all;
      return new Int16Array(0);
    }
    this.headRead = true;
    this.rateHz = head.rateHz;
    return this.decode(all.subarray(head.dataAt));
  }

  flush(): Int16Array {
    return this.resampler ? toPcm16(this.resampler.flush()) : new Int16Array(0);
  }

  private headOf(bytes: Buffer): { dataAt: number; rateHz: number } | null {
    const at = bytes.subarray(0, HEAD_BYTES).indexOf('data');
    if (at < 0 || bytes.length < at + 8) {
      if (bytes.length < HEAD_BYTES) return null;
      throw new EngineFault(
        'engine-garbled',
        `${this.name} sent sound that is no WAV file, as its card says it is`,
      );
    }
    try {
      const { from, frameBytes, rateHz } = wavLayout(bytes.subarray(0, at + 8), Number.MAX_SAFE_INTEGER);
      if (frameBytes !== 2) throw new Error(`it has ${frameBytes} bytes a sample`);
      return { dataAt: from, rateHz };
    } catch (error) {
      throw new EngineFault('engine-garbled', `${this.name} sent a WAV file that is not 16-bit mono: ${(error as Error).message}`); // prettier-ignore
    }
  }

  private decode(bytes: Buffer): Int16Array {
    const samples = this.samplesOf(bytes);
    if (this.rateHz === HOUSE_RATE_HZ) return samples;
    this.resampler ??= new Resampler(this.rateHz, HOUSE_RATE_HZ);
    return toPcm16(this.resampler.push(toFloats(samples)));
  }

  private samplesOf(bytes: Buffer): Int16Array {
    if (this.format.encoding === 'mulaw') return Int16Array.from(bytes, muLawSample);
    if (this.format.encoding === 'alaw') return Int16Array.from(bytes, aLawSample);
    const even = bytes.length - (bytes.length % 2);
    if (even < bytes.length) this.odd = Buffer.from(bytes.subarray(even));
    return Int16Array.from({ length: even / 2 }, (_, i) => bytes.readInt16LE(2 * i));
  }
}
