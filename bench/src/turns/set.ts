/**
 * The caller turns of the bench: synthesised whole, cut at their pauses, put into noise and onto narrow
 * lines; with their truth.
 */
import {
  HOUSE_RATE_HZ,
  levelDb,
  resample,
  samplesOfMs,
  seeded,
  toFloats,
  toPcm16,
  type WordTime,
} from '@verbalon/core';
import { FliteEngine } from '@verbalon/engines';
import { noise, NOISE_KINDS, scaledTo, white, type NoiseKind } from './noises.js';
import type { Domain } from './domains.js';
import { hutsOf, pick, sentences, type Half, type Sentence } from './sentences.js';

/** Voices of the two halves; nobody of the one is in the other. */
export const VOICES: Record<Half, readonly string[]> = { tune: ['rms', 'awb'], report: ['slt', 'kal16'] };
const OWN_PITCH_HZ: Record<string, number> = { rms: 105, awb: 125, slt: 175, kal16: 105 };
const LEAD_MS = 900;
/** Nobody is left out: longer than any wait, model and voice together. */
const TAIL_MS = 8_000;
const SPEECH_DB = -23;
export const ROOM_DB = -68;

export interface Condition {
  noise: NoiseKind | null;
  /** Speech over noise, in dB. */
  snrDb: number | null;
  rateHz: 8_000 | 16_000;
}

/**
 * So the turns are dealt out: 40 % clean, a tenth of all on a narrow line, the rest over four noises at three
 * levels.
 */
const CONDITIONS: readonly Condition[] = [
  ...Array.from({ length: 8 }, () => ({ noise: null, snrDb: null, rateHz: 16_000 as const })),
  ...Array.from({ length: 2 }, () => ({ noise: null, snrDb: null, rateHz: 8_000 as const })),
  ...NOISE_KINDS.flatMap((kind) =>
    [20, 10, 5].map((snrDb) => ({ noise: kind, snrDb, rateHz: 16_000 as const })),
  ),
];

export function conditionName({ noise: kind, snrDb, rateHz }: Condition): string {
  return kind === null ? (rateHz === 8_000 ? 'clean 8 kHz' : 'clean') : `${kind} ${snrDb} dB`;
}

export interface Speech {
  samples: Float32Array;
  words: WordTime[];
}

export interface CallerTurn extends Sentence {
  half: Half;
  voice: string;
  condition: Condition;
  samples: Int16Array;
  /** The caller alone, for telling where speech is. */
  clean: Float32Array;
  /** Where the caller's sound is, by construction, in ms. */
  pieces: { fromMs: number; toMs: number }[];
}

/** The speakers of the bench. */
export class Speakers {
  private readonly tts = new FliteEngine({
    name: 'speakers',
    title: 'speakers',
    languages: ['en'],
    voices: Object.fromEntries([...VOICES.tune, ...VOICES.report].map((name) => [name, name])),
    // One: the noise in its voices goes on from one saying to the next, and the set is to be the same every
    // time.
    hosts: 1,
  });

  async say(text: string, name: string, rate = 1, pitch = 1): Promise<Speech> {
    const voice = { name, rate, pitchHz: OWN_PITCH_HZ[name]! * pitch };
    for await (const { samples, words } of this.tts.speak({
      text,
      language: 'en',
      voice,
      stay: null,
      signal: new AbortController().signal,
    }))
      return { samples: toFloats(samples), words: words ?? [] };
    throw new Error(`"${text}" was not spoken`);
  }

  close(): Promise<void> {
    return this.tts.close();
  }
}

/** Played so much faster, a voice is that of a smaller person. */
export const SIZES = [0.85, 0.92, 1, 1.1, 1.2, 1.3];

/** Speakers who are of another size with each saying; pace and pitch are as asked for. */
export class SizedSpeakers extends Speakers {
  constructor(private readonly random: () => number) {
    super();
  }

  override async say(text: string, name: string, rate = 1, pitch = 1): Promise<Speech> {
    const size = pick(SIZES, this.random);
    const { samples, words } = await super.say(text, name, rate / size, pitch / size);
    return {
      samples: resample(samples, Math.round(size * HOUSE_RATE_HZ), HOUSE_RATE_HZ),
      words: words.map((word) => ({ ...word, endMs: word.endMs / size })),
    };
  }
}

/** Cuts after these words, at the quietest moment nearby, with soft ends. */
export function cutAt({ samples, words }: Speech, afterWords: readonly number[]): Float32Array[] {
  const parts: Float32Array[] = [];
  let from = 0;
  for (const after of afterWords) {
    const wanted = samplesOfMs(words[after - 1]?.endMs ?? 0, HOUSE_RATE_HZ);
    let at = wanted;
    let least = Infinity;
    for (let near = wanted - 640; near <= wanted + 640; near += 80) {
      if (near <= from + 800 || near >= samples.length - 800) continue;
      const level = levelDb(samples.subarray(near - 80, near + 80));
      if (level < least) [least, at] = [level, near];
    }
    parts.push(softened(samples.slice(from, at)));
    from = at;
  }
  parts.push(softened(samples.slice(from)));
  return parts;
}

function softened(samples: Float32Array): Float32Array {
  const edge = 96;
  for (let i = 0; i < edge && i < samples.length; i++) {
    samples[i]! *= i / edge;
    samples[samples.length - 1 - i]! *= i / edge;
  }
  return samples;
}

/** Sound at its times, in all so long. */
export function laid(
  parts: readonly { atMs: number; samples: Float32Array }[],
  lengthMs: number,
): Float32Array {
  const out = new Float32Array(samplesOfMs(lengthMs, HOUSE_RATE_HZ));
  for (const { atMs, samples } of parts) {
    const at = samplesOfMs(atMs, HOUSE_RATE_HZ);
    for (let i = 0; i < samples.length && at + i < out.length; i++) out[at + i]! += samples[i]!;
  }
  return out;
}

export const msOf = (samples: Float32Array) => (samples.length * 1000) / HOUSE_RATE_HZ;

/** The surroundings of a caller at this level of speech. */
export function surroundings(
  { noise: kind, snrDb }: Condition,
  length: number,
  speechDb: number,
  random: () => number,
  babblers: readonly Float32Array[],
): Float32Array {
  const room = scaledTo(white(length, random), ROOM_DB);
  if (kind === null) return room;
  const around = scaledTo(noise(kind, length, random, babblers), speechDb - snrDb!);
  return around.map((sample, i) => sample + room[i]!);
}

/** As a narrow line would bring it. */
export function onLine(samples: Float32Array, rateHz: number): Int16Array {
  if (rateHz === HOUSE_RATE_HZ) return toPcm16(samples);
  return toPcm16(resample(resample(samples, HOUSE_RATE_HZ, rateHz), rateHz, HOUSE_RATE_HZ));
}

export async function babblersOf(half: Half, speakers: Speakers): Promise<Float32Array[]> {
  const texts = sentences(hutsOf(half), 10, seeded(77)).map(({ text }) => text.replace(/[,.?]/g, ''));
  return Promise.all(
    texts.map(async (text, i) =>
      scaledTo(
        (await speakers.say(text, VOICES[half][i % 2]!, 0.9 + 0.03 * i, 0.85 + 0.05 * i)).samples,
        SPEECH_DB,
      ),
    ),
  );
}

export async function callerTurns(
  half: Half,
  count: number,
  seed: number,
  speakers: Speakers,
  domain: Pick<Domain, 'slots' | 'sayings'> = hutsOf(half),
  saying: typeof sentences = sentences,
): Promise<CallerTurn[]> {
  const babblers = await babblersOf(half, speakers);
  const said = saying(domain, count, seeded(seed));
  const turns: CallerTurn[] = [];
  for (const [i, sentence] of said.entries()) {
    // Each of its own: what one of them takes of it changes no other.
    const random = seeded(1_000 * seed + i);
    const voice = pick(VOICES[half], random);
    const rate = 0.92 + 0.2 * random();
    const speech = await speakers.say(sentence.text, voice, rate, 0.88 + 0.3 * random());
    const speechDb = SPEECH_DB + 6 * (random() - 0.5);
    const gain = 10 ** ((speechDb - levelDb(speech.samples)) / 20);
    const parts = cutAt(
      speech,
      sentence.pauses.map(({ afterWord }) => afterWord),
    );
    const placed: { atMs: number; samples: Float32Array }[] = [];
    const pieces: CallerTurn['pieces'] = [];
    let atMs = LEAD_MS + 300 * random();
    for (const [k, part] of parts.entries()) {
      placed.push({ atMs, samples: part.map((sample) => sample * gain) });
      pieces.push({ fromMs: atMs, toMs: atMs + msOf(part) });
      atMs += msOf(part) + (sentence.pauses[k]?.ms ?? 0);
    }
    const clean = laid(placed, atMs + TAIL_MS);
    const condition = CONDITIONS[i % CONDITIONS.length]!;
    const around = surroundings(condition, clean.length, speechDb, random, babblers);
    const samples = onLine(
      clean.map((sample, at) => sample + around[at]!),
      condition.rateHz,
    );
    turns.push({ ...sentence, half, voice, condition, samples, clean, pieces });
  }
  return turns;
}
