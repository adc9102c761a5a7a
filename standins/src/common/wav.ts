/** The head of a WAV file of 16-bit sound. */
export function wavHead(channels: number, rateHz: number, bytes: number): Buffer {
  const head = Buffer.alloc(44);
  head.write('RIFF', 0, 'latin1');
  head.writeUInt32LE(36 + bytes, 4);
  head.write('WAVEfmt ', 8, 'latin1');
  head.writeUInt32LE(16, 16);
  head.writeUInt16LE(1, 20);
  head.writeUInt16LE(channels, 22);
  head.writeUInt32LE(rateHz, 24);
  head.writeUInt32LE(rateHz * channels * 2, 28);
  head.writeUInt16LE(channels * 2, 32);
  head.writeUInt16LE(16, 34);
  head.write('data', 36, 'latin1');
  head.writeUInt32LE(bytes, 40);
  return head;
}

/**
 * 16-bit samples as floats of -1 to 1, in a plain loop: every stand-in reads every recording when it starts.
 */
export function floatsOf(pcm: Buffer): Float32Array {
  const bytes = pcm.buffer.slice(pcm.byteOffset, pcm.byteOffset + pcm.length - (pcm.length % 2));
  const samples = new Int16Array(bytes);
  const floats = new Float32Array(samples.length);
  for (let i = 0; i < floats.length; i++) floats[i] = samples[i]! / 32_768;
  return floats;
}
