/** What somebody means who speaks while somebody else does, told by a language's own short words. */
import type { Overlap } from './contract.js';

export interface OverlapWords {
  /** At the beginning of what is said over the assistant these want the floor at once … */
  atOnce: readonly string[];
  /** … and these do if they were said: they are short enough to be heard in a noise. */
  stops: readonly string[];
  /** A listener's "I hear you", in the spellings of recognisers: words, and phrases of several. */
  nods: ReadonlySet<string>;
  nodPhrases: ReadonlySet<string>;
  /** What a short noise, or a grunt, is taken for by a recogniser. */
  scraps: ReadonlySet<string>;
}

const MOST_NODS = 4;

export function overlapBy({ atOnce, stops, nods, nodPhrases, scraps }: OverlapWords) {
  return (words: readonly string[]): Overlap => {
    const text = words.join(' ');
    const begins = (stop: string) => text === stop || text.startsWith(`${stop} `);
    if (atOnce.some(begins)) return 'stop!';
    if (stops.some(begins)) return 'stop';
    if (words.length === 0 || words.length > MOST_NODS) return 'none';
    if (words.every((word) => nods.has(word)) || nodPhrases.has(text)) return 'backchannel';
    if ([...nodPhrases].some((phrase) => phrase.startsWith(`${text} `))) return 'backchannel begun';
    return words.every((word) => scraps.has(word) || nods.has(word)) ? 'scrap' : 'none';
  };
}
