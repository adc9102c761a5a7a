/** Voice activity against the truth: misses and false alarms apart, by noise and level; and the training of its net. */
import { writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import {
  FRAME_MS, FRAME_SAMPLES, HOUSE_RATE_HZ, INPUTS, levelDb, runNet, samplesOfMs, seeded, toFloats, VoiceActivity, VoiceFeatures, VoiceInputs, type Net,
} from '@verbalon/core'; // prettier-ignore
import { cough, hum, keys, knock, music, scaledTo, stove, white, wind } from './noises.js';
import { callerTurns, conditionName, SizedSpeakers, Speakers, type CallerTurn } from './set.js';
import { endOf } from './judge.js';

/** The caller's own sound above this is speech, in dBFS; a gap within speech shorter than this is not silence. */
const SPEECH_FLOOR_DB = -50;
const BRIDGED_MS = 200;
/** So much after speech is not counted as a false alarm: its echo in the features, and the hold. */
const COLLAR_MS = 100;
const HIDDEN = 32;
/** The first frames of a voice count so much more in training: they must not be missed. */
const ONSET_FRAMES = 5;
const ONSET_WEIGHT = 3;
/** … and so much more what is no speech: there is less of it than of speech. */
const OTHER_WEIGHT = 3;
/** So much of the silence after a turn is learned from, in ms. */
const AFTER_MS = 1_500;

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

interface Example {
  inputs: Float32Array;
  voice: number;
  weight: number;
}

const OTHER: Record<string, (length: number, random: () => number) => Float32Array> = {
  wind, stove, keys, hum, music, white,
  coughs: (length, random) => rowOf(length, random, cough),
  knocks: (length, random) => rowOf(length, random, knock),
}; // prettier-ignore

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

function examplesOf(
  samples: Float32Array,
  truth: boolean[] | null,
  every: number,
  net: Net | null,
): Example[] {
  const features = new VoiceFeatures();
  const inputs = new VoiceInputs();
  const found: Example[] = [];
  for (let i = 0; (i + 1) * FRAME_SAMPLES <= samples.length; i++) {
    const frame = features.take(samples.subarray(i * FRAME_SAMPLES, (i + 1) * FRAME_SAMPLES));
    features.measurePitch();
    const values = inputs.take(frame);
    const voice = truth?.[i] ?? false;
    const isOnset = voice && !truth?.[i - ONSET_FRAMES];
    const weight = truth === null ? OTHER_WEIGHT : isOnset ? ONSET_WEIGHT : 1;
    if (i % every === 0 || isOnset) found.push({ inputs: values.slice(), voice: voice ? 1 : 0, weight });
    // The floor follows as it will in use: by the net of the round before.
    features.follow(net ? runNet(net, values) : voice ? 1 : 0);
  }
  return found;
}

/** One pass of Adam over the examples after the other. */
function train(examples: Example[], epochs: number, random: () => number, from: Net | null): Net {
  const size = HIDDEN * INPUTS;
  const all = new Float64Array(size + HIDDEN * 2 + 1);
  if (from) all.set([...from.hidden, ...from.bias, ...from.out, from.outBias]);
  else for (let i = 0; i < all.length - 1; i++) all[i] = (random() * 2 - 1) * (i < size ? 0.3 : 0.5);
  const m = new Float64Array(all.length);
  const v = new Float64Array(all.length);
  const grad = new Float64Array(all.length);
  const hiddenOut = new Float64Array(HIDDEN);
  const speech = examples.filter(({ voice }) => voice === 1).length;
  const weightOfSpeech = (examples.length - speech) / speech;
  let step = 0;
  for (let epoch = 0; epoch < epochs; epoch++) {
    for (let i = examples.length - 1; i > 0; i--) {
      const j = Math.floor(random() * (i + 1));
      [examples[i], examples[j]] = [examples[j]!, examples[i]!];
    }
    const rate = 0.004 * (1 - epoch / epochs) + 0.0002;
    for (let at = 0; at < examples.length; at += 64) {
      grad.fill(0);
      const batch = examples.slice(at, at + 64);
      for (const { inputs, voice, weight } of batch) {
        let sum = all[size + 2 * HIDDEN]!;
        for (let h = 0; h < HIDDEN; h++) {
          let one = all[size + h]!;
          for (let k = 0; k < INPUTS; k++) one += all[h * INPUTS + k]! * inputs[k]!;
          hiddenOut[h] = Math.tanh(one);
          sum += all[size + HIDDEN + h]! * hiddenOut[h]!;
        }
        const off = (1 / (1 + Math.exp(-sum)) - voice) * weight * (voice ? Math.sqrt(weightOfSpeech) : 1);
        grad[size + 2 * HIDDEN]! += off;
        for (let h = 0; h < HIDDEN; h++) {
          grad[size + HIDDEN + h]! += off * hiddenOut[h]!;
          const back = off * all[size + HIDDEN + h]! * (1 - hiddenOut[h]! ** 2);
          grad[size + h]! += back;
          for (let k = 0; k < INPUTS; k++) grad[h * INPUTS + k]! += back * inputs[k]!;
        }
      }
      step++;
      for (let i = 0; i < all.length; i++) {
        const g = grad[i]! / batch.length + 1e-5 * all[i]!;
        m[i] = 0.9 * m[i]! + 0.1 * g;
        v[i] = 0.999 * v[i]! + 0.001 * g * g;
        all[i]! -= (rate * (m[i]! / (1 - 0.9 ** step))) / (Math.sqrt(v[i]! / (1 - 0.999 ** step)) + 1e-8);
      }
    }
  }
  const round = (values: Float64Array) => [...values].map((value) => Number(value.toFixed(3)));
  return {
    hidden: round(all.subarray(0, size)),
    bias: round(all.subarray(size, size + HIDDEN)),
    out: round(all.subarray(size + HIDDEN, size + 2 * HIDDEN)),
    outBias: Number(all[size + 2 * HIDDEN]!.toFixed(3)),
  };
}

/** Makes `packages/core/src/hearing/voice-weights.ts` from the half that is tuned on. */
export async function voiceWeights(): Promise<object> {
  const turns: CallerTurn[] = [];
  // Two voices are few: the same people once more, each of another size.
  for (const speakers of [new Speakers(), new SizedSpeakers(seeded(103))]) {
    turns.push(...(await callerTurns('tune', 528, 101, speakers)));
    await speakers.close();
  }
  const random = seeded(102);
  const others = OTHER_KINDS.flatMap((kind) =>
    Array.from({ length: kind === 'music' ? 24 : 8 }, () => otherSound(kind, random)),
  );
  let net: Net | null = null;
  for (const epochs of [4, 8, 12, 36]) {
    const examples = [
      ...turns.flatMap((turn) => {
        const upto = samplesOfMs(endOf(turn) + AFTER_MS, HOUSE_RATE_HZ);
        const [samples, clean] = [turn.samples.subarray(0, upto), turn.clean.subarray(0, upto)];
        const every = turn.condition.noise === 'wind' ? 1 : 2;
        return examplesOf(toFloats(samples), truthOf(clean, 80), every, net);
      }),
      ...others.flatMap((samples) => examplesOf(samples, null, 2, net)),
    ];
    net = train(examples, epochs, random, net);
  }
  const rows = (values: readonly number[]) => values.join(', ');
  writeFileSync(
    fileURLToPath(new URL('../../../packages/core/src/hearing/voice-weights.ts', import.meta.url)),
    `/** Weights of the net of \`voice-activity.ts\`; this file is made by \`npm run bench voice-weights\`, not by hand. */
export interface Net {
  /** One row of inputs for each hidden unit. */
  hidden: readonly number[];
  bias: readonly number[];
  out: readonly number[];
  outBias: number;
}

// prettier-ignore
export const VOICE_WEIGHTS: Net = {
  hidden: [
${Array.from({ length: HIDDEN }, (_, h) => `    ${rows(net!.hidden.slice(h * INPUTS, (h + 1) * INPUTS))},`).join('\n')}
  ],
  bias: [${rows(net!.bias)}],
  out: [${rows(net!.out)}],
  outBias: ${net!.outBias},
};
`,
  );
  return { frames: turns.length };
}

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
