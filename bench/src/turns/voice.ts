/** Voice activity against the truth: misses and false alarms apart, by noise and level. */
import { FRAME_MS, FRAME_SAMPLES, levelDb, seeded, toFloats, VoiceActivity } from '@verbalon/core';
import { cough, hum, keys, knock, music, scaledTo, stove, white, wind } from './noises.js';
import { conditionName, type CallerTurn } from './set.js';

/**
 * The caller's own sound above this is speech, in dBFS; a gap within speech shorter than this is not silence.
 */
const SPEECH_FLOOR_DB = -50;
const BRIDGED_MS = 200;
/** So much after speech is not counted as a false alarm: its echo in the features, and the hold. */
const COLLAR_MS = 100;
/** For each frame: is the caller speaking? */
export function truthOf(clean: Float32Array, bridgedMs: number): boolean[] {
  const count = Math.floor(clean.length / FRAME_SAMPLES);
  const truth = Array.from(
    { length: count },
    (_, i) => levelDb(clean.subarray(i * FRAME_SAMPLES, (i + 1) * FRAME_SAMPLES)) > SPEECH_FLOOR_DB,
  );
  let last = -Infinity;
  for (let i = 0; i < count; i++) {
    if (!truth[i]) continue;
    if (i - last <= bridgedMs / FRAME_MS) truth.fill(true, last, i);
    last = i;
  }
  return truth;
}

const OTHER: Record<string, (length: number, random: () => number) => Float32Array> = {
  wind,
  stove,
  keys,
  hum,
  music,
  white,
  coughs: (length, random) => rowOf(length, random, cough),
  knocks: (length, random) => rowOf(length, random, knock),
};

function rowOf(
  length: number,
  random: () => number,
  make: (random: () => number) => Float32Array,
): Float32Array {
  const out = new Float32Array(length);
  for (let at = 8_000; at < length - 20_000; at += 16_000 + Math.floor(random() * 16_000))
    out.set(make(random), at);
  return out;
}

/** Twelve seconds of a sound that is not speech, at a level of speech or below, in a quiet room. */
export function otherSound(kind: string, random: () => number): Float32Array {
  const length = 16_000 * 12;
  const sound = OTHER[kind]!(length, random);
  const quiet = scaledTo(white(length, random), -68);
  const loud = scaledTo(sound, -26 - 14 * random());
  // It begins when the room is known.
  for (let i = 0; i < 16_000; i++) loud[i]! *= i < 14_400 ? 0 : (i - 14_400) / 1_600;
  return loud.map((sample, i) => sample + quiet[i]!);
}
export const OTHER_KINDS = Object.keys(OTHER);

interface Count {
  speech: number;
  missed: number;
  silence: number;
  alarms: number;
}

export interface VoiceRow {
  sound: string;
  missesPercent: number | null;
  falseAlarmsPercent: number;
}

/** Judges every turn and every sound that is no speech. */
export function voiceActivityOf(turns: readonly CallerTurn[], seed: number): VoiceRow[] {
  const counts = new Map<string, Count>();
  const count = (name: string, samples: Float32Array, truth: boolean[]) => {
    const one = counts.get(name) ?? { speech: 0, missed: 0, silence: 0, alarms: 0 };
    counts.set(name, one);
    const activity = new VoiceActivity();
    let lastSpeech = -Infinity;
    for (const [i, speaking] of truth.entries()) {
      const { voiced } = activity.judge(samples.subarray(i * FRAME_SAMPLES, (i + 1) * FRAME_SAMPLES));
      if (speaking) {
        lastSpeech = i;
        one.speech++;
        if (!voiced) one.missed++;
      } else if ((i - lastSpeech) * FRAME_MS > COLLAR_MS) {
        one.silence++;
        if (voiced) one.alarms++;
      }
    }
  };
  for (const { condition, samples, clean } of turns)
    count(conditionName(condition), toFloats(samples), truthOf(clean, BRIDGED_MS));
  const random = seeded(seed);
  for (const kind of OTHER_KINDS) {
    for (let i = 0; i < 4; i++) {
      const samples = otherSound(kind, random);
      count(
        `${kind} alone`,
        samples,
        new Array<boolean>(Math.floor(samples.length / FRAME_SAMPLES)).fill(false),
      );
    }
  }
  const percent = (part: number, whole: number) => Number(((100 * part) / Math.max(1, whole)).toFixed(1));
  return [...counts].map(([sound, { speech, missed, silence, alarms }]) => ({
    sound,
    missesPercent: speech === 0 ? null : percent(missed, speech),
    falseAlarmsPercent: percent(alarms, silence),
  }));
}
