/**
 * `npm run bench narrow`: word errors of the local ears on a line of 8 kHz without any expected phrases, by how the upper band is
 * filled: not at all, by the mirror image as the ears have it, and by a mirror image whose loudness follows the sound (tried, not in
 * use). VERBALON_HALF=reported takes the voices and sentences that nothing was tuned on.
 */
import { comparableWords, HOUSE_RATE_HZ, joinPcm16, Resampler, samplesOfMs, toFloats, toPcm16, UpperBand, wordErrors } from '@verbalon/core'; // prettier-ignore
import { FliteEngine, PocketSphinxEngine } from '@verbalon/engines';
import { shareOf } from './statistics.js';

const NARROW_HZ = 8_000;
const LEAD_MS = 300;
const TAIL_MS = 400;
const PIECE_MS = 40;
const HALVES = {
  tuned: {
    voices: ['rms', 'awb'],
    sentences: [
      'Hello, is the path over the saddle open this afternoon?', 'How many bunks are still free at Heron Hut on Saturday?', 'Do you have four beds left at Lantern Hut for Sunday night?',
      'We are five now, so make it five please.', 'I am walking with two friends and a dog.', 'Please tell the warden that we will be very late.', 'Is there a bridge below the hut?',
      'We would like to stay for two nights.', 'What will the weather be like on Sunday?', 'How far is it to the lake if we start at the station?', 'Can we bring our dog tomorrow?',
      'When do you serve supper on Friday?', 'I need three beds under the name Carter.', 'The brakes of my bicycle are worn and squeal.', 'Could you look at my front wheel this week?',
      'I have a toothache since yesterday evening.', 'My appointment is on Thursday at half past nine.',
    ],
  },
  reported: {
    voices: ['slt', 'kal16'],
    sentences: [
      'I would like to renew a book for another week.', 'When are you open on Saturday?', 'Is the reading room closed during the holidays?', 'My card number is four seven one two.',
      'There is a street light broken near the school.', 'Which papers do I need for a passport?', 'The rubbish was not collected this morning.', 'Do you have novels about the sea?',
      'How long can I keep a film?', 'Where can I park near the town hall?', 'I want to register my dog.', 'Please put me through to the person in charge.', 'Can I return these magazines tomorrow?',
      'The playground needs a new swing.', 'What does a parking permit cost?',
    ],
  },
}; // prettier-ignore
const half = process.env.VERBALON_HALF === 'reported' ? HALVES.reported : HALVES.tuned;

/** Blocks of 10 ms; the mirror image is LEAST + SHARE × how much of the sound lies high (0 to 4), at most as loud as the sound. */
const BLOCK = samplesOfMs(10, HOUSE_RATE_HZ);
const LEAST = 0.3;
const SHARE = 0.2;

function followed(sound: Int16Array): Int16Array {
  const out = new Int16Array(sound.length);
  let before = LEAST;
  for (let from = 0; from < sound.length; from += BLOCK) {
    let all = 1;
    let high = 0;
    for (let i = Math.max(2, from - BLOCK); i < Math.min(sound.length, from + BLOCK); i++) {
      all += sound[i]! ** 2;
      high += (sound[i]! - sound[i - 2]!) ** 2;
    }
    const wanted = Math.min(1, LEAST + SHARE * (high / all));
    for (let i = from; i < Math.min(sound.length, from + BLOCK); i++) {
      const mirrored = before + ((wanted - before) * (i - from)) / BLOCK;
      const value = Math.round(sound[i]! * (i % 2 === 1 ? 1 - mirrored : 1 + mirrored));
      out[i] = Math.max(-32_768, Math.min(32_767, value));
    }
    before = wanted;
  }
  return out;
}

const WAYS: Record<string, (wide: Int16Array, narrow: Int16Array) => Int16Array> = {
  'at 16 kHz': (wide) => wide,
  'as it is': (_, narrow) => narrow,
  folded: (_, narrow) => new UpperBand().fill(narrow),
  'folded, following the sound': (_, narrow) => followed(narrow),
};

export async function narrowBench(): Promise<object> {
  const { voices, sentences } = half;
  const tts = new FliteEngine({ name: 'speakers', title: 'speakers', languages: ['en'], voices: Object.fromEntries(voices.map((one) => [one, one])), hosts: 1 }); // prettier-ignore
  const stt = new PocketSphinxEngine({ name: 'ears', title: 'ears', languages: ['en'], hosts: 1, workFolder: '/tmp/verbalon-bench-models' }); // prettier-ignore
  await Promise.all([tts.warm(), stt.warm()]);
  const wrong = Object.fromEntries(Object.keys(WAYS).map((way) => [way, 0]));
  let words = 0;
  for (const voice of voices)
    for (const text of sentences) {
      const wide = await spoken(tts, voice, text);
      const narrow = at(HOUSE_RATE_HZ, NARROW_HZ, at(NARROW_HZ, HOUSE_RATE_HZ, wide));
      const truth = comparableWords(text);
      words += truth.length;
      for (const [way, fill] of Object.entries(WAYS)) {
        const { substituted, deleted, inserted } = wordErrors(truth, await heard(stt, fill(wide, narrow)));
        wrong[way]! += substituted + deleted + inserted;
      }
    }
  await Promise.all([tts.close(), stt.close()]);
  return { half: half === HALVES.tuned ? 'tuned on' : 'not tuned on', words, ...Object.fromEntries(Object.entries(wrong).map(([way, count]) => [way, shareOf(count, words)])) }; // prettier-ignore
}

const at = (toHz: number, fromHz: number, sound: Int16Array) => toPcm16(new Resampler(fromHz, toHz).push(toFloats(sound))); // prettier-ignore

async function spoken(tts: FliteEngine, voice: string, text: string): Promise<Int16Array> {
  const parts: Int16Array[] = [new Int16Array(samplesOfMs(LEAD_MS, HOUSE_RATE_HZ))];
  const { signal } = new AbortController();
  for await (const { samples } of tts.speak({ text, language: 'en', voice: { name: voice }, stay: null, signal })) parts.push(samples); // prettier-ignore
  return joinPcm16([...parts, new Int16Array(samplesOfMs(TAIL_MS, HOUSE_RATE_HZ))]);
}

async function heard(stt: PocketSphinxEngine, sound: Int16Array): Promise<string[]> {
  const { signal } = new AbortController();
  const stream = stt.open({
    language: 'en',
    profile: null,
    talk: 'bench',
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
