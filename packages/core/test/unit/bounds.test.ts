/**
 * What comes in is bounded: templates, texts to be spoken, turns that never pause, talks that must end,
 * journals.
 */
import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { AnswerBook } from '../../src/thinking/authored-answers.js';
import { ExpectedPhrases } from '../../src/hearing/expectation.js';
import { expandPhrases } from '../../src/hearing/expected-phrases.js';
import { JournalPacker, JournalUnpacker } from '../../src/journal/pack.js';
import type { Happening, Unstamped } from '../../src/conductor/contract/happenings.js';
import type { HeardWord } from '../../src/vocabulary/words.js';
import type { Order } from '../../src/conductor/contract/orders.js';
import { speakable, spokenPhrases } from '../../src/speaking/speakable.js';
import { OVER_MS, planned, show, Stage } from './stage.js';

/** Slots within slots, each with ten values; `twice` makes each value name the next slot two times. */
function deepSlots(depth: number, twice: boolean): Record<string, string[]> {
  const slots: Record<string, string[]> = {};
  for (let level = 0; level < depth; level++)
    slots[`s${level}`] = Array.from({ length: 10 }, (_, i) => {
      if (level === depth - 1) return `w${i}`;
      return twice ? `<s${level + 1}> <s${level + 1}>` : `<s${level + 1}> x${i}`;
    });
  return slots;
}

describe('templates', () => {
  it('with slots within slots, seven deep, are matched without being written out', () => {
    const slots = deepSlots(7, false);
    const said = 'w1 x1 x2 x3 x4 x5 x6';
    expect(expandPhrases({ phrases: ['<s0>'], slots }, 'en')).toHaveLength(60);
    expect(
      new ExpectedPhrases({ phrases: ['<s0> now'], slots }, 'en').match(`${said} now`.split(' ')),
    ).toMatchObject({ whole: true });
    const book = new AnswerBook({
      slots,
      answers: [{ when: ['<s0> now'], say: ['ok {s0}'] }],
      otherwise: 'pass',
    });
    expect(book.answer([{ role: 'caller', text: `${said} now` }], 1)).toEqual({
      kind: 'say',
      text: `Ok ${said}`,
    });
  });

  it.each([
    ['too many forms', ['<s0>'], deepSlots(7, true), /this phrase has more than 1,000,000,000 forms/],
    ['too many words', ['<a> <a>'], { a: ['x '.repeat(101)] }, /may be more than 200 words long/],
    ['a name that every object has', ['to <constructor>'], { hut: ['heron'] }, /<constructor> is not given/],
    ['a name that no object should have', ['to <__proto__>'], { hut: ['heron'] }, /<__proto__> is not given/],
  ])('with %s are refused with words', (_what, phrases, slots, words) => {
    expect(() => expandPhrases({ phrases, slots }, 'en')).toThrow(
      expect.objectContaining({ detail: expect.stringMatching(words), path: '/phrases/0' }),
    );
  });
});

describe('words that every object has', () => {
  it.each([
    'constructor',
    'toString',
    'twenty constructor',
    'a constructor',
    'two valueOf',
    'hasOwnProperty thousand',
  ])('are words like others: "%s"', (said) => {
    const stage = new Stage(planned({}, { written: true }));
    stage.say(said);
    stage.wait(OVER_MS);
    expect(stage.last('think').messages.at(-1)!.text.toLowerCase()).toContain(
      said
        .split(' ')
        .find((word) => /[A-Z]|constructor/.test(word))!
        .toLowerCase(),
    );
  });
});

describe('text to be spoken', () => {
  it.each([
    ['20,000 letters without a stop', 'a'.repeat(20_000)],
    ['addresses in a row', 'http://a'.repeat(2_500)],
    ['brackets that are never closed', '[a]('.repeat(5_000)],
    ['an open bracket and many words', `[${'hut '.repeat(4_900)}`],
    ['stars', '**a'.repeat(6_000)],
  ])('of %s becomes phrases of a length that a voice can say at once', (_what, text) => {
    for (const phrase of spokenPhrases(text)) {
      expect(phrase.length).toBeLessThanOrEqual(301);
      for (const word of phrase.split(' ')) expect(word.length).toBeLessThanOrEqual(60);
    }
  });

  it.each([
    ['See https://huts.example/a/b?c=d.', 'See huts.example.'],
    ['See https://www.huts.example, then go.', 'See huts.example, then go.'],
    ['(https://huts.example/x)', '(huts.example)'],
  ])('still speaks of an address only its host: %s', (text, spoken) => expect(speakable(text)).toBe(spoken));

  it('is answered with in phrases, whatever the model writes', () => {
    const stage = new Stage();
    stage.happen({ kind: 'typed', text: 'hello' });
    stage.write('a'.repeat(4_000));
    stage.playAll();
    expect(stage.all('synthesise').length).toBeGreaterThan(10);
    for (const { text } of stage.all('synthesise')) expect(text.length).toBeLessThanOrEqual(301);
  });
});

describe('a voice that never pauses', () => {
  /** So long, with a word every 200 ms. */
  function talkOn(stage: Stage, seconds: number): void {
    stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
    const from = stage.nowMs;
    for (let i = 0; stage.nowMs - from < seconds * 1_000; i++) {
      stage.wait(200);
      const voicedMs = stage.nowMs - from;
      stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs, pitchedMs: voicedMs });
      const { recognition } = stage.last('openRecognition');
      show(stage, recognition, `word${i}`);
    }
  }
  const finals = (stage: Stage) => {
    for (const { recognition } of stage.all('closeRecognition')) stage.heard(recognition, 'and so on');
  };

  it('is heard in segments of at most 30 s that follow on each other', () => {
    const stage = new Stage();
    talkOn(stage, 100);
    const opened = stage.all('openRecognition');
    expect(opened).toHaveLength(4);
    stage.all('closeRecognition').forEach(({ toMs, cause }, i) => {
      expect(opened[i + 1]!.fromMs).toBe(toMs);
      expect(toMs - opened[i]!.fromMs).toBeLessThanOrEqual(30_200);
      expect(cause.kind).toBe('segmentTooLong');
    });
  });

  it('is a turn of at most 180 s, and heard again after its next pause', () => {
    const stage = new Stage();
    talkOn(stage, 200);
    finals(stage);
    stage.wait(100);
    expect(stage.all('think')).toHaveLength(1);
    expect(stage.last('think').cause.kind).toBe('turnTooLong');
    const before = stage.all('openRecognition').length;
    stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs: 200_000, pitchedMs: 200_000 });
    expect(stage.all('openRecognition')).toHaveLength(before);
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs, voicedMs: 200_000, pitchedMs: 200_000 });
    stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
    expect(stage.all('openRecognition')).toHaveLength(before + 1);
  });

  it('and a key that is held or forgotten ends a turn too', () => {
    const stage = new Stage(planned({ floor: 'press' }));
    stage.happen({ kind: 'pressed', atMs: stage.nowMs });
    stage.wait(181_000);
    expect(stage.told('unheard')).toHaveLength(1);
    expect(stage.conductor.snapshot().floor.press).toBeNull();
  });
});

describe('a talk that must end', () => {
  const rest: [string, Unstamped][] = [
    ['typing', { kind: 'typed', text: 'And one more thing' }],
    ['a fresh start', { kind: 'freshAsked' }],
    ['a key', { kind: 'pressed', atMs: 0 }],
    ['a voice', { kind: 'voiceBegan', atMs: 0 }],
    ['another floor', { kind: 'floorSet', floor: 'press' }],
  ];

  it.each(rest)('ends, though %s comes in its last sentence', (_what, happening) => {
    const stage = new Stage(planned({}, { greeting: 'Hello.' }));
    stage.happen({ kind: 'closeAsked', detail: 'the budget is used up' });
    stage.happen(happening);
    stage.happen({ kind: 'closeAsked', detail: 'once more' });
    stage.playAll();
    expect(stage.all('hangUp').map(({ cause }) => cause)).toEqual([
      { kind: 'budgetSpent', detail: 'the budget is used up' },
    ]);
    expect(stage.all('think')).toHaveLength(0);
  });

  it('ends at once when silence is asked for, and in the end without a line that says what it plays', () => {
    const hushed = new Stage();
    hushed.happen({ kind: 'closeAsked', detail: 'enough' });
    hushed.happen({ kind: 'hushAsked' });
    hushed.wait(200);
    expect(hushed.all('hangUp')).toHaveLength(1);
    const silent = new Stage();
    silent.happen({ kind: 'closeAsked', detail: 'enough' });
    silent.synthesise();
    silent.wait(20_000);
    expect(silent.all('hangUp')).toHaveLength(1);
  });
});

describe('a journal', () => {
  const words = (count: number): HeardWord[] =>
    Array.from({ length: count }, (_, i) => ({ word: `word${i}`, fromMs: i * 200, toMs: i * 200 + 180 }));
  type Entry = ['happening' | 'order', Happening | Order];

  it('grows with the length of a turn that never pauses, not with its square', () => {
    const bytes = (count: number) => {
      const packer = new JournalPacker();
      let sum = 0;
      for (let i = 1; i <= count; i++) {
        const settled = words(i)
          .map(({ word }) => word)
          .join(' ');
        const told = { kind: 'partial' as const, turn: 1, settled, open: '' };
        sum += JSON.stringify(
          packer.pack('happening', { kind: 'partial', recognition: 1, words: words(i), nowMs: i }),
        ).length;
        sum += JSON.stringify(
          packer.pack('order', { kind: 'tell', message: told, cause: { kind: 'answerGrows' } }),
        ).length;
      }
      return sum;
    };
    expect(bytes(800) / bytes(200)).toBeLessThan(5);
  });

  it('is read as it was, whatever was packed', () => {
    const word = fc.record({ word: fc.constantFrom('a', 'b', 'c'), fromMs: fc.nat(3), toMs: fc.nat(3) });
    const partial = fc.record({ recognition: fc.nat(2), words: fc.array(word, { maxLength: 5 }) });
    const entry: fc.Arbitrary<Entry> = fc.oneof(
      partial.map((one): Entry => ['happening', { kind: 'partial', nowMs: 0, ...one }]),
      fc.string({ maxLength: 6, unit: fc.constantFrom('a', 'b') }).map((settled): Entry => {
        const message = { kind: 'partial' as const, turn: 1, settled, open: 'x' };
        return ['order', { kind: 'tell', message, cause: { kind: 'answerGrows' } }];
      }),
      fc.array(fc.constantFrom('yes', 'no'), { maxLength: 4 }).map((texts): Entry => {
        const messages = texts.map((text) => ({ role: 'caller' as const, text }));
        const by = {
          engine: 'mind',
          alone: true,
          persona: '',
          answerLength: 'short' as const,
          language: 'en',
        };
        return [
          'order',
          {
            kind: 'think',
            thought: 1,
            turn: 1,
            attempt: 1,
            purpose: 'answer',
            messages,
            ...by,
            cause: { kind: 'answerGrows' },
          },
        ];
      }),
      fc.constant<Entry>(['happening', { kind: 'hushAsked', nowMs: 1 }]),
    );
    fc.assert(
      fc.property(fc.array(entry, { maxLength: 40 }), (entries) => {
        const packer = new JournalPacker();
        const unpacker = new JournalUnpacker();
        const stored = entries.map(
          ([side, body]) => [side, JSON.parse(JSON.stringify(packer.pack(side, body)))] as const,
        );
        expect(stored.map(([side, body]) => unpacker.unpack(side, body))).toEqual(
          entries.map(([, body]) => body),
        );
      }),
      { seed: 3 },
    );
  });
});
