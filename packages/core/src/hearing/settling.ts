/**
 * Settling of partials: which of the provisional words can be promised to the eye.
 * A settled word stays as it was shown until a final corrects it.
 */

/** A word settles when it stood unchanged in this many partials one after the other … */
const PARTIALS_TO_SETTLE = 5;
/** … and at least this many words follow it. */
const WORDS_BEHIND = 1;

export interface Settling {
  settled: string[];
  open: { word: string; seen: number }[];
  /** Words that were shown and later changed. */
  flicker: number;
}

export function newSettling(): Settling {
  return { settled: [], open: [], flicker: 0 };
}

/** Takes the next partial (all words of the segment so far). Settled words never change here. */
export function settle(before: Settling, words: readonly string[]): Settling {
  const tail = words.slice(before.settled.length);
  const open = tail.map((word, i) => {
    const old = before.open[i];
    return { word, seen: old?.word === word ? old.seen + 1 : 1 };
  });
  const flicker = before.flicker + before.open.filter((old, i) => tail[i] !== old.word).length;
  const settled = [...before.settled];
  while (open.length > WORDS_BEHIND && open[0]!.seen >= PARTIALS_TO_SETTLE) settled.push(open.shift()!.word);
  return { settled, open, flicker };
}

/** How many of the words that were promised did the final change? */
export function corrections(settling: Settling, finalWords: readonly string[]): number {
  return settling.settled.filter((word, i) => finalWords[i] !== word).length;
}

/** All words as they are shown now. */
export function shownWords(settling: Settling): string[] {
  return [...settling.settled, ...settling.open.map(({ word }) => word)];
}
