/** What a check says of an engine: with engines of the test's own, on its own clock. */
import { afterEach, beforeEach, expect, it, jest } from '@jest/globals';
import { samplesOfMs } from '@verbalon/core';
import { EngineFault } from '@verbalon/engines';
import { checkEngine } from '../../src/engines/check.js';

beforeEach(() => void jest.useFakeTimers());
afterEach(() => void jest.useRealTimers());

const pause = (ms: number) => new Promise<void>((done) => setTimeout(done, ms));

/** A model that begins after so long, and writes this. */
const mind = (waits: number[], text = 'At six.') => ({
  name: 'mind',
  role: 'llm',
  languages: ['en'],
  async *think({ signal }: { signal: AbortSignal }) {
    await Promise.race([
      pause(waits.shift()!),
      new Promise<void>((done) => signal.addEventListener('abort', () => done())),
    ]);
    if (signal.aborted) return;
    if (text !== '') yield { kind: 'piece', text };
  },
});

const voice = (ms: number, sample: (i: number) => number) => ({
  name: 'voice',
  role: 'tts',
  languages: ['en'],
  async *speak() {
    await pause(80);
    yield {
      kind: 'audio',
      samples: Int16Array.from({ length: samplesOfMs(ms, 16_000) }, (_, i) => sample(i)),
      words: null,
    };
  },
});
const tone = (i: number) => 4_000 * Math.sin(i / 10);
const noise = (i: number) => ((i * 7919) % 65_536) - 32_768;

const failing = (code: ConstructorParameters<typeof EngineFault>[0], detail: string) => ({
  ...mind([]),
  think() {
    throw new EngineFault(code, detail);
  },
});

async function check(engine: { name: string }) {
  const engines = { get: () => ({ ...engine, guard: { isOfCaller: false } }), warm: () => Promise.resolve() };
  const found = checkEngine({} as never, engines as never, engine.name);
  await jest.advanceTimersByTimeAsync(60_000);
  return found;
}

it.each<[string, { name: string }, string[]]>([
  ['all is well', mind([300, 250]), []],
  [
    'the first call is slower',
    mind([900, 250]),
    ['the first call was much slower than the second: keep it warm'],
  ],
  ['too slow', mind([1_700, 1_700]), ['1700 ms to its first answer is too slow for a talk']],
  ['a voice that is well', voice(1_700, tone), []],
  [
    'a voice at half its rate',
    voice(3_400, tone),
    ['its sound is 2.0 times as long as usual: is the rate that its card says right?'],
  ],
  [
    'a voice at thrice its rate',
    voice(560, tone),
    ['its sound is 0.3 times as long as usual: is the rate that its card says right?'],
  ],
  [
    'a voice in another encoding',
    voice(1_700, noise),
    [
      'its sound is as loud as noise (-5 dBFS): is the encoding that its card says right? For sound with a head, or compressed, write receive.encoding: auto',
    ],
  ],
])('%s', async (_name, engine, notes) => {
  expect(await check(engine)).toMatchObject({ ok: true, problem: null, notes });
});

it('tells both times', async () => {
  expect(await check(mind([300, 250]))).toMatchObject({ firstMs: 300, againMs: 250, answered: 'At six.' });
});

it.each<[string, { name: string }, string, RegExp]>([
  ['an answer without a word', mind([10, 10], ''), 'engine-garbled', /^mind wrote nothing$/],
  ['no end', mind([100, 90_000]), 'engine-late', /^mind was not done within 15 s$/],
  ['a wrong key', failing('engine-key-wrong', 'mind answers 401'), 'engine-key-wrong', /401/],
  ['a model that is not there', failing('engine-refused', 'mind: no model "big"'), 'engine-refused', /"big"/],
  [
    'a fault of our own',
    {
      ...mind([]),
      think: () => {
        throw new TypeError('x is undefined');
      },
    } as never,
    'engine-down',
    /x is undefined/,
  ],
])('%s is told with a remedy', async (_name, engine, code, detail) => {
  const { ok, problem } = await check(engine);
  expect(ok).toBe(false);
  expect(problem).toMatchObject({ code, detail: expect.stringMatching(detail) });
  expect(problem!.remedy.length).toBeGreaterThan(10);
});
