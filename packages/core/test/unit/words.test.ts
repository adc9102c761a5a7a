import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { dictionaryWords, expandPhrases } from '../../src/hearing/expected-phrases.js';
import { corrections, newSettling, settle, shownWords } from '../../src/hearing/settling.js';
import { arpaOf } from '../../src/hearing/trigram.js';
import { percentile } from '../../src/measure/percentiles.js';
import { gapOf } from '../../src/measure/turn-times.js';
import { comparableWords, errorRate, wordErrors } from '../../src/measure/word-errors.js';
import { estimateWordTimes, heardWords, pauseAfter } from '../../src/speaking/heard-ledger.js';
import { cutPiece, cutRest, newCutter } from '../../src/speaking/phrase-cutter.js';
import { speakable } from '../../src/speaking/speakable.js';
import { addEntry, type Entry } from '../../src/thinking/history.js';

/** The phrases of a reply that comes in pieces of a few letters. */
function phrases(reply: string, size = 5): string[] {
  let cutter = newCutter();
  const found: string[] = [];
  for (let at = 0; at < reply.length; at += size) {
    const cut = cutPiece(cutter, reply.slice(at, at + size));
    cutter = cut.cutter;
    found.push(...cut.phrases);
  }
  return [...found, ...cutRest(cutter)];
}

describe('cutting a reply into phrases', () => {
  it.each<[string, string, string[]]>([
    [
      'short sentences',
      'No. The hut is full. Come on Sunday.',
      ['No.', 'The hut is full.', 'Come on Sunday.'],
    ],
    ['a first clause', 'I am sorry, the hut is full.', ['I am sorry,', 'the hut is full.']],
    [
      'a long first run',
      'There are four bunks free at Heron Hut on Saturday.',
      ['There are four bunks', 'free at Heron Hut on Saturday.'],
    ],
    [
      'a cut that would tear an article off',
      'Goodbye, and have a safe walk!',
      ['Goodbye, and have', 'a safe walk!'],
    ],
    [
      'abbreviations',
      'Yes. Ask Mr. Holt, e.g. at supper, or Dr. Reed. He knows.',
      ['Yes.', 'Ask Mr. Holt, e.g. at supper,', 'or Dr. Reed.', 'He knows.'],
    ],
    [
      'a sentence that ends with one',
      'Good. Supper is at 6 p.m. Breakfast is at seven.',
      ['Good.', 'Supper is at 6 p.m.', 'Breakfast is at seven.'],
    ],
    [
      'decimals, thousands and times',
      'Well. It is 3.5 miles and costs 1,200.50 at 18:30. Fine.',
      ['Well.', 'It is 3.5 miles and costs 1,200.50 at 18:30.', 'Fine.'],
    ],
    ['initials', 'So. J. Smith has it. Ask.', ['So.', 'J. Smith has it.', 'Ask.']],
    ['a numbered list', 'Huts:\n1. Heron Hut\n2. Rowan Hut', ['Huts:', '1. Heron Hut', '2. Rowan Hut']],
    [
      'a link',
      'See. Read [the map. It helps](https://a.example/b.c) now. Bye.',
      ['See.', 'Read [the map. It helps](https://a.example/b.c) now.', 'Bye.'],
    ],
    ['code', 'So:\n```\nlet a = 1. B.\n```\nDone.', ['So:', '```\nlet a = 1. B.\n```', 'Done.']],
    ['nothing but marks', ' … ', []],
  ])('%s', (_name, reply, wanted) => {
    expect(phrases(reply)).toEqual(wanted);
  });

  it('cuts a reply without punctuation before a joining word', () => {
    const reply =
      'there is a path that leads from heron hut up to the saddle and then down again to the lake where a boat is kept for walkers who want to cross the water before it gets dark in the evening';
    const found = phrases(reply);
    expect(found.length).toBeGreaterThan(1);
    expect(found.join(' ')).toBe(reply);
    for (const phrase of found) expect(phrase.split(' ').length).toBeLessThanOrEqual(30);
  });

  it('loses no letter and cuts alike, whatever pieces the reply comes in', () => {
    const letters = fc.array(
      fc.constantFrom('a', 'Hut', ' ', '. ', ', ', '\n', '1', '*', '"', '?', 'ß', '🙂 '),
      { maxLength: 60 },
    );
    fc.assert(
      fc.property(letters, fc.integer({ min: 1, max: 9 }), (parts, size) => {
        const reply = parts.join('');
        const spoken = (text: string) => text.replace(/[^\p{L}\p{N}]/gu, '');
        expect(spoken(phrases(reply, size).join(' '))).toBe(spoken(reply));
      }),
      { numRuns: 500, seed: 4 },
    );
  });
});

describe('text made fit for speech', () => {
  it.each([
    ['**Yes**, it is _open_.', 'Yes, it is open.'],
    ['# The huts', 'The huts'],
    ['- Heron Hut', 'Heron Hut'],
    ['> `npm` is fine', 'npm is fine'],
    ['See [the map](https://maps.example/a?b=c).', 'See the map.'],
    ['See https://www.tarnside.example/x/y.html, please.', 'See tarnside.example, please.'],
    ['![a hut](hut.png)', 'a hut'],
    ['| hut | bunks |', 'hut, bunks'],
    ['20% off & 4.5 °C', '20 percent off and 4.5 degrees Celsius'],
    ['5–7 bunks for €24', '5 to 7 bunks for 24 euros'],
    ['Fine 👍🏽 <b>really</b>', 'Fine really'],
    ['one\u0000two\u200b', 'one two'],
    ['🙂', ''],
    ['---', ''],
    ['snake_case stays', 'snake_case stays'],
  ])('%j is spoken as %j', (text, wanted) => {
    expect(speakable(text)).toBe(wanted);
  });
});

describe('the heard ledger', () => {
  it('counts a word when its end was played', () => {
    const words = estimateWordTimes('the path is open', 1_600);
    expect(words.at(-1)).toEqual({ word: 'open', endMs: 1_600 });
    for (let ms = 0; ms <= 1_600; ms += 50) {
      expect(heardWords(words, ms)).toEqual(
        words.slice(0, words.filter(({ endMs }) => endMs <= ms).length).map(({ word }) => word),
      );
    }
  });

  it('breathes longer after a sentence than after a clause', () => {
    expect(pauseAfter('Yes.')).toBeGreaterThan(pauseAfter('Yes,'));
    expect(pauseAfter('Yes,')).toBeGreaterThan(pauseAfter('and'));
  });
});

describe('settling of partials', () => {
  it('settles what stood five times with a word behind it, and never changes it', () => {
    let state = newSettling();
    for (const partial of ['how', 'how many', 'how many', 'how any books', 'how many bunks'])
      state = settle(state, partial.split(' '));
    expect(state.settled).toEqual(['how']);
    expect(shownWords(state)).toEqual(['how', 'many', 'bunks']);
    expect(state.flicker).toBe(3);
    expect(corrections(state, ['now', 'many', 'bunks'])).toBe(1);
  });

  it('keeps its promise whatever comes', () => {
    const partial = fc.array(fc.constantFrom('a', 'b', 'c'), { maxLength: 5 });
    fc.assert(
      fc.property(fc.array(partial, { maxLength: 30 }), (partials) => {
        let state = newSettling();
        for (const words of partials) {
          const next = settle(state, words);
          expect(next.settled.slice(0, state.settled.length)).toEqual(state.settled);
          state = next;
        }
      }),
      { seed: 8 },
    );
  });
});

describe('expected phrases', () => {
  it('write out alternatives, parts that may be left out, and slots', () => {
    const phrases = ['[please] book (one|two) at <hut>'];
    const found = expandPhrases({ phrases, slots: { hut: ['Heron Hut', 'Rowan Hut'] } }, 'en');
    const kinds = new Set(found.map((words) => words.join(' ')));
    expect([...kinds].sort()).toEqual(
      ['', 'please ']
        .flatMap((p) =>
          ['one', 'two'].flatMap((n) => ['heron', 'rowan'].map((h) => `${p}book ${n} at ${h} hut`)),
        )
        .sort(),
    );
    expect(dictionaryWords('Ines’s Hut!')).toEqual(["ines's", 'hut']);
  });

  it.each([
    ['en', /^card( (zero|oh|one|two|three|four|five|six|seven|eight|nine)){3}$/],
    ['de', /^card( (null|eins|zwei|zwo|drei|vier|fünf|sechs|sieben|acht|neun)){3}$/],
    ['fi', /^card$/],
  ])('hold digits as %s says them', (language, digits) => {
    const found = expandPhrases({ phrases: ['card <number: digits 3>'] }, language);
    expect(found.length).toBeGreaterThan(10);
    for (const words of found) expect(words.join(' ')).toMatch(digits);
  });

  it.each([
    ['(a|b', 'missing'],
    ['a)', 'no beginning'],
    ['at <hut>', 'not given'],
  ])('%j is refused', (phrase, why) => {
    expect(() => expandPhrases({ phrases: [phrase] }, 'en')).toThrow(why);
  });

  it('become a language model whose probabilities add up to one after every word', () => {
    const sentences = ['the path is open', 'the path is closed', 'is the hut open'].map((text) =>
      text.split(' '),
    );
    const arpa = arpaOf(sentences);
    const vocabulary = [...new Set(sentences.flat()), '</s>'];
    const lines = arpa.split('\n').map((line) => line.split(' '));
    const find = (...words: string[]) =>
      lines.find(
        (cells) =>
          cells.slice(1, 1 + words.length).join(' ') === words.join(' ') &&
          cells.length <= words.length + 2 &&
          !Number.isNaN(Number(cells[0])),
      );
    const probability = (history: string[], word: string): number => {
      const seen = find(...history, word);
      if (seen) return 10 ** Number(seen[0]);
      if (history.length === 0) return 0;
      const backOff = find(...history);
      return 10 ** Number(backOff?.[history.length + 1] ?? 0) * probability(history.slice(1), word);
    };
    for (const history of [[], ['the'], ['the', 'path'], ['path', 'is'], ['<s>'], ['is', 'open']]) {
      expect(vocabulary.reduce((sum, word) => sum + probability(history, word), 0)).toBeCloseTo(1, 2);
    }
    expect(probability(['the', 'path'], 'is')).toBeGreaterThan(probability(['the', 'path'], 'hut'));
  });
});

describe('the history', () => {
  it('alternates strictly, whatever is added', () => {
    const entry = fc.record({
      role: fc.constantFrom('caller' as const, 'assistant' as const),
      text: fc.constantFrom('', ' ', 'one', 'two'),
    });
    fc.assert(
      fc.property(fc.array(entry, { maxLength: 30 }), (entries) => {
        const history = entries.reduce<Entry[]>((all, { role, text }) => addEntry(all, role, text), []);
        history.forEach(({ role, text }, i) => {
          expect(role).not.toBe(history[i - 1]?.role);
          expect(text.trim()).not.toBe('');
        });
      }),
      { seed: 9 },
    );
  });
});

describe('measures', () => {
  it.each([
    ['the path is open', 'the path is open', { substituted: 0, deleted: 0, inserted: 0 }],
    ['the path is open', 'path was open now', { substituted: 1, deleted: 1, inserted: 1 }],
    ['', 'one two', { substituted: 0, deleted: 0, inserted: 2 }],
    ['one two', '', { substituted: 0, deleted: 2, inserted: 0 }],
  ])('%j heard as %j', (said, heard, wanted) => {
    const errors = wordErrors(comparableWords(said), comparableWords(heard));
    expect(errors).toMatchObject(wanted);
    expect(errorRate(errors)).toBe(
      (wanted.substituted + wanted.deleted + wanted.inserted) / Math.max(1, comparableWords(said).length),
    );
  });

  it('percentiles lie between their neighbours', () => {
    expect(percentile([4, 1, 3, 2], 0.5)).toBe(2.5);
    expect(percentile([1, 2, 3], 0.95)).toBeCloseTo(2.9);
    expect(percentile([], 0.5)).toBeNaN();
  });

  it('the parts of a gap add up to it, also where marks are missing or late', () => {
    const gap = gapOf({
      voiceEndedMs: 100,
      endpointMs: 700,
      finalMs: 650,
      firstPieceMs: 900,
      firstPhraseMs: 950,
      firstAudioMs: 5_000,
      soundMs: 1_050,
    })!;
    expect(gap.parts.map(({ ms }) => ms)).toEqual([600, 0, 200, 50, 100, 0]);
    expect(gap.ms).toBe(950);
    expect(gapOf({ voiceEndedMs: 100 })).toBeNull();
  });
});
