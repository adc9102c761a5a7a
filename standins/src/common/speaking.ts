/** How stand-ins speak: with espeak-ng of this machine, under voices of their own. */
import { spawn } from 'node:child_process';

export interface Clip {
  rateHz: number;
  pcm: Buffer;
}

/** @param rate 1 is the usual one */
export function speak(text: string, voice: string, rate: number, signal: AbortSignal): Promise<Clip> {
  return new Promise((resolve, reject) => {
    const child = spawn(
      'espeak-ng',
      ['--stdin', '--stdout', '-v', voice, '-s', String(Math.round(165 * rate))],
      { signal },
    );
    const chunks: Buffer[] = [];
    child.stdout.on('data', (chunk: Buffer) => chunks.push(chunk));
    child.on('error', reject);
    child.on('close', () => {
      const bytes = Buffer.concat(chunks);
      const data = bytes.indexOf('data');
      if (data < 0) return reject(new Error('espeak-ng gave no sound'));
      resolve({ rateHz: bytes.readUInt32LE(24), pcm: bytes.subarray(data + 8) });
    });
    child.stdin.on('error', () => undefined);
    child.stdin.end(text);
  });
}

/** Ends of the words, spread by their letters over the sound: about right, as such marks are. */
export function marksOf(text: string, lengthMs: number): { word: string; endMs: number }[] {
  const words = text.split(/\s+/).filter(Boolean);
  const letters = words.reduce((sum, word) => sum + word.length + 1, 0);
  let before = 0;
  return words.map((word) => {
    before += word.length + 1;
    return { word, endMs: Math.round((before / letters) * lengthMs) };
  });
}
