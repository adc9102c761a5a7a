/** G.711 (ITU-T G.711, 1988): one byte a sample, as telephones send it. Decoding only. */

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
