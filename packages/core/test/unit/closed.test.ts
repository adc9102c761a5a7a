/** What is expected, as a grammar, and which of two hearings is believed. */
import { describe, expect, it } from '@jest/globals';
import {
  beliefIn,
  closedGrammar,
  Contrast,
  eitherOf,
  fitWhole,
  heardClosed,
  oneHearing,
  readJsgf,
  sayable,
  wordsOfGrammar,
  writeJsgf,
  type Stretch,
} from '../../src/index.js';

const fits = (grammar: Parameters<typeof fitWhole>[0], text: string) =>
  fitWhole(grammar, text.split(' ')) !== null;

describe('a grammar of what is expected', () => {
  const grammar = eitherOf(
    [
      { phrases: ['how many bunks are free at <hut>'], slots: { hut: ['Heron Hut', 'Rowan Hut'] } },
      {
        phrases: ['<hut>', '<bunks: count> bunks', 'number <n: digits 4>', 'on <d: date>'],
        slots: { hut: ['Elm'] },
      },
      { phrases: ['yes [please]'] },
    ].map((expected) => closedGrammar(expected, 'en')),
  );

  it.each([
    ['how many bunks are free at rowan hut', true],
    ['how many bunks are free at elm', false],
    ['elm', true],
    ['heron hut', false],
    ['three bunks', true],
    ['number four seven oh one', true],
    ['number four seven one', false],
    ['on friday', true],
    ['yes', true],
    ['yes please', true],
    ['yes thanks', false],
  ])('fits "%s": %s', (text, isFit) => {
    expect(fits(grammar, text)).toBe(isFit);
    // The file that ears read says the same.
    expect(fits(readJsgf(writeJsgf(grammar, 'expected')), text)).toBe(isFit);
  });

  it('leaves out what nobody can say, and what needs it', () => {
    const spoken = sayable(grammar, (word) => word !== 'rowan' && word !== 'yes');
    expect(fits(spoken, 'how many bunks are free at heron hut')).toBe(true);
    expect(fits(spoken, 'how many bunks are free at rowan hut')).toBe(false);
    expect(fits(spoken, 'yes please')).toBe(false);
    expect(wordsOfGrammar(spoken).has('rowan')).toBe(false);
    expect(
      fits(
        sayable(grammar, () => false),
        'elm',
      ),
    ).toBe(false);
  });

  it('has no place for words of which there is no list', () => {
    const open = closedGrammar({ phrases: ['my name is <name*>', 'goodbye'] }, 'en');
    expect(wordsOfGrammar(open)).toEqual(new Set(['goodbye']));
  });
});

/** Words of 300 ms each, with silence around them. @param fits of each, a frame */
function heard(text: string, fits: readonly number[] = []): Stretch[] {
  const words = text.split(' ').filter(Boolean);
  const at = (i: number) => 300 * (i + 1);
  const stretch = (word: string, fromMs: number, toMs: number, fit: number): Stretch => ({
    word,
    fromMs,
    toMs,
    fit: (fit * (toMs - fromMs)) / 10,
  });
  return [
    stretch('', 0, 300, -20),
    ...words.map((word, i) => stretch(word, at(i), at(i + 1), fits[i] ?? fits[0] ?? -30)),
    stretch('', at(words.length), at(words.length) + 300, -20),
  ];
}
const QUIET_DB = 40;
const both = (open: string, closed: string, loss: number | number[], contrastDb = QUIET_DB) => ({
  open: heard(open).map((one) => ({ ...one, ...(one.word === '' ? {} : { confidence: 0.4 }) })),
  closed: heard(
    closed,
    (Array.isArray(loss) ? loss : [loss]).map((one) => -30 - one),
  ),
  contrastDb,
});
const said = (open: string, closed: string, loss: number | number[]) =>
  oneHearing(both(open, closed, loss))
    .words.map(({ word }) => word)
    .join(' ');

describe('two hearings', () => {
  it('are one: the closed words where they fit the sound as well as any', () => {
    const { words, closed } = oneHearing(both('how main banks are free', 'how many bunks are free', 1));
    expect(words.map(({ word }) => word).join(' ')).toBe('how many bunks are free');
    expect(words.map(({ heardAs }) => heardAs)).toEqual([
      undefined,
      'main banks',
      'main banks',
      undefined,
      undefined,
    ]);
    expect(closed!.belief).toBeGreaterThan(0.8);
    expect(words[0]!.confidence).toBeCloseTo(closed!.belief, 3);
    expect(words[1]).toMatchObject({ fromMs: 600, toMs: 900 });
  });

  it('stay the open one where what is expected fits worse', () => {
    const { words, closed } = oneHearing(both('the lake is frozen today', 'how many bunks are free', 40));
    expect(words.map(({ word }) => word).join(' ')).toBe('the lake is frozen today');
    expect(words.every(({ confidence, heardAs }) => confidence === 0.4 && heardAs === undefined)).toBe(true);
    expect(closed).toEqual({ text: 'how many bunks are free', belief: expect.any(Number) });
    expect(closed!.belief).toBeLessThan(0.05);
  });

  it('are the closed one up to where it fits, and open from there', () => {
    const open = 'use the warden of rowan hut and can you tell me';
    const closed = 'who is the warden of rowan hut tell';
    expect(
      said(
        'he is the warden of heron hut under trees',
        'who is the warden of heron hut yes please',
        [1, 1, 1, 1, 1, 1, 1, 90, 90],
      ),
    ).toBe('who is the warden of heron hut under trees');
    expect(said(open, closed, 60)).toBe(open);
  });

  it('are less sure of what covers only half of the voice, and of one word that fits badly', () => {
    const all = 'who is the warden';
    const whole = beliefIn(both(all, all, 2));
    expect(beliefIn(both(`${all} of it and why`, all, 2))).toBeLessThan(whole);
    expect(beliefIn(both('who is the lake', all, [0, 0, 0, 60]))).toBeLessThan(0.5);
    expect(beliefIn(both('who is the lake', all, [15, 15, 15, 15]))).toBeGreaterThan(0.5);
  });

  it('are nothing to believe where nothing fits', () => {
    expect(beliefIn(both('hello', '', 0))).toBe(0);
    expect(oneHearing(both('hello', '', 0))).toMatchObject({ words: [{ word: 'hello' }], closed: null });
    expect(heardClosed(heard(''))).toEqual({ words: [], closed: null });
    expect(heardClosed(heard('yes please'))).toMatchObject({ closed: { text: 'yes please', belief: 1 } });
  });
});

describe('the contrast of a voice', () => {
  it('is how far its loud frames are above the quiet ones, however it comes', () => {
    const samples = Int16Array.from(
      { length: 32_000 },
      (_, i) => (i < 16_000 ? 10 : 1_000) * (i % 2 ? 1 : -1),
    );
    const whole = new Contrast();
    whole.push(samples);
    expect(whole.db()).toBeCloseTo(40, 0);
    const pieces = new Contrast();
    for (let at = 0; at < samples.length; at += 100) pieces.push(samples.subarray(at, at + 100));
    expect(pieces.db()).toBe(whole.db());
    pieces.begin();
    expect(pieces.db()).toBe(0);
  });
});
