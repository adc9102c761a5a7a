/**
 * `npm run bench narrow`: word errors of the local ears on a line of 8 kHz without any expected phrases, by
 * how the upper band is filled: not at all, by the lower one mirrored at half its loudness (as it was until
 * 2026-11-27), and as the ears have it now. VERBALON_HALF=reported takes the voices and sentences that
 * nothing was tuned on. Then the same in use: callers of three assistants in a quiet room, with what is
 * expected of them, each over lines of 16 kHz, of G.722 and of 8 kHz.
 */
import {
  comparableWords,
  errorsIn,
  G722Decoder,
  G722Encoder,
  HOUSE_RATE_HZ,
  joinPcm16,
  NARROW_RATE_HZ,
  samplesOfMs,
  seeded,
  toFloats,
  toPcm16,
  UpperBand,
  wordErrors,
} from '@verbalon/core';
import { FliteEngine, PocketSphinxEngine } from '@verbalon/engines';
import { round } from './common/stage.js';
import { shareOf } from './common/statistics.js';
import { assistantsOf } from './turns/assistants.js';
import { eachOf, Recogniser } from './turns/hear.js';
import { scaledTo, white } from './turns/noises.js';
import type { Half } from './turns/sentences.js';
import { callerTurns, onLine, ROOM_DB, Speakers, VOICES } from './turns/set.js';

const LEAD_MS = 300;
const TAIL_MS = 400;
const PIECE_MS = 40;
/** So many callers of each assistant. */
const CALLERS = 40;
const SEED = Number(process.env.VERBALON_SEED ?? 7_641);
const SENTENCES: Record<Half, readonly string[]> = {
  tune: [
    'Hello, is the path over the saddle open this afternoon?',
    'How many bunks are still free at Heron Hut on Saturday?',
    'Do you have four beds left at Lantern Hut for Sunday night?',
    'We are five now, so make it five please.',
    'I am walking with two friends and a dog.',
    'Please tell the warden that we will be very late.',
    'Is there a bridge below the hut?',
    'We would like to stay for two nights.',
    'What will the weather be like on Sunday?',
    'How far is it to the lake if we start at the station?',
    'Can we bring our dog tomorrow?',
    'When do you serve supper on Friday?',
    'I need three beds under the name Carter.',
    'The brakes of my bicycle are worn and squeal.',
    'Could you look at my front wheel this week?',
    'I have a toothache since yesterday evening.',
    'My appointment is on Thursday at half past nine.',
  ],
  report: [
    'I would like to renew a book for another week.',
    'When are you open on Saturday?',
    'Is the reading room closed during the holidays?',
    'My card number is four seven one two.',
    'There is a street light broken near the school.',
    'Which papers do I need for a passport?',
    'The rubbish was not collected this morning.',
    'Do you have novels about the sea?',
    'How long can I keep a film?',
    'Where can I park near the town hall?',
    'I want to register my dog.',
    'Please put me through to the person in charge.',
    'Can I return these magazines tomorrow?',
    'The playground needs a new swing.',
    'What does a parking permit cost?',
  ],
};
const half: Half = process.env.VERBALON_HALF === 'reported' ? 'report' : 'tune';

/** The lower band at 4 kHz, half as loud. */
const mirrored = (sound: Int16Array) =>
  toPcm16(toFloats(sound).map((sample, i) => sample * (i % 2 === 1 ? 0.5 : 1.5)));

function told(sound: Int16Array): Int16Array {
  const upper = new UpperBand();
  return joinPcm16([upper.fill(sound), upper.flush()]);
}

const byG722 = (sound: Int16Array) => new G722Decoder().decode(new G722Encoder().encode(sound));

const WAYS: Record<string, (wide: Int16Array, narrow: Int16Array) => Int16Array> = {
  'at 16 kHz': (wide) => wide,
  'by G.722': (wide) => byG722(wide),
  'as it is': (_, narrow) => narrow,
  mirrored: (_, narrow) => mirrored(narrow),
  'as it is told': (_, narrow) => told(narrow),
};

export async function narrowBench(): Promise<object> {
  const voices = VOICES[half];
  const tts = new FliteEngine({
    name: 'speakers',
    title: 'speakers',
    languages: ['en'],
    voices: Object.fromEntries(voices.map((one) => [one, one])),
    hosts: 1,
  });
  const stt = new PocketSphinxEngine({
    name: 'ears',
    title: 'ears',
    languages: ['en'],
    hosts: 1,
    workFolder: '/tmp/verbalon-bench-models',
  });
  await Promise.all([tts.warm(), stt.warm()]);
  const wrong: Record<string, Record<string, number>> = {};
  const words: Record<string, number> = {};
  for (const voice of voices)
    for (const text of SENTENCES[half]) {
      const wide = await spoken(tts, voice, text);
      const narrow = onLine(toFloats(wide), NARROW_RATE_HZ);
      const truth = comparableWords(text);
      words[voice] = (words[voice] ?? 0) + truth.length;
      for (const [way, fill] of Object.entries(WAYS)) {
        const errors = wordErrors(truth, await heard(stt, `${voice} ${way}`, fill(wide, narrow)));
        const of = (wrong[way] ??= {});
        of[voice] = (of[voice] ?? 0) + errorsIn(errors);
      }
    }
  await Promise.all([tts.close(), stt.close()]);
  const sum = (of: Record<string, number>) => Object.values(of).reduce((all, one) => all + one, 0);
  const shares = Object.entries(wrong).map(([way, of]) => [
    way,
    {
      all: shareOf(sum(of), sum(words)),
      ...Object.fromEntries(voices.map((voice) => [voice, shareOf(of[voice]!, words[voice]!)])),
    },
  ]);
  return {
    half: half === 'tune' ? 'tuned on' : 'not tuned on',
    ...Object.fromEntries(shares),
    inUse: await inUse(),
  };
}

/** How a caller's sound comes: its rate, and what the ears are told of it. */
const LINES = {
  wide: (sound: Float32Array) => ({ sound: onLine(sound, HOUSE_RATE_HZ), isNarrow: false }),
  g722: (sound: Float32Array) => ({ sound: byG722(onLine(sound, HOUSE_RATE_HZ)), isNarrow: false }),
  narrow: (sound: Float32Array) => ({ sound: onLine(sound, NARROW_RATE_HZ), isNarrow: true }),
};
type Line = keyof typeof LINES;
const lines = Object.keys(LINES) as Line[];
const nothing = () => ({ wide: 0, g722: 0, narrow: 0, words: 0 });

/** Word errors of each assistant's callers over each line. */
async function inUse(): Promise<object> {
  const speakers = new Speakers();
  const found: Record<string, object> = {};
  const all = nothing();
  for (const { name, profile, domain } of assistantsOf(half)) {
    const recogniser = new Recogniser(profile);
    await recogniser.warm();
    const callers = await callerTurns(half, CALLERS, SEED, speakers, domain);
    const of = nothing();
    await eachOf(callers, async ({ clean, text }, i) => {
      const room = scaledTo(white(clean.length, seeded(SEED + i)), ROOM_DB);
      const sound = clean.map((sample, at) => sample + room[at]!);
      const truth = comparableWords(text);
      of.words += truth.length;
      for (const line of lines) {
        const { sound: came, isNarrow } = LINES[line](sound);
        const { stretches } = await recogniser.hear(came, undefined, undefined, isNarrow);
        const errors = wordErrors(
          truth,
          stretches.flatMap(({ final }) => final.flatMap(({ word }) => comparableWords(word))),
        );
        of[line] += errorsIn(errors);
      }
    });
    await recogniser.close();
    found[name] = sharesOf(of);
    for (const key of [...lines, 'words'] as const) all[key] += of[key];
  }
  await speakers.close();
  return {
    seed: SEED,
    ...found,
    all: {
      ...sharesOf(all),
      ratios: { g722: round(all.g722 / all.wide, 2), narrow: round(all.narrow / all.wide, 2) },
    },
  };
}

const sharesOf = (of: ReturnType<typeof nothing>) =>
  Object.fromEntries(lines.map((line) => [line, shareOf(of[line], of.words)]));

export async function spoken(tts: FliteEngine, voice: string, text: string): Promise<Int16Array> {
  const parts: Int16Array[] = [new Int16Array(samplesOfMs(LEAD_MS, HOUSE_RATE_HZ))];
  const { signal } = new AbortController();
  for await (const { samples } of tts.speak({
    text,
    language: 'en',
    voice: { name: voice },
    stay: null,
    signal,
  }))
    parts.push(samples);
  return joinPcm16([...parts, new Int16Array(samplesOfMs(TAIL_MS, HOUSE_RATE_HZ))]);
}

/** @param talk what the ears have learned of a caller and the line is kept for */
async function heard(stt: PocketSphinxEngine, talk: string, sound: Int16Array): Promise<string[]> {
  const { signal } = new AbortController();
  const stream = stt.open({
    language: 'en',
    profile: null,
    talk,
    narrow: false,
    stay: null,
    signal,
  });
  const piece = samplesOfMs(PIECE_MS, HOUSE_RATE_HZ);
  for (let from = 0; from < sound.length; from += piece) stream.push(sound.slice(from, from + piece));
  stream.finish();
  const words: string[] = [];
  for await (const event of stream.events)
    if (event.kind === 'final') words.push(...event.words.flatMap(({ word }) => comparableWords(word)));
  return words;
}
