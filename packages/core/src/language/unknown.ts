/** A language that there are no rules for: pauses decide when a turn is over, and words stand as the engine writes them. */
import type { Language } from './contract.js';

export function plainLanguage(code: string): Language {
  return {
    code,
    // What an assistant of this language says by itself stands in its file.
    sayings: { cannotThink: '', cannotHear: '', cannotSpeak: '', tooDear: '', unheard: '', unsure: '', again: '', silence: '', filler: '', noPerson: '', announces: '', brings: '', backAgain: '', farewell: '' }, // prettier-ignore
    polite: [],
    written: (words) => words.map(({ written, ...word }) => ({ ...word, word: written ?? word.word, spoken: word.word })), // prettier-ignore
    command: () => null,
    assent: () => null,
    completeness: (words) => ({ score: 0, sign: { sign: words.length === 0 ? 'noWords' : 'noRules' } }),
    overlap: () => 'none',
    interjections: [],
    personWanted: '0',
    errands: null,
    plain: (text) =>
      text
        .toLowerCase()
        .replace(/[^\p{L}\p{N}'\s]/gu, ' ')
        .split(/\s+/)
        .filter(Boolean),
  };
}
