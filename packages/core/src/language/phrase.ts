/** At this phrase do the words stand from this place on? @returns how many words it has; 0 where they do not */
export function wordsOfPhraseAt(words: readonly string[], at: number, phrase: string): number {
  const parts = phrase.split(' ');
  return parts.every((part, i) => words[at + i] === part) ? parts.length : 0;
}
