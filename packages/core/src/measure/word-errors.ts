/** Word error rate by the usual alignment (Levenshtein over words), as NIST sclite counts it. */

export interface WordErrors {
  words: number;
  substituted: number;
  deleted: number;
  inserted: number;
}

export const errorsIn = ({ substituted, deleted, inserted }: WordErrors) => substituted + deleted + inserted;

/** Lower case, no punctuation; what is compared when words are compared. */
export function comparableWords(text: string): string[] {
  return text
    .toLowerCase()
    .replace(/[^\p{L}\p{N}'\s]/gu, ' ')
    .split(/\s+/)
    .filter(Boolean);
}

/** sclite's weights: a substitution costs 4, a deletion or an insertion 3. */
const SUBSTITUTION_COST = 4;
const GAP_COST = 3;

/** `other`: another word was heard; `missing`: none was; `added`: one was heard that nobody said. */
export interface AlignedWord {
  what: 'same' | 'other' | 'missing' | 'added';
  said: string | null;
  heard: string | null;
}

/** The cheapest way from what was said to what was heard, word by word. */
export function alignWords(reference: readonly string[], heard: readonly string[]): AlignedWord[] {
  const width = heard.length + 1;
  const cost = costs(reference, heard);
  const aligned: AlignedWord[] = [];
  for (let i = reference.length, j = heard.length; i > 0 || j > 0;) {
    const here = cost[i * width + j]!;
    const same = i > 0 && j > 0 && reference[i - 1] === heard[j - 1];
    if (i > 0 && j > 0 && here === cost[(i - 1) * width + j - 1]! + (same ? 0 : SUBSTITUTION_COST))
      aligned.unshift({ what: same ? 'same' : 'other', said: reference[--i]!, heard: heard[--j]! });
    else if (i > 0 && here === cost[(i - 1) * width + j]! + GAP_COST)
      aligned.unshift({ what: 'missing', said: reference[--i]!, heard: null });
    else aligned.unshift({ what: 'added', said: null, heard: heard[--j]! });
  }
  return aligned;
}

/** What it costs at least to come from so many words of one to so many of the other, row by row. */
function costs(reference: readonly string[], heard: readonly string[]): number[] {
  const width = heard.length + 1;
  const cost = new Array<number>((reference.length + 1) * width).fill(0);
  for (let i = 0; i <= reference.length; i++) {
    for (let j = 0; j <= heard.length; j++) {
      if (i === 0 || j === 0) {
        cost[i * width + j] = (i + j) * GAP_COST;
        continue;
      }
      const same = reference[i - 1] === heard[j - 1] ? 0 : SUBSTITUTION_COST;
      cost[i * width + j] = Math.min(
        cost[(i - 1) * width + j - 1]! + same,
        cost[(i - 1) * width + j]! + GAP_COST,
        cost[i * width + j - 1]! + GAP_COST,
      );
    }
  }
  return cost;
}

export function wordErrors(reference: readonly string[], heard: readonly string[]): WordErrors {
  return countErrors(alignWords(reference, heard));
}

export function countErrors(aligned: readonly AlignedWord[]): WordErrors {
  const count = (kind: AlignedWord['what']) => aligned.filter(({ what }) => what === kind).length;
  const [substituted, deleted, inserted] = [count('other'), count('missing'), count('added')];
  return { words: aligned.length - inserted, substituted, deleted, inserted };
}

/** Errors of several texts together. */
export function addErrors(all: readonly WordErrors[]): WordErrors {
  const sum = { words: 0, substituted: 0, deleted: 0, inserted: 0 };
  for (const one of all) for (const key of Object.keys(sum) as (keyof WordErrors)[]) sum[key] += one[key];
  return sum;
}

/** Errors as a share of the words that were said. */
export function errorRate(errors: WordErrors): number {
  return errorsIn(errors) / Math.max(1, errors.words);
}
