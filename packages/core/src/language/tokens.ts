/**
 * Words of a saying, as errands look at them: each as it is compared, as it is written, and when it was
 * spoken.
 */
import type { WrittenWord } from './common/contract.js';
import type { Token } from './common/meaning.js';
import { plainWord, wordsOfPhraseAt } from './common/phrase.js';

/** So many words are no saying: more is kept as text, and not looked at. */
export const MOST_TOKENS = 200;

export function tokensOf(text: string): Token[] {
  return text
    .split(/\s+/)
    .map((word) => ({ word: plainWord(word), text: word }))
    .filter(({ word }) => word !== '')
    .flatMap(spreadOut);
}

/**
 * "twenty-three", "Friday/Saturday": words that a hyphen joins are words by themselves, but not letters or
 * dates.
 */
function spreadOut(token: Token): Token[] {
  if (!/^\p{L}{2,}(?:-\p{L}{2,})+$/u.test(token.word)) return [token];
  return token.word.split('-').map((word, i) => ({ ...token, word, text: i === 0 ? token.text : '' }));
}

/** Of written words with what was spoken for each. */
export function tokensOfWritten(words: readonly WrittenWord[]): Token[] {
  return words.flatMap(({ word, spoken, fromMs, toMs, confidence }) =>
    spoken
      .split(/\s+/)
      .map(plainWord)
      .filter(Boolean)
      .map((one, i) => ({
        word: one,
        text: i === 0 ? word : '',
        fromMs,
        toMs,
        ...(confidence === undefined ? {} : { confidence }),
      })),
  );
}

export const textOf = (tokens: readonly Token[]): string =>
  tokens
    .map(({ text }) => text)
    .filter(Boolean)
    .join(' ');

/**
 * At which of these phrases do the words stand from this place on: how many words, 0 for none. The longest
 * counts.
 */
export function phraseAt(words: readonly string[], at: number, phrases: readonly string[]): number {
  return Math.max(0, ...phrases.map((phrase) => wordsOfPhraseAt(words, at, phrase)));
}

/** The longest of these phrases that ends just before this place: how many words. */
export function phraseBefore(words: readonly string[], at: number, phrases: readonly string[]): number {
  let best = 0;
  for (const phrase of phrases) {
    const parts = phrase.split(' ');
    if (
      parts.length > best &&
      at >= parts.length &&
      parts.every((part, i) => words[at - parts.length + i] === part)
    )
      best = parts.length;
  }
  return best;
}
