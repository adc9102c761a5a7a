/** G.711 (ITU-T G.711, 1988): one byte a sample, as telephones send it. */

/** One mu-law byte as a 16-bit sample (G.711 table 2a). */
export function muLawSample(byte: number): number {
  const code = ~byte & 0xff;
  const magnitude = ((((code & 0x0f) << 3) + 0x84) << ((code & 0x70) >> 4)) - 0x84;
  return code & 0x80 ? -magnitude : magnitude;
}

/** One A-law byte as a 16-bit sample (G.711 table 1a). */
export function aLawSample(byte: number): number {
  const code = byte ^ 0x55;
  const exponent = (code & 0x70) >> 4;
  const mantissa = ((code & 0x0f) << 4) + 8;
  const magnitude = exponent === 0 ? mantissa : (mantissa + 0x100) << (exponent - 1);
  return code & 0x80 ? magnitude : -magnitude;
}

/** The nearest code of a 16-bit sample, from a table of what all codes stand for. */
function nearest(decode: (byte: number) => number): (sample: number) => number {
  const codes = Array.from({ length: 256 }, (_, byte) => ({ byte, sample: decode(byte) })).sort(
    (a, b) => a.sample - b.sample,
  );
  const table = new Uint8Array(65_536);
  for (let sample = -32_768, i = 0; sample < 32_768; sample++) {
    while (i < 255 && Math.abs(codes[i + 1]!.sample - sample) <= Math.abs(codes[i]!.sample - sample)) i++;
    table[sample + 32_768] = codes[i]!.byte;
  }
  return (sample) => table[sample + 32_768]!;
}

/** One law for whole sounds, in plain loops: `from` of typed arrays takes twenty times as long. */
export class G711 {
  private table: ((sample: number) => number) | null = null;

  constructor(private readonly sampleOf: (byte: number) => number) {}

  /** @returns 16-bit samples, one for each byte */
  decode(bytes: Uint8Array): Int16Array {
    const samples = new Int16Array(bytes.length);
    for (let i = 0; i < samples.length; i++) samples[i] = this.sampleOf(bytes[i]!);
    return samples;
  }

  encode(samples: Int16Array): Uint8Array {
    const byteOf = (this.table ??= nearest(this.sampleOf));
    const bytes = new Uint8Array(samples.length);
    for (let i = 0; i < bytes.length; i++) bytes[i] = byteOf(samples[i]!);
    return bytes;
  }
}

export const MU_LAW = new G711(muLawSample);
export const A_LAW = new G711(aLawSample);
