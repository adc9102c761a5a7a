/** Errands of the huts, for tests. */
import type { NamedErrand } from '../../src/errands/contract.js';

export const HUTS = ['Heron Hut', 'Rowan Hut', 'Lantern Hut', 'Saddle Hut'];

export const BOOK: NamedErrand = {
  name: 'book-bunks',
  title: 'book bunks',
  about: 'Books bunks at a hut for a night.',
  begins: [
    '... (book|reserve) ...',
    '[we|i] (need|want) ... (bunk|bunks|bed|beds) ...',
    '<bunks> (bunk|bunks|beds) ...',
  ],
  slots: {
    bunks: {
      kind: 'count',
      least: 1,
      most: 12,
      unit: ['bunk', 'bunks'],
      near: ['bed', 'beds', 'people', 'of us'],
      ask: 'How many bunks?',
    },
    hut: {
      kind: 'choice',
      values: HUTS,
      after: ['at'],
      ask: 'At which hut?',
      again: 'Heron, Rowan, Lantern or Saddle Hut?',
    },
    night: { kind: 'date', ask: 'For which night?' },
    name: { kind: 'name', values: ['Miller', 'Fisher'], ask: 'Under which name?' },
  },
  readBack: '{bunks} at {hut}, {night}, under the name {name}. Shall I book that?',
  says: { done: 'It is booked. The number is {number}.', full: 'There are not so many bunks free.' },
};

export const WEATHER: NamedErrand = {
  name: 'weather',
  title: 'tell the weather',
  about: 'Tells the weather at a hut.',
  begins: ['[what is|tell me] [the] weather [like] [at <hut>]', '... weather ...'],
  slots: { hut: { kind: 'choice', values: HUTS, ask: 'At which hut?' } },
  readBack: false,
  source: 'the warden’s sheet',
  says: { done: '{text}' },
  wordsAtOnce: 12,
};

export const ERRANDS: readonly NamedErrand[] = [BOOK, WEATHER];
