/**
 * A language that there are no rules for: pauses decide when a turn is over, and words stand as the engine
 * writes them.
 */
import type { Language } from './common/contract.js';

const NONE: ReadonlySet<string> = new Set();

export function plainLanguage(code: string): Language {
  return {
    code,
    // What an assistant of this language says by itself stands in its file.
    sayings: {
      cannotThink: '',
      cannotHear: '',
      cannotSpeak: '',
      tooDear: '',
      unheard: '',
      unsure: '',
      again: '',
      silence: '',
      filler: '',
      noPerson: '',
      announces: '',
      brings: '',
      backAgain: '',
      recorded: '',
      farewell: '',
    },
    polite: [],
    written: (words) =>
      words.map(({ written, ...word }) => ({ ...word, word: written ?? word.word, spoken: word.word })),
    // Of no language: what the key 0 stands for.
    command: (text) => (text.trim() === '0' ? { command: 'person', rest: '' } : null),
    assent: () => null,
    completeness: (words) => ({ score: 0, sign: { sign: words.length === 0 ? 'noWords' : 'noRules' } }),
    overlap: () => 'none',
    interjections: [],
    expected: { fillers: NONE, leadIns: NONE, numbers: NONE, digits: [], counts: [], days: [] },
    personWanted: '0',
    namedDay: () => null,
    errands: null,
    plain: (text) =>
      text
        .toLowerCase()
        .replace(/[^\p{L}\p{N}'\s]/gu, ' ')
        .split(/\s+/)
        .filter(Boolean),
  };
}
