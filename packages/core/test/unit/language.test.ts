/** Written form and spoken commands of a language. */
import { describe, expect, it } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { languageOf, type HeardWord } from '../../src/index.js';

const NAMES = [
  'Heron Hut',
  'Rowan Hut',
  'Lantern Hut',
  'Saddle Hut',
  'Tansy',
  'Maren Holt',
  'Pavel Orsk',
  'Miller',
  'Tarnside',
];
const english = languageOf('en-GB');
const WORD_MS = 200;
const PAUSE_MS = 1_000;

function timed(text: string): HeardWord[] {
  let atMs = 0;
  return text.split(' ').flatMap((word) => {
    if (word === '//') {
      atMs += PAUSE_MS;
      return [];
    }
    atMs += WORD_MS;
    return [{ word, fromMs: atMs - WORD_MS, toMs: atMs }];
  });
}

const cases = readFileSync(new URL('./written-form.txt', import.meta.url), 'utf8')
  .split('\n')
  .filter((line) => line.includes(' | ') && !line.startsWith('#'))
  .map((line) => line.split(' | ') as [string, string]);

describe('the written form of what was heard', () => {
  it('is right in at least 95 of 100 cases of the table', () => {
    const wrong = cases.flatMap(([spoken, wanted]) => {
      const words = english.written(timed(spoken), { names: NAMES, begins: true, ends: true });
      const text = words.map(({ word }) => word).join(' ');
      return text === wanted ? [] : [`${spoken}\n    wanted: ${wanted}\n    got:    ${text}`];
    });
    if (process.env.SHOW_WRONG) process.stdout.write(`${wrong.join('\n')}\n`);
    expect(cases.length).toBeGreaterThanOrEqual(300);
    expect(wrong.length / cases.length).toBeLessThanOrEqual(0.05);
  });
});

describe('German', () => {
  const GERMAN_NAMES = [
    'Reiherhütte',
    'Rosenhütte',
    'Tansy',
    'Maren Holt',
    'Pavel Orsk',
    'Müller',
    'Fernwasser',
  ];
  const german = languageOf('de-AT');
  const rows = readFileSync(new URL('./written-form-de.txt', import.meta.url), 'utf8')
    .split('\n')
    .filter((line) => line.includes(' | ') && !line.startsWith('#'))
    .map((line) => line.split(' | ') as [string, string]);

  it('is written right in at least 95 of 100 cases of the table', () => {
    const wrong = rows.flatMap(([spoken, wanted]) => {
      const words = german.written(timed(spoken), { names: GERMAN_NAMES, begins: true, ends: true });
      const text = words.map(({ word }) => word).join(' ');
      return text === wanted ? [] : [`${spoken}\n    wanted: ${wanted}\n    got:    ${text}`];
    });
    if (process.env.SHOW_WRONG) process.stdout.write(`${rows.length} cases\n${wrong.join('\n')}\n`);
    expect(rows.length).toBeGreaterThanOrEqual(200);
    expect(wrong.length / rows.length).toBeLessThanOrEqual(0.05);
  });

  it.each([
    ['was kostet ein', -1],
    ['ich möchte', -1],
    ['haben sie noch', -1],
    ['um wie viel uhr gibt es abendessen', 1],
    ['zwei betten bitte', 1],
    ['ich heiße', -1],
    ['und dann äh', -1],
    ['ist der weg über den sattel heute offen', 1],
    ['das war alles', 1],
    ['wir schlafen in der', -1],
    ['weil es regnet', -1],
    ['wann fängt es an', 1],
  ])('"%s" is %i', (text, sign) => {
    const { score } = german.completeness(text.split(' '), GERMAN_NAMES, '');
    expect(Math.sign(score)).toBe(sign);
  });

  it.each([
    ['fang noch mal von vorne an', 'fresh'],
    ['Tansy, bitte von vorne', 'fresh'],
    ['fass dich kurz', 'shorter'],
    ['bitte ausführlicher', 'longer'],
    ['danke, das war alles', 'goodbye'],
    ['auf Wiedersehen', 'goodbye'],
    ['der Weg von vorne', undefined],
    ['ist das alles', undefined],
  ])('"%s" asks for %s', (text, command) =>
    expect(german.command(text, GERMAN_NAMES)?.command).toBe(command),
  );

  it.each([
    ['halt', 'stop!'],
    ['warten sie bitte', 'stop!'],
    ['nein das meine ich nicht', 'stop'],
    ['ja ja', 'backchannel'],
    ['ach so', 'backchannel'],
    ['alles', 'backchannel begun'],
    ['der', 'scrap'],
    ['und am freitag', 'none'],
  ])('"%s" over a voice is %s', (text, what) => expect(german.overlap(text.split(' '))).toBe(what));

  it('yes, no, and numbers in words and in digits', () => {
    expect(['ja genau', 'nein danke', 'am freitag'].map((text) => german.assent(text))).toEqual([
      'yes',
      'no',
      null,
    ]);
    expect(german.plain('Einundzwanzig Betten, zweihundert')).toEqual(['21', 'betten', '200']);
  });
});

it('a language without rules keeps what the engine writes, and lets pauses decide', () => {
  const french = languageOf('fr-FR');
  const heard = [
    { word: 'bonjour', written: 'Bonjour,', fromMs: 0, toMs: 1 },
    { word: 'oui', fromMs: 1, toMs: 2 },
  ];
  expect(french.written(heard, { names: [], begins: true, ends: true }).map(({ word }) => word)).toEqual([
    'Bonjour,',
    'oui',
  ]);
  expect(french.completeness(['oui'], [], '')).toEqual({ score: 0, sign: { sign: 'noRules' } });
  expect(french.command('stop', [])).toBeNull();
});
