/** What every stand-in is started with. */
import { parseArgs } from 'node:util';

export function options(firstPieceMs: string) {
  const { values } = parseArgs({
    options: {
      port: { type: 'string', default: '0' },
      seed: { type: 'string', default: '1' },
      /** The one key that it knows. */
      key: { type: 'string', default: '' },
      knowledge: { type: 'string' },
      recordings: { type: 'string' },
      'first-piece-ms': { type: 'string', default: firstPieceMs },
      'pieces-per-second': { type: 'string', default: '25' },
      /** Delay of every answer beyond that, in ms: the way to the cloud. */
      'away-ms': { type: 'string', default: '15' },
      'a-minute': { type: 'string', default: '6000' },
      quota: { type: 'string', default: '1000000' },
    },
  });
  return {
    port: Number(values.port),
    seed: Number(values.seed),
    key: values.key,
    knowledge: values.knowledge,
    recordings: values.recordings,
    firstPieceMs: Number(values['first-piece-ms']),
    betweenMs: 1000 / Number(values['pieces-per-second']),
    awayMs: Number(values['away-ms']),
    limits: { aMinute: Number(values['a-minute']), quota: Number(values.quota) },
  };
}
