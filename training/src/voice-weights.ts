/** `npm run train voice-weights`: trains the net that tells a voice (core/src/hearing/voice-activity.ts). */
import { writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { endOf } from '@verbalon/bench/turns/judge';
import { callerTurns, SizedSpeakers, Speakers, type CallerTurn } from '@verbalon/bench/turns/set';
import { OTHER_KINDS, otherSound, truthOf } from '@verbalon/bench/turns/voice';
import {
  FRAME_SAMPLES,
  HOUSE_RATE_HZ,
  INPUTS,
  runNet,
  samplesOfMs,
  seeded,
  toFloats,
  VoiceFeatures,
  VoiceInputs,
  type Net,
} from '@verbalon/core';

const HIDDEN = 32;
/** The first frames of a voice count so much more in training: they must not be missed. */
const ONSET_FRAMES = 5;
const ONSET_WEIGHT = 3;
/** … and so much more what is no speech: there is less of it than of speech. */
const OTHER_WEIGHT = 3;
/** So much of the silence after a turn is learned from, in ms. */
const AFTER_MS = 1_500;

interface Example {
  inputs: Float32Array;
  voice: number;
  weight: number;
}

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
export async function trainVoiceWeights(): Promise<object> {
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
    fileURLToPath(new URL('../../packages/core/src/hearing/voice-weights.ts', import.meta.url)),
    `/** Weights of the net of \`voice-activity.ts\`; this file is made by \`npm run train voice-weights\`, not by hand. */
export interface Net {
  /** One row of inputs for each hidden unit. */
  hidden: readonly number[];
  bias: readonly number[];
  out: readonly number[];
  outBias: number;
}

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
