/**
 * `npm run train upper-band`: from the levels of a voice below 4 kHz, how loud is it above? A linear estimate
 * (least squares, ridged), on the voices and sentences that are tuned on; makes
 * core/src/audio/upper-band-weights.ts.
 */
import { writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { bandLevels, HOUSE_RATE_HZ, NARROW_RATE_HZ, resample, toFloats } from '@verbalon/core';
import { FliteEngine } from '@verbalon/engines';
import { Matrix, solve } from 'ml-matrix';
import { spoken } from '@verbalon/bench/narrow';
import { round } from '@verbalon/bench/stage';
import { SIZES, VOICES } from '@verbalon/bench/turns/set';

/** Full of what lies above 4 kHz. */
const SENTENCES = [
  'The weather over the ridge is getting worse and we will turn back.',
  'She sells fresh fish and cheese at the market every Thursday.',
  'Six thick thistle sticks stand beside the church.',
  'Please check whether the shop is still open at this hour.',
  'He asked us just to wash the dishes and switch off the stove.',
  'Their house is the second one past the bridge on the left side.',
  'It costs sixty francs a night including breakfast and sheets.',
  'We saw a fox chase a sheep across the fresh snow.',
  'Which station is closest to the youth hostel?',
  'Thanks, that is exactly what I wished to hear.',
  'Zoe was busy choosing shoes for the journey.',
  'Change the size, then push the switch twice.',
  'The valley was misty and silent before sunrise.',
  'Could this be fixed by the end of the week?',
  'Seven cyclists passed us, shouting something in French.',
  'A cheap jacket seldom keeps its shape for years.',
  'You should measure the usual pressure in the vessel.',
  'Fifty visitors asked for maps of the forest.',
  'The judge enjoyed a huge orange on the bridge.',
  'Five of us have never driven over that river.',
];
/**
 * Frames below this teach nothing, and what is softer above 4 kHz than this below the rest is all the same:
 * natural logarithms of power.
 */
const LEAST_LEVEL = -14;
const LEAST_BELOW = -8;
const RIDGE = 0.001;

export async function trainUpperBand(): Promise<object> {
  const tts = new FliteEngine({
    name: 'speakers',
    title: 'speakers',
    languages: ['en'],
    voices: Object.fromEntries(VOICES.tune.map((one) => [one, one])),
    hosts: 1,
  });
  await tts.warm();
  const inputs: number[][] = [];
  const wanted: number[][] = [];
  for (const voice of VOICES.tune)
    for (const text of SENTENCES) {
      const said = toFloats(await spoken(tts, voice, text));
      for (const size of SIZES) {
        const wide = resample(said, Math.round(size * HOUSE_RATE_HZ), HOUSE_RATE_HZ);
        const narrow = resample(resample(wide, HOUSE_RATE_HZ, NARROW_RATE_HZ), NARROW_RATE_HZ, HOUSE_RATE_HZ);
        const truth = bandLevels(wide);
        for (const [i, { lower }] of bandLevels(narrow).entries()) {
          const mean = lower.reduce((sum, one) => sum + one, 0) / lower.length;
          if (mean < LEAST_LEVEL || !truth[i]) continue;
          inputs.push([1, ...lower]);
          wanted.push(truth[i].upper.map((level) => Math.max(mean + LEAST_BELOW, level)));
        }
      }
    }
  await tts.close();
  const x = new Matrix(inputs);
  const y = new Matrix(wanted);
  const squares = x.transpose().mmul(x);
  for (let i = 1; i < squares.rows; i++) squares.set(i, i, squares.get(i, i) + RIDGE * inputs.length);
  const weights = solve(squares, x.transpose().mmul(y));
  const errors = Matrix.sub(x.mmul(weights), y);
  const bands = Array.from({ length: y.columns }, (_, band) => weights.getColumn(band));
  const rows = bands.map(
    ([bias, ...rest]) =>
      `  { bias: ${round(bias!, 4)}, weights: [${rest.map((one) => round(one, 4)).join(', ')}] },\n`,
  );
  writeFileSync(
    fileURLToPath(new URL('../../packages/core/src/audio/upper-band-weights.ts', import.meta.url)),
    `/** Of each band above 4 kHz (upper-band.ts); this file is made by \`npm run train upper-band\`, not by hand. */\nexport const UPPER_BAND_WEIGHTS: readonly { bias: number; weights: readonly number[] }[] = [\n${rows.join('')}];\n`,
  );
  const rmsDb = bands.map((_, band) =>
    round((Math.sqrt(errors.getColumnVector(band).norm() ** 2 / inputs.length) * 10) / Math.LN10, 1),
  );
  return { frames: inputs.length, rmsDb };
}
