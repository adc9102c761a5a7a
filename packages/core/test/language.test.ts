/** Written form and spoken commands of a language. */
import { describe, expect, it } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { languageOf, type HeardWord } from '../src/index.js';

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
