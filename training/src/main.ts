/** `npm run train NAME`: makes the numbers that core ships with, from the half that is tuned on. */
import { trainPhoneCosts } from './phone-costs.js';
import { trainTurnWeights } from './turn-weights.js';
import { trainUpperBand } from './upper-band.js';
import { trainVoiceWeights } from './voice-weights.js';

const trainers: Record<string, () => Promise<object>> = {
  'voice-weights': trainVoiceWeights,
  'upper-band': trainUpperBand,
  'turn-weights': trainTurnWeights,
  'phone-costs': trainPhoneCosts,
};

const [name = ''] = process.argv.slice(2);
if (!Object.hasOwn(trainers, name)) {
  process.stderr.write(`"${name}" is not one of: ${Object.keys(trainers).join(', ')}\n`);
  process.exit(1);
}
process.stdout.write(`${JSON.stringify(await trainers[name]!(), null, 2)}\n`);
