/**
 * Errands by themselves: values of all kinds, what is told in one breath, what is asked next; typed, without
 * a talk.
 */
import { readFileSync } from 'node:fs';
import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import {
  civilOf,
  dayNumber,
  dayOfNumber,
  momentIn,
  plusDays,
  unixMsOf,
  weekdayOf,
} from '../../src/calendar/calendar.js';
import { ErrandBook } from '../../src/errands/book.js';
import { valueFrom } from '../../src/slots/values.js';
import { newErrands, READ_BACK_WHEN_UNSURE, type NamedErrand } from '../../src/errands/contract.js';
import { SLOT_KINDS, type Slot, type SlotKind } from '../../src/slots/common/slot.js';
import { hearErrand, settleErrand } from '../../src/errands/dialogue.js';
import { callErrand } from '../../src/errands/filled-otherwise.js';
import type { Step } from '../../src/errands/moves.js';
import { readingsAt } from '../../src/slots/values.js';
import { tokensOf } from '../../src/language/tokens.js';
import { exampleSentences, trySayings, wrongExample } from '../../src/errands/try.js';
import { languageOf } from '../../src/language/language.js';
import { BOOK, ERRANDS, HUTS } from './hut-errands.js';

const words = languageOf('en').errands!;
const now = { day: '2026-11-26', minute: 600 };

describe('values', () => {
  const rows = readFileSync(new URL('values-en.txt', import.meta.url), 'utf8')
    .split('\n')
    .filter((line) => line.includes(' | '))
    .slice(1)
    .map((line) => line.split(' | ') as [SlotKind, string, string]);

  it('there are at least 250 days and times among them', () => {
    expect(
      rows.filter(([kind]) => ['date', 'time', 'moment', 'duration'].includes(kind)).length,
    ).toBeGreaterThan(250);
  });

  it.each(rows)('%s: %s', (kind, text, value) => {
    const tokens = tokensOf(text);
    const said = tokens.map(({ word }) => word);
    const found = readingsAt({ kind }, { said, tokens, at: 0 }, { words, now, day: null, part: null });
    const whole = found.find(({ count }) => count === tokens.length);
    expect(
      whole ? (whole.value === null ? 'none' : String(whole.value)) : `read ${found[0]?.count ?? 0} words`,
    ).toBe(value);
  });

  it.each([
    ['count', 'to bunks', 2],
    ['count', 'for bunks', 4],
    ['count', 'to', undefined],
    ['digits', 'one to oh one', '1201'],
    ['digits', 'for four to nine', '4429'],
    ['digits', 'one one seven six to twelve', '1176'],
    ['digits', '1 to oh one to five', '1201'],
  ] as const)('what sounds like a number is one where a number is due, %s: %s', (kind, text, value) => {
    const tokens = tokensOf(text);
    const slot: Slot = kind === 'count' ? { kind, unit: ['bunk', 'bunks'] } : { kind, length: 4 };
    const said = tokens.map(({ word }) => word);
    const found = readingsAt(slot, { said, tokens, at: 0 }, { words, now, day: null, part: null });
    expect(found[0]?.value).toBe(value);
  });

  it('days are counted right, and clocks of places shown', () => {
    fc.assert(
      fc.property(fc.integer({ min: -10_000, max: 40_000 }), (number) => {
        const day = dayOfNumber(number);
        expect(dayNumber(day)).toBe(number);
        expect(new Date(`${day}T00:00:00Z`).getUTCDay()).toBe((weekdayOf(day) + 1) % 7);
        expect(
          civilOf(plusDays(day, 1)).day === 1 || civilOf(plusDays(day, 1)).day === civilOf(day).day + 1,
        ).toBe(true);
      }),
    );
    const summer = Date.UTC(2026, 6, 1, 22, 30);
    expect(momentIn(summer, 'Europe/Vienna')).toEqual({ day: '2026-07-02', minute: 30 });
    expect(unixMsOf({ day: '2026-07-02', minute: 30 }, 'Europe/Vienna')).toBe(summer);
  });

  it('arguments of a model are values of the slot, or none', () => {
    const of = (kind: SlotKind, given: unknown, slot: Partial<Slot> = {}) =>
      valueFrom({ kind, ...slot }, given);
    expect(of('count', '3')).toBe(3);
    expect(of('count', 2.5)).toBeNull();
    expect(of('date', '2026-02-31')).toBeNull();
    expect(of('moment', '2026-02-28T18:00')).toBe('2026-02-28T18:00');
    expect(of('choice', 'rowan hut', { values: HUTS })).toBe('Rowan Hut');
    expect(of('phone', '12 ab')).toBeNull();
    expect(of('money', '24.50 EUR')).toBe('24.50 EUR');
    fc.assert(
      fc.property(fc.constantFrom(...SLOT_KINDS), fc.anything(), (kind, given) => {
        const value = of(kind, given, { values: HUTS });
        expect(['string', 'number', 'boolean', 'object'].includes(typeof value)).toBe(true);
      }),
    );
  });
});

/** What is said to these sayings, one after the other; the run that would be done where one is. */
function talk(errands: readonly NamedErrand[], ...said: string[]): string[] {
  return trySayings(errands, said, 'en', now).map(({ does, says, slots }) =>
    does === 'act'
      ? `does ${JSON.stringify(Object.fromEntries(Object.entries(slots).map(([name, { value }]) => [name, value])))}`
      : does === 'pass'
        ? '-'
        : says,
  );
}

describe('in one breath', () => {
  const slots = (said: string, errand = BOOK) =>
    Object.fromEntries(
      Object.entries(trySayings([errand], [said], 'en', now)[0]!.slots).map(([name, { value }]) => [
        name,
        value,
      ]),
    );

  it.each([
    [
      'book three bunks at Rowan Hut for Friday under Miller',
      { bunks: 3, hut: 'Rowan Hut', night: '2026-11-27', name: 'Miller' },
    ],
    [
      'under Miller for Friday book three bunks at Rowan',
      { bunks: 3, hut: 'Rowan Hut', night: '2026-11-27', name: 'Miller' },
    ],
    [
      'book three bunks at Rowan Hut for Friday, no, four, under Miller',
      { bunks: 4, hut: 'Rowan Hut', night: '2026-11-27', name: 'Miller' },
    ],
    [
      'book a bunk at Heron Hut, I mean Lantern Hut, for Saturday',
      { bunks: 1, hut: 'Lantern Hut', night: '2026-11-28' },
    ],
    ['book two bunks at Rowan, not Rowan, Lantern', { bunks: 2, hut: 'Lantern Hut' }],
    ['book bunks for the 23rd of December, actually make it the 24th', { night: '2026-12-24' }],
    [
      'please reserve 2 beds, Saddle Hut, 2026-12-05, name: Anna Miller',
      { bunks: 2, hut: 'Saddle Hut', night: '2026-12-05', name: 'Anna Miller' },
    ],
    ['can you book us in, we are five people, for tonight', { bunks: 5, night: '2026-11-26' }],
    ['book three bunks under the name miller spelled m u e l l e r', { bunks: 3, name: 'Mueller' }],
    ['book something', {}],
  ])('%s', (said, expected) => expect(slots(said)).toEqual(expected));

  it('of two that may be meant neither is taken, and it is asked', () => {
    expect(talk([BOOK], 'book two bunks at Rowan or Lantern Hut')[0]).toBe(
      'Do you mean Rowan Hut or Lantern Hut?',
    );
    const tell: NamedErrand = {
      name: 'tell',
      title: 'tell people',
      about: 'Tells.',
      begins: ['tell ...'],
      readBack: false,
      slots: { who: { kind: 'contact', values: ['Anna Miller', 'Tom Miller', 'Ines Quill'], ask: 'Whom?' } },
    };
    expect(talk([tell], 'tell Miller something', 'Anna')).toEqual([
      'Do you mean Anna Miller or Tom Miller?',
      'does {"who":"Anna Miller"}',
    ]);
  });
});

describe('a dialogue', () => {
  const all = 'book three bunks at Rowan Hut for Friday under Miller';
  const back = (what: string) => `${what} Shall I book that?`;
  const four = back('Four bunks at Rowan Hut, tomorrow, the 27th of November, under the name Miller.');
  const done = 'does {"bunks":3,"hut":"Rowan Hut","night":"2026-11-27","name":"Miller"}';

  it.each<[string, string[], string[]]>([
    [
      'asks only for what is missing',
      ['book bunks at Rowan', 'three', 'Friday', 'it is Miller'],
      [
        'How many bunks?',
        'For which night?',
        'Under which name?',
        back('Three bunks at Rowan Hut, tomorrow, the 27th of November, under the name Miller.'),
      ],
    ],
    [
      'does nothing without a yes',
      [all, 'hm', 'yes'],
      [
        back('Three bunks at Rowan Hut, tomorrow, the 27th of November, under the name Miller.'),
        `I did not get that. ${back('Three bunks at Rowan Hut, tomorrow, the 27th of November, under the name Miller.')}`,
        done,
      ],
    ],
    [
      'takes "yes, but" for a correction',
      [all, 'yes but for four'],
      [back('Three bunks at Rowan Hut, tomorrow, the 27th of November, under the name Miller.'), four],
    ],
    [
      'asks what to change after a no',
      [all, 'no', 'four'],
      [
        back('Three bunks at Rowan Hut, tomorrow, the 27th of November, under the name Miller.'),
        'What shall I change?',
        four,
      ],
    ],
    [
      'says a changed value',
      ['book three bunks', 'make it four at Rowan'],
      ['At which hut?', 'Four bunks, then. For which night?'],
    ],
    [
      'says what it does not know, with what there is',
      ['book a bunk at Eagle Hut'],
      ['I do not know Eagle Hut. There is Saddle Hut, Heron Hut, Rowan Hut and Lantern Hut. At which hut?'],
    ],
    [
      'refuses what is not possible',
      ['book forty bunks', '3'],
      ['It can be at most twelve. How many bunks?', 'At which hut?'],
    ],
    [
      'refuses yesterday, and a day that there is not',
      ['book a bunk at Rowan for yesterday', 'the thirty first of february', 'Friday'],
      [
        'That is in the past. For which night?',
        'There is no such day. For which night?',
        'Under which name?',
      ],
    ],
    [
      'puts the question more simply, and then offers to leave it',
      ['book a bunk', 'bla bla bla bla bla', 'blu blu blu blu blu', 'bli bli bli bli bli', 'yes'],
      [
        'At which hut?',
        'I did not get that. At which hut?',
        'I did not get that. Heron, Rowan, Lantern or Saddle Hut?',
        'I cannot get it. Shall I leave it?',
        'All right. Nothing was done.',
      ],
    ],
    ['can be left', ['book a bunk', 'never mind'], ['At which hut?', 'All right. Nothing was done.']],
    ['can begin again', ['book a bunk at Rowan', 'start again'], ['For which night?', 'How many bunks?']],
    [
      'says what it knows',
      ['book a bunk at Rowan', 'what did I say'],
      ['For which night?', 'So far I have one bunk and Rowan Hut. For which night?'],
    ],
    [
      'says what can be done',
      ['book a bunk', 'what can you do'],
      ['At which hut?', 'I can book bunks and tell the weather. At which hut?'],
    ],
    [
      'leaves a question to a model, and asks on',
      ['book a bunk', 'is supper included?'],
      ['At which hut?', 'At which hut?'],
    ],
    ['is nothing for other sayings', ['how high is Rowan Hut'], ['-']],
  ])('%s', (_, said, answers) => expect(talk(ERRANDS, ...said)).toEqual(answers));

  it('reads back what it heard badly, where its file wants that; else it never does', () => {
    const weather = { ...ERRANDS[1]!, readBack: READ_BACK_WHEN_UNSURE };
    const never = { book: new ErrandBook([ERRANDS[1]!], 'en'), words, now, person: false };
    const context = { book: new ErrandBook([weather], 'en'), words, now, person: false };
    const said = (confidence: number) => ({
      text: 'weather at heron hut',
      tokens: tokensOf('weather at heron hut').map((token) => ({ ...token, confidence })),
    });
    expect(hearErrand(newErrands(), said(0.9), context).move.do).toBe('act');
    expect(hearErrand(newErrands(), said(0.3), never).move.do).toBe('act');
    expect(hearErrand(newErrands(), said(0.3), context).move).toEqual({
      do: 'say',
      text: 'I have Heron Hut. Is that right?',
    });
  });

  it('a model may begin it, fill it and err like a caller', () => {
    const context = { book: new ErrandBook(ERRANDS, 'en'), words, now, person: false };
    const call = (given: unknown) => callErrand(newErrands(), 'book-bunks', given, context)!.move;
    expect(call({ bunks: 3 })).toEqual({ do: 'say', text: 'At which hut?' });
    const moon = call({ bunks: 3, hut: 'Moon Hut' });
    expect('text' in moon && moon.text).toMatch(/^I do not know Moon Hut\./);
    expect(call('nonsense')).toEqual({ do: 'say', text: 'How many bunks?' });
    expect(callErrand(newErrands(), 'fly', {}, context)).toBeNull();
  });

  it('whatever is said, it is done only after a yes, and only once', () => {
    const sayings = [
      all,
      'yes',
      'no',
      'four',
      'never mind',
      'what is the weather at Rowan Hut',
      'is it far',
      'yes but two',
      'start again',
      'go on',
      'Lantern',
      'friday',
      'miller',
      'bla',
      '',
    ];
    fc.assert(
      fc.property(fc.array(fc.constantFrom(...sayings), { maxLength: 14 }), (list) => {
        let errands = newErrands();
        const did = new Set<number>();
        let asked = '';
        for (const text of list) {
          const context = { book: new ErrandBook(ERRANDS, 'en'), words, now, person: false };
          const step: Step = hearErrand(errands, { text, tokens: tokensOf(text) }, context);
          if (step.move.do === 'act') {
            expect(did.has(step.move.run.run)).toBe(false);
            did.add(step.move.run.run);
            if (step.move.run.errand === 'book-bunks')
              expect([text, /Shall I book that\?$/.test(asked)]).toEqual(['yes', true]);
            errands = settleErrand(step.errands, { ending: 'done', given: { number: '1' } }, context).errands;
          } else errands = step.errands;
          asked = 'text' in step.move ? step.move.text : step.move.do === 'answer' ? step.move.then : asked;
        }
      }),
    );
  });
});

describe('a file', () => {
  const book = (change: Partial<NamedErrand>) => () => new ErrandBook([{ ...BOOK, ...change }], 'en');

  it('that cannot work is refused in words', () => {
    expect(book({ slots: { a: { kind: 'count' } } })).toThrow(
      'the slot "a" is never asked for: give it "ask"',
    );
    expect(book({ slots: { a: { kind: 'choice', ask: 'Which?' } } })).toThrow(
      'the choice "a" has no "values"',
    );
    expect(book({ slots: { a: { kind: 'count', ask: '?', least: 5, most: 2 } } })).toThrow(
      'no value is possible',
    );
    expect(
      book({
        slots: { a: { kind: 'choice', ask: '?', values: Array.from({ length: 10_000 }, (_, i) => `v${i}`) } },
      }),
    ).toThrow('at most 2000');
    expect(book({ slots: { a: { kind: 'contact', ask: '?', values: ['Tom Reed', 'Tom Reed'] } } })).toThrow(
      '"Tom Reed" stands there twice',
    );
    expect(book({ readBack: 'Take {nothing}?' })).toThrow('"{nothing}" is none of its slots');
    expect(() => new ErrandBook([BOOK, { ...BOOK, name: 'other' }], 'en')).toThrow(
      'also begins the errand "book-bunks"',
    );
    expect(() => new ErrandBook([BOOK], 'de')).toThrow('errands do not speak "de" yet');
  });

  it('is asked for in the order that it gives, also when a database has mixed its keys', () => {
    const slots = Object.fromEntries(Object.entries(BOOK.slots).reverse());
    expect(talk([{ ...BOOK, slots }], 'book something')).toEqual(['Under which name?']);
    expect(talk([{ ...BOOK, slots, order: Object.keys(BOOK.slots) }], 'book something')).toEqual([
      'How many bunks?',
    ]);
  });

  it('gives sentences, and its examples are tried', () => {
    const example = {
      say: 'book three bunks for the first of july',
      gives: { bunks: 3, night: '2026-07-01' },
    };
    expect(wrongExample(BOOK, example, 'en')).toBeNull();
    expect(wrongExample(BOOK, { ...example, gives: { bunks: 2 } }, 'en')).toBe(
      '"book three bunks for the first of july", said on 2026-06-01 at 12:00: bunks is 3 instead of 2, night is "2026-07-01" instead of nothing',
    );
    expect(wrongExample(BOOK, { say: 'fly me home', gives: {} }, 'en')).toBe(
      '"fly me home" does not begin it',
    );
    expect(exampleSentences({ ...BOOK, begins: ['[please] book <bunks> at <hut>'] }, 'en', 12)).toHaveLength(
      12,
    );
  });
});
