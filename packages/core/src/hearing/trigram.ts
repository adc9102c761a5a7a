/**
 * A small trigram language model in the ARPA format, with Witten-Bell back-off
 * (Witten & Bell 1991): P(w|h) = (c(hw) + T(h) P(w|h')) / (c(h) + T(h)), T(h) the kinds of words seen after
 * h.
 */

const START = '<s>';
const END = '</s>';
/** Log10 of a probability of zero, as the format writes it. */
const LOG_ZERO = -99;

interface After {
  total: number;
  next: Map<string, number>;
}

class Counts {
  readonly histories = new Map<string, After>();

  add(history: string, word: string): void {
    const after = this.histories.get(history) ?? { total: 0, next: new Map<string, number>() };
    after.total++;
    after.next.set(word, (after.next.get(word) ?? 0) + 1);
    this.histories.set(history, after);
  }

  after(history: string): After | undefined {
    return this.histories.get(history);
  }
}

/** The model of these sentences, as the text of an ARPA file; words are taken as they are. */
export function arpaOf(sentences: readonly (readonly string[])[]): string {
  const orders = [new Counts(), new Counts(), new Counts()] as const;
  for (const sentence of sentences) {
    const words = [START, ...sentence, END];
    for (let i = 1; i < words.length; i++) {
      orders[0].add('', words[i]!);
      orders[1].add(words[i - 1]!, words[i]!);
      if (i > 1) orders[2].add(`${words[i - 2]!} ${words[i - 1]!}`, words[i]!);
    }
  }
  const unigrams = orders[0].after('') ?? { total: 0, next: new Map<string, number>() };
  const kinds = unigrams.next.size;

  const p1 = (word: string) => ((unigrams.next.get(word) ?? 0) + 1) / (unigrams.total + kinds);
  const p2 = (h: string, word: string) => interpolate(orders[1].after(h), word, p1(word));
  const p3 = (h: string, word: string) =>
    interpolate(orders[2].after(h), word, p2(h.slice(h.indexOf(' ') + 1), word));

  const lines1 = [START, ...unigrams.next.keys()].map(
    (word) => `${log10(word === START ? 0 : p1(word))} ${word} ${backOff(orders[1].after(word), p1)}`,
  );
  const lines2 = ngrams(orders[1]).map(
    ([h, word]) =>
      `${log10(p2(h, word))} ${h} ${word} ${backOff(orders[2].after(`${h} ${word}`), (w) => p2(word, w))}`,
  );
  const lines3 = ngrams(orders[2]).map(([h, word]) => `${log10(p3(h, word))} ${h} ${word}`);
  return [
    '\\data\\',
    `ngram 1=${lines1.length}`,
    `ngram 2=${lines2.length}`,
    `ngram 3=${lines3.length}`,
    ...[lines1, lines2, lines3].flatMap((lines, i) => ['', `\\${i + 1}-grams:`, ...lines.sort()]),
    '',
    '\\end\\',
    '',
  ].join('\n');
}

function ngrams(counts: Counts): [string, string][] {
  return [...counts.histories].flatMap(([history, { next }]) =>
    [...next.keys()].map((word): [string, string] => [history, word]),
  );
}

function interpolate(after: After | undefined, word: string, lower: number): number {
  if (!after) return lower;
  return ((after.next.get(word) ?? 0) + after.next.size * lower) / (after.total + after.next.size);
}

/** Log10 of what is left for the words not seen after this history, over what the lower order gives them. */
function backOff(after: After | undefined, lower: (word: string) => number): string {
  if (!after) return '0';
  const left = after.next.size / (after.total + after.next.size);
  const unseen = 1 - [...after.next.keys()].reduce((sum, word) => sum + lower(word), 0);
  const seen = [...after.next.keys()].reduce((sum, word) => sum + interpolate(after, word, lower(word)), 0);
  return log10(unseen > 1e-9 ? (1 - seen) / unseen : left);
}

function log10(p: number): string {
  return p <= 1e-10 ? String(LOG_ZERO) : Math.log10(p).toFixed(4);
}
