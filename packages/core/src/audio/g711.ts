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
function encoder(decode: (byte: number) => number): (sample: number) => number {
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

let mu: ((sample: number) => number) | null = null;
let a: ((sample: number) => number) | null = null;

/** 16-bit sample to its µ-law byte. */
export const muLawByte = (sample: number): number => (mu ??= encoder(muLawSample))(sample);
/** 16-bit sample to its A-law byte. */
export const aLawByte = (sample: number): number => (a ??= encoder(aLawSample))(sample);
