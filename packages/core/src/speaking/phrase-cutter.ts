/**
 * Cuts a reply, while it is still being written, into phrases that go to synthesis one by one.
 * The first phrase is short, so that sound starts early; the later ones are whole sentences where they can
 * be.
 */

/**
 * How long phrases may be, in words: cut at a clause mark from `clause` words on, and without any mark after
 * `most`. The first is short, so that sound starts early; the second is short enough to be ready while the
 * first one sounds (tuned at 25 words a second from the model); from the third on phrases are as long as
 * sentences.
 */
const LENGTHS = [
  { clause: 2, most: 4 },
  { clause: 6, most: 12 },
  { clause: 14, most: 30 },
] as const;

const ABBREVIATIONS = new Set(
  (
    'mr mrs ms dr prof st jr sr vs etc e.g i.e a.m p.m approx ca cf fig vol dept est tel ext ' +
    'min max hr hrs jan feb mar apr jun jul aug sep sept oct nov dec mon tue tues wed thu thurs fri sat sun'
  ).split(' '),
);
/** These end a sentence all the same when a capital follows: "supper is at 6 p.m. Breakfast is at 7." */
const MAY_END_A_SENTENCE = new Set(['a.m', 'p.m', 'etc']);
/** These are abbreviations before a number only: "No. 5", but "No. The hut is full." */
const BEFORE_A_NUMBER = new Set(['no', 'nos', 'p', 'pp']);
/** Where a phrase without marks is best cut: before one of these. */
const JOINING_WORDS =
  /^(?:a|an|the|of|and|but|or|because|so|which|who|that|when|while|where|if|then|with|for|at|in|on|to)$/i;

const sentences = new Intl.Segmenter('en', { granularity: 'sentence' });

export interface Cutter {
  /** What was written and not cut yet. */
  rest: string;
  /** How many phrases were cut. */
  cut: number;
}

export interface Cut {
  phrases: string[];
  cutter: Cutter;
}

export function newCutter(): Cutter {
  return { rest: '', cut: 0 };
}

/** Takes the next piece of the reply. */
export function cutPiece(cutter: Cutter, piece: string): Cut {
  let state: Cutter = { ...cutter, rest: cutter.rest + piece };
  const phrases: string[] = [];
  for (let end = nextCut(state); end > 0; end = nextCut(state)) {
    const phrase = state.rest.slice(0, end).trim();
    const spoken = /[\p{L}\p{N}]/u.test(phrase);
    if (spoken) phrases.push(phrase);
    state = { rest: state.rest.slice(end), cut: state.cut + Number(spoken) };
  }
  return { phrases, cutter: state };
}

/** The reply is complete: what is left is the last phrase (or, if long, the last phrases). */
export function cutRest(cutter: Cutter): string[] {
  const { phrases, cutter: left } = cutPiece(cutter, '\n\n');
  return [...phrases, left.rest.trim()].filter((phrase) => /[\p{L}\p{N}]/u.test(phrase));
}

/** Index at which the next phrase ends, or 0 when more must be written first. */
function nextCut({ rest, cut }: Cutter): number {
  const lead = rest.length - rest.trimStart().length;
  const sentenceEnd = endOfSentence(rest, lead);
  const within = sentenceEnd > 0 ? rest.slice(0, sentenceEnd) : rest;
  const words = wordsIn(within);
  const { clause, most } = LENGTHS[Math.min(cut, LENGTHS.length - 1)]!;
  const clauseEnd = endOfClause(rest, words, clause, most);
  if (sentenceEnd === 0) return clauseEnd || endOfLongRun(rest, words, most);
  // A sentence that is written already is cut at its marks, if at all: nothing is gained by tearing it.
  if (clauseEnd > 0 && words.length > clause) return clauseEnd;
  return words.length <= Math.max(12, 2 * most)
    ? sentenceEnd
    : endOfLongRun(rest, words, most) || sentenceEnd;
}

function endOfSentence(text: string, lead: number): number {
  for (const { segment, index } of sentences.segment(text)) {
    const end = index + segment.length;
    if (end >= text.length) break;
    const line = text.slice(Math.max(lead, text.lastIndexOf('\n', end - 2) + 1), end);
    if (end > lead && !isFalseEnd(line, text.slice(end)) && !isInsideMarkup(text, end)) return end;
  }
  const paragraph = text.indexOf('\n\n', lead);
  return paragraph >= 0 && !isInsideMarkup(text, paragraph) ? paragraph + 2 : 0;
}

/** A point after an abbreviation, an initial or the number of a list is not the end of a sentence. */
function isFalseEnd(before: string, after: string): boolean {
  if (/\n\s*$/.test(before)) return /^\s*(?:\d{1,3}[.)]|[-*+•])\s*$/.test(before);
  if (/^\s*\d{1,3}[.)]\s*$/.test(before)) return true;
  const last = /(\S+?)\.["')\]]*\s*$/.exec(before)?.[1]?.replace(/^["'([]+/, '');
  if (last === undefined) return false;
  if (MAY_END_A_SENTENCE.has(last.toLowerCase())) return !/^["'([]*\p{Lu}/u.test(after);
  if (BEFORE_A_NUMBER.has(last.toLowerCase())) return /^\d/.test(after);
  return ABBREVIATIONS.has(last.toLowerCase()) || /^\p{Lu}$/u.test(last);
}

/** No cut inside a link, code, or brackets that are still open. */
function isInsideMarkup(text: string, at: number): boolean {
  const before = text.slice(0, at);
  if ((before.match(/```/g)?.length ?? 0) % 2 === 1) return true;
  const line = before.slice(before.lastIndexOf('\n') + 1);
  if ((line.match(/`/g)?.length ?? 0) % 2 === 1) return true;
  return /\[[^\]\n]*$/.test(line) || /\]\([^)\n]*$/.test(line);
}

interface PlacedWord {
  word: string;
  from: number;
  to: number;
}

function wordsIn(text: string): PlacedWord[] {
  return [...text.matchAll(/\S+/g)]
    .filter((found) => /[\p{L}\p{N}]/u.test(found[0]))
    .map((found) => ({ word: found[0], from: found.index, to: found.index + found[0].length }));
}

/** A cut after a clause mark; only where the next word has begun. */
function endOfClause(rest: string, words: PlacedWord[], clauseWords: number, mostWords: number): number {
  for (let i = clauseWords - 1; i < words.length - 1 && i < mostWords; i++) {
    const { word, to } = words[i]!;
    const marked = /[,;:]["')\]*_]*$/.test(word) || /^\s+[–—-]\s/.test(rest.slice(to));
    if (marked && words.length - 1 - i >= 1 && !isInsideMarkup(rest, to)) return words[i + 1]!.from;
  }
  return 0;
}

/**
 * A cut in a run of words without marks that has become too long, before a joining word where there is one.
 */
function endOfLongRun(rest: string, words: PlacedWord[], mostWords: number): number {
  if (words.length <= mostWords) return 0;
  for (let i = mostWords; i > mostWords / 2; i--) {
    if (JOINING_WORDS.test(words[i]!.word) && !isInsideMarkup(rest, words[i]!.from)) return words[i]!.from;
  }
  return isInsideMarkup(rest, words[mostWords]!.from) ? 0 : words[mostWords]!.from;
}
