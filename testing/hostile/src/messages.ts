/**
 * What a line may send that no caller of ours ever does: messages and frames by a seed, from nearly right to
 * plain noise.
 */
import { seeded } from '@verbalon/core';
import { writeFrame } from '@verbalon/protocol';
import { below, mutated, pick, type Random } from './common/mutated.js';

const NUMBERS = [
  0,
  -1,
  1.5,
  1e300,
  -1e300,
  2 ** 31,
  2 ** 32,
  2 ** 53,
  2 ** 63,
  Number.MAX_VALUE,
  5e-324,
  NaN,
];
const TEXTS = [
  '',
  'x',
  '\0',
  '\ud800',
  '\udfff\ud800',
  'a'.repeat(4_000),
  '{hut}',
  '*'.repeat(3_000),
  '🏔️',
  '[a]('.repeat(900),
  'http://a'.repeat(500),
  '__proto__',
  'constructor',
];
const VALUES = [null, true, [], {}, [[[[]]]], { __proto__: 1 }, ...NUMBERS, ...TEXTS];
const KINDS = [
  'arrive',
  'typed',
  'press',
  'release',
  'floor',
  'hush',
  'fresh',
  'played',
  'ducked',
  'swap',
  'language',
  'wrote',
  'screen',
  'passed',
  'piece',
  'thought', // 'leave' ends the talk
  'toString',
  'constructor',
  '__proto__',
  'hasOwnProperty',
  '',
  'sing',
];

/** Messages as the talk socket knows them. */
const RIGHT: (() => object)[] = [
  () => ({ kind: 'typed', text: 'Is the path open?' }),
  () => ({ kind: 'press', capture: 100 }),
  () => ({ kind: 'release', capture: 9_000 }),
  () => ({ kind: 'floor', floor: 'open' }),
  () => ({ kind: 'floor', floor: 'press' }),
  () => ({ kind: 'hush' }),
  () => ({ kind: 'fresh' }),
  () => ({ kind: 'played', speech: 2, sample: 1_600, capture: 4_000, flushed: true }),
  () => ({ kind: 'ducked', capture: 4_000 }),
  () => ({ kind: 'swap', role: 'llm', engine: 'echo' }),
  () => ({ kind: 'language', speaks: 'en' }),
  () => ({ kind: 'swap', role: 'llm', engine: 'page' }),
  () => ({ kind: 'wrote', slot: 'bunks', value: 4 }),
  () => ({ kind: 'screen', run: 1, done: true, values: { hut: 'Rowan Hut' } }),
  () => ({ kind: 'passed', call: 1, text: 'soup', words: [{ word: 'soup', fromMs: 0, toMs: 9 }] }),
  () => ({ kind: 'piece', thought: 1, text: 'Soup is at six.' }),
  () => ({ kind: 'thought', thought: 1 }),
];

export function hostileItem(seed: number): string | Uint8Array {
  const random = seeded(seed);
  switch (below(random, 5)) {
    case 0:
      return JSON.stringify(pick(random, RIGHT)());
    case 1:
      return JSON.stringify(twisted(pick(random, RIGHT)(), random));
    case 2:
      return JSON.stringify({ kind: pick(random, KINDS), ...strange(random) });
    case 3:
      return new TextDecoder('latin1').decode(
        mutated(new TextEncoder().encode(JSON.stringify(pick(random, RIGHT)())), seed),
      );
    default:
      return frame(random, seed);
  }
}

/** One of its values is another. JSON has no NaN: it becomes null. */
function twisted(message: object, random: Random): object {
  const keys = Object.keys(message).filter((key) => key !== 'kind');
  return keys.length === 0 ? strange(random) : { ...message, [pick(random, keys)]: pick(random, VALUES) };
}

function strange(random: Random): Record<string, unknown> {
  const keys = [
    'text',
    'capture',
    'sample',
    'speech',
    'role',
    'engine',
    'floor',
    'hears',
    'audio',
    'resume',
    '__proto__',
  ];
  return Object.fromEntries(
    Array.from({ length: below(random, 4) }, () => [pick(random, keys), pick(random, VALUES)]),
  );
}

function frame(random: Random, seed: number): Uint8Array {
  const whole = writeFrame({
    from: pick(random, ['caller', 'assistant']),
    epoch: below(random, 5),
    firstSample: pick(random, [0, 320, 100_000, 2 ** 40]),
    last: random() < 0.1,
    samples: Int16Array.from({ length: 2 * below(random, 400) }, () => below(random, 65_536) - 32_768),
  });
  return random() < 0.5 ? whole : mutated(whole, seed);
}
