/**
 * Makes the recorded walkers with the local voices: `recordings/NAME.wav`, a transcript `NAME.txt` for
 * people, and `NAME.json` with the true times of what is said, for measuring. The same every time.
 */
import { mkdirSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import {
  HOUSE_RATE_HZ,
  joinPcm16,
  levelDb,
  resample,
  samplesOfMs,
  seeded,
  toFloats,
  toPcm16,
  writeWav,
} from '@verbalon/core';
import { FliteEngine, openEngine, type TtsEngine } from '@verbalon/engines';
import { WALKERS, type Walker } from './walkers.js';

/** A quiet room is not digital silence, in dBFS. */
const ROOM_DB = -68;
const SPEECH_DB = -20;
const END_SILENCE_MS = 300;

/** White noise through a one-pole low pass, slowly swelling: wind in a porch, a stove beside. */
function wind(length: number, random: () => number): Float32Array {
  const out = new Float32Array(length);
  let low = 0;
  for (let i = 0; i < length; i++) {
    low += 0.06 * (random() * 2 - 1 - low);
    const swell = 0.7 + 0.3 * Math.sin((2 * Math.PI * i) / (HOUSE_RATE_HZ * 3.7));
    const crackle = random() < 0.0004 ? (random() * 2 - 1) * 0.8 : 0;
    out[i] = low * swell + crackle * 0.1 + (random() * 2 - 1) * 0.02;
  }
  return out;
}

function scaledTo(samples: Float32Array, db: number): Float32Array {
  const gain = 10 ** ((db - levelDb(samples)) / 20);
  return samples.map((sample) => sample * gain);
}

async function record(walker: Walker, tts: TtsEngine, seed: number, folder: string): Promise<void> {
  const parts: Int16Array[] = [];
  const spoken: { text: string; fromMs: number; toMs: number }[] = [];
  let length = 0;
  const add = (samples: Int16Array) => {
    parts.push(samples);
    length += samples.length;
  };
  for (const { afterMs, text } of walker.sayings) {
    add(new Int16Array(samplesOfMs(afterMs, HOUSE_RATE_HZ)));
    const voice = { name: walker.voice, rate: walker.rate };
    const language = walker.voice === 'german' ? 'de' : 'en';
    const pieces: Int16Array[] = [];
    for await (const { samples } of tts.speak({
      text,
      language,
      voice,
      stay: null,
      signal: new AbortController().signal,
    }))
      pieces.push(samples);
    const fromMs = (length * 1000) / HOUSE_RATE_HZ;
    add(toPcm16(scaledTo(toFloats(joinPcm16(pieces)), SPEECH_DB)));
    spoken.push({ text, fromMs: Math.round(fromMs), toMs: Math.round((length * 1000) / HOUSE_RATE_HZ) });
  }
  add(new Int16Array(samplesOfMs(END_SILENCE_MS, HOUSE_RATE_HZ)));
  const random = seeded(seed);
  const clean = toFloats(joinPcm16(parts));
  const noise =
    walker.noiseDb === null
      ? scaledTo(
          Float32Array.from({ length }, () => random() * 2 - 1),
          ROOM_DB,
        )
      : scaledTo(wind(length, random), SPEECH_DB - walker.noiseDb);
  const mixed = clean.map((sample, i) => sample + noise[i]!);
  const file = (ending: string) => `${folder}/${walker.name}.${ending}`;
  writeFileSync(
    file('wav'),
    writeWav([toPcm16(resample(mixed, HOUSE_RATE_HZ, walker.rateHz))], walker.rateHz),
  );
  writeFileSync(file('txt'), `${walker.title}\n${walker.sayings.map(({ text }) => text).join('\n')}\n`);
  writeFileSync(file('json'), `${JSON.stringify({ spoken }, null, 2)}\n`);
}

const folder = fileURLToPath(new URL('../recordings', import.meta.url));
mkdirSync(folder, { recursive: true });
const voices = Object.fromEntries(
  WALKERS.filter(({ voice }) => voice !== 'german').map(({ voice }) => [voice, voice]),
);
const tts = new FliteEngine({ name: 'recorder', title: 'recorder', languages: ['en'], voices, hosts: 1 });
const nothing = () => {
  throw new Error('a voice needs neither');
};
/** espeak-ng of this machine, by a card. */
const german = openEngine(
  'german',
  {
    title: 'recorder',
    role: 'tts',
    wire: 'process',
    where: 'on-machine',
    languages: ['de'],
    voices: { german: 'de' },
    command: ['espeak-ng', '--stdin', '--stdout', '-v', '{voice}'],
    send: { open: ['{text}'] },
    receive: { form: 'sound', encoding: 'wav' },
  },
  { workFolder: folder, standins: {}, secrets: {}, folder, answers: nothing, model: nothing, page: nothing },
) as unknown as TtsEngine;
let seed = 0;
for (const walker of WALKERS) await record(walker, walker.voice === 'german' ? german : tts, ++seed, folder);
await Promise.all([tts.close(), german.close()]);
process.stdout.write(`${WALKERS.length} walkers are recorded in demo/recordings\n`);
