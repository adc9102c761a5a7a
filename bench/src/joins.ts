/**
 * How short may the first phrase be? Answers are cut after so many words, each part is synthesised by itself and joined as it is
 * played; beside them the same answers in one go. Joins are measured by level and pitch, and listened to by the local ears.
 */
import {
  addErrors, comparableWords, errorsIn, FRAME_MS, FRAME_SAMPLES, HOUSE_RATE_HZ, levelDb, msOfSamples, pauseAfter, samplesOfMs, toPcm16, VoiceActivity, wordErrors,
} from '@verbalon/core'; // prettier-ignore
import { quantile, shareOf } from './statistics.js';
import { eachOf, Recogniser } from './turns/hear.js';
import { laid, Speakers, VOICES, type Speech } from './turns/set.js';

const FIRST_WORDS = [2, 3, 4, 6];
/** What is looked at on each side of a join, in ms. */
const SIDE_MS = 80;
/** Silence around an answer that is listened to, in ms. */
const AROUND_MS = 500;

/** Answers of many kinds; no mark stands among the first seven words, so that each is cut in the middle of a clause. */
const ANSWERS = [
  'The path over the saddle is open today but it is wet below the bridge.', 'There are still five bunks free at the hut on Saturday night.',
  'Supper is served at half past six in the big room downstairs.', 'You can leave your boots in the rack next to the kitchen door.',
  'The next bus to the station leaves at ten past four this afternoon.', 'We have written your name on the list for the evening walk.',
  'Your number was not found in the book of the office this morning.', 'The warden will call you back as soon as she has returned.',
  'It takes about two hours and a half from the lake to the top.', 'Please bring a sleeping bag because there are only thin blankets there.',
  'The water from the pump is clean and you may drink it.', 'Nobody has asked for the small room so you can have it.',
  'Dogs are welcome on the ground floor but not in the bunk rooms.', 'I have sent the message to the warden and she has read it.',
  'The weather will be fine until noon and then it may rain.', 'Your bicycle will be ready on Thursday after three in the afternoon.',
  'The library closes at six today and opens again on Monday morning.', 'You should take the left path where the two streams meet.',
]; // prettier-ignore

/** Level and middle pitch, in semitones, of a stretch; null where it has no pitch. */
function voiceIn(samples: Float32Array, fromMs: number, toMs: number): { db: number; st: number | null } {
  const activity = new VoiceActivity();
  const pitches: number[] = [];
  for (let ms = 0; ms + FRAME_MS <= toMs; ms += FRAME_MS) {
    const at = samplesOfMs(ms, HOUSE_RATE_HZ);
    const { pitchHz } = activity.judge(samples.subarray(at, at + FRAME_SAMPLES));
    if (ms >= fromMs && pitchHz !== null) pitches.push(12 * Math.log2(pitchHz / 100));
  }
  const [from, to] = [samplesOfMs(fromMs, HOUSE_RATE_HZ), samplesOfMs(toMs, HOUSE_RATE_HZ)];
  return {
    db: levelDb(samples.subarray(from, to)),
    st: pitches.length === 0 ? null : quantile(pitches, 0.5),
  };
}

/** How far level and pitch are apart before `endMs` and after `beginMs`. */
function stepAt(samples: Float32Array, endMs: number, beginMs: number): { db: number; st: number[] } {
  const before = voiceIn(samples, endMs - SIDE_MS, endMs);
  const after = voiceIn(samples, beginMs, beginMs + SIDE_MS);
  const hasPitch = before.st !== null && after.st !== null;
  return { db: Math.abs(after.db - before.db), st: hasPitch ? [Math.abs(after.st! - before.st!)] : [] };
}

/** As it is played: the parts, and the pause between them. */
async function inParts(speakers: Speakers, voice: string, text: string, first: number) {
  const words = text.split(' ');
  const begun = await speakers.say(words.slice(0, first).join(' '), voice);
  const rest = await speakers.say(words.slice(first).join(' '), voice);
  const endMs = msOfSamples(begun.samples.length, HOUSE_RATE_HZ);
  const beginMs = endMs + pauseAfter(words[first - 1]!);
  const parts = [{ atMs: 0, samples: begun.samples }, { atMs: beginMs, samples: rest.samples }]; // prettier-ignore
  const samples = laid(parts, beginMs + msOfSamples(rest.samples.length, HOUSE_RATE_HZ));
  return { samples, step: stepAt(samples, endMs, beginMs) };
}

/** Where the same words meet in an answer that is said in one go. */
function inOneGo({ samples, words }: Speech, first: number) {
  const endMs = words[first - 1]!.endMs;
  return { samples, step: stepAt(samples, endMs, endMs) };
}

export async function joinsBench(): Promise<object> {
  const speakers = new Speakers();
  const ears = new Recogniser(null);
  await ears.warm();
  const rows: object[] = [];
  const cases = [...VOICES.tune, ...VOICES.report].flatMap((voice) =>
    ANSWERS.map((text) => ({ voice, text })),
  );
  const row = async (way: string, first: number, said: typeof inParts) => {
    const found = await eachOf(cases, async ({ voice, text }) => {
      const { samples, step } = await said(speakers, voice, text, first);
      const lengthMs = msOfSamples(samples.length, HOUSE_RATE_HZ) + 2 * AROUND_MS;
      const { stretches } = await ears.hear(toPcm16(laid([{ atMs: AROUND_MS, samples }], lengthMs)));
      const heard = stretches.flatMap(({ final }) => final.map(({ word }) => word));
      return { step, errors: wordErrors(comparableWords(text), comparableWords(heard.join(' '))) };
    });
    const steps = found.map(({ step }) => step);
    const errors = addErrors(found.map((one) => one.errors));
    const middleAnd95 = (values: number[]) =>
      [0.5, 0.95].map((share) => Number(quantile(values, share).toFixed(1)));
    rows.push({ way, firstWords: first, stepDb: middleAnd95(steps.map(({ db }) => db)), stepSt: middleAnd95(steps.flatMap(({ st }) => st)), wordErrors: shareOf(errorsIn(errors), errors.words) }); // prettier-ignore
  };
  for (const first of FIRST_WORDS) {
    await row('in parts', first, inParts);
    await row('in one go', first, async (_, voice, text) => inOneGo(await speakers.say(text, voice), first));
  }
  await Promise.all([speakers.close(), ears.close()]);
  return { answers: cases.length, rows };
}
