/** What is longer is no word. */
const MOST_LETTERS = 80;

/** Lower case; marks inside a word stay, as in "6:30", "o'clock" and "24.50". */
export function plainWord(text: string): string {
  return text
    .slice(0, MOST_LETTERS)
    .toLowerCase()
    .replace(/’/g, "'")
    .replace(/^[^\p{L}\p{N}€$£+-]+/u, '')
    .replace(/[^\p{L}\p{N}€$£']+$/u, '')
    .replace(/(?<=\d{3}|\b\d),(?=\d{3}\b)/g, '');
}

/**
 * At this phrase do the words stand from this place on? @returns how many words it has; 0 where they do not
 */
export function wordsOfPhraseAt(words: readonly string[], at: number, phrase: string): number {
  const parts = phrase.split(' ');
  return parts.every((part, i) => words[at + i] === part) ? parts.length : 0;
}

/** Without what has a meaning in a pattern. */
export const plainPhrase = (text: string): string => text.replace(/[^\p{L}\p{N}'\s]/gu, ' ').trim();
