/**
 * Sentences of errands: a day and a time in any order, patterns that fit what slots can read, numbers that
 * are whole, two wishes in one.
 */
import { describe, expect, it } from '@jest/globals';
import { ErrandBook } from '../../src/errands/book.js';
import { newErrands, type NamedErrand } from '../../src/errands/contract.js';
import { hearErrand } from '../../src/errands/dialogue.js';
import { tokensOf } from '../../src/language/tokens.js';
import { trySayings } from '../../src/errands/try.js';
import { languageOf } from '../../src/language/language.js';
import { seeded } from '../../src/common/seeded.js';
import { BOOK } from './hut-errands.js';

const words = languageOf('en').errands!;
const now = { day: '2026-11-26', minute: 600 };

const HOURS: NamedErrand = {
  name: 'hours',
  title: 'tell the opening hours',
  about: 'Tells when the shop is open.',
  begins: ['are you open [on] [<day>]', 'what about <day>'],
  slots: { day: { kind: 'date', optional: true, ask: 'Which day?' } },
  readBack: false,
};

/** What is said to these sayings, one after the other. */
const answers = (errands: readonly NamedErrand[], ...said: string[]): string[] =>
  trySayings(errands, said, 'en', now).map(({ says }) => says);

/** Days from tomorrow on and clock times, however they are said, in one sentence or in two. */
describe('a day and a time', () => {
  const DROP: NamedErrand = {
    name: 'drop',
    title: 'note it',
    about: 'x',
    begins: ['... drop off ...'],
    slots: { day: { kind: 'date', ask: 'Which day?' }, time: { kind: 'time', ask: 'When?' } },
  };
  const HOURS_SAID = 'one two three four five six seven eight nine ten eleven twelve'.split(' ');
  const DAYS_SAID: [string, string][] = [
    ['tomorrow', '2026-11-27'],
    ['on Friday', '2026-11-27'],
    ['on Saturday', '2026-11-28'],
    ['on the third of December', '2026-12-03'],
    ['on December the tenth', '2026-12-10'],
    ['on the 12th', '2026-12-12'],
  ];
  const random = seeded(2612);
  const pick = <T>(all: readonly T[]): T => all[Math.floor(random() * all.length)]!;
  const rows = Array.from({ length: 90 }, () => {
    const [day, date] = pick(DAYS_SAID);
    const [past, minutes] = pick([
      ['', 0],
      ['half past ', 30],
      ['quarter past ', 15],
    ] as const);
    const hour = Math.floor(random() * 12) + 1;
    const clock = `at ${past}${HOURS_SAID[hour - 1]!}`;
    // By day: from seven in the morning to seven in the evening.
    const minute = (hour % 12) * 60 + minutes;
    const meant = minute >= 420 ? minute : minute + 720;
    const time = `${String(Math.floor(meant / 60)).padStart(2, '0')}:${String(meant % 60).padStart(2, '0')}`;
    const ways = [
      [`drop off my clarinet ${day} ${clock}`],
      [`${clock} ${day} I will drop off a clarinet`],
      [`drop off my clarinet ${clock}`, day],
      [`drop off my clarinet ${day}`, clock],
    ];
    return [pick(ways), date, time] as const;
  });

  it.each(rows)('%j: %s, %s', (said, day, time) => {
    const tried = trySayings([DROP], said, 'en', now).at(-1)!;
    expect([tried.slots.day?.value, tried.slots.time?.value]).toEqual([day, time]);
  });
});

describe('what is said', () => {
  it.each([
    ['020 794', 'That is too short for a telephone number. Your number?'],
    ['seven nine four six', 'I did not get that. Your number?'],
    ['oh to oh seven nine four six oh one two three', 'I have 0 2 0 7 9 4 6 0 1 2 3. Is that right?'],
  ])('a telephone number is whole, or asked for again: %s', (said, answer) => {
    const call: NamedErrand = {
      name: 'call',
      title: 'call back',
      about: 'x',
      begins: ['call me back'],
      slots: { phone: { kind: 'phone', ask: 'Your number?' } },
    };
    expect(answers([call], 'call me back', said)).toEqual(['Your number?', answer]);
  });

  it.each([
    ['a sentence of another kind', 'what about a trombone', null],
    ['a day', 'what about Friday', '2026-11-27'],
    ['a longer day', 'what about the twenty third of December', '2026-12-23'],
    ['nothing', 'goodbye', null],
    ['what may be left out', 'are you open', ''],
  ] as const)('a slot of a pattern takes what it can read: %s', (_, said, day) => {
    const [tried] = trySayings([HOURS], [said], 'en', now);
    expect(tried!.does === 'pass' ? null : (tried!.slots.day?.value ?? '')).toBe(day);
  });

  it.each([
    ['[are you] [open] [<day>]', 'fits whatever is said'],
    ['...', 'fits whatever is said'],
    ['<day*>', 'fits whatever is said'],
  ])('a pattern that fits everything is refused: %s', (pattern, why) => {
    expect(() => new ErrandBook([{ ...HOURS, begins: [pattern] }], 'en')).toThrow(why);
  });

  it('takes one wish after the other, and says so', () => {
    const both = [
      BOOK,
      HOURS,
      {
        ...HOURS,
        name: 'log',
        title: 'write an entry',
        begins: ['write an entry ...'],
        slots: { entry: { kind: 'text', ask: 'What?' } },
      } satisfies NamedErrand,
    ];
    const later = (text: string) => {
      const step = hearErrand(
        newErrands(),
        { text, tokens: tokensOf(text) },
        { book: new ErrandBook(both, 'en'), words, now, person: false },
      );
      return [
        step.errands.current?.errand ?? null,
        step.errands.later,
        'text' in step.move ? step.move.text : '',
      ];
    };
    expect(later('book two bunks at Rowan Hut, and what time is supper there?')).toEqual([
      'book-bunks',
      ['what time is supper there?'],
      "One after the other: first I'll book bunks. Then I'll answer your question. For which night?",
    ]);
    expect(later('Are you open on Friday? And book two bunks at Rowan Hut')).toEqual([
      'hours',
      ['book two bunks at Rowan Hut'],
      '',
    ]);
    expect(later('book two bunks at Rowan Hut and book three at Heron Hut')[1]).toEqual([
      'book three at Heron Hut',
    ]);
    expect(later('What time is supper at Heron Hut? And book two bunks')[1]).toEqual([
      'What time is supper at Heron Hut?',
    ]);
    // One wish: a list, a name, a text that may hold anything, a question that tells what is wanted.
    for (const one of [
      'Is there room at Heron Hut on Friday? Then book two bunks, please',
      'book two bunks at Rowan Hut and put them under Miller',
      'book two bunks and make it the one at Heron Hut',
      'write an entry the pump is loose and what about Friday',
    ])
      expect(later(one)[1]).toEqual([]);
  });
});
