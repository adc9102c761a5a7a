/**
 * Words put right by their sound: where an expected phrase sounds like what was heard, and most of it was
 * heard as it is, the words that differ are taken from the phrase. Numbers were found on the tuning half
 * (docs/decisions.md).
 */
import { alignWords } from '../measure/word-errors.js';
import type { HeardWord } from '../vocabulary/words.js';
import type { FittedWord, PhraseSounds } from './phrase-sounds.js';

/** What is further off was another saying: cost of the edits for each phone of the phrase. */
const MOST_COST_A_PHONE = 0.16;
/** Shorter phrases sound like too much, in phones. */
const LEAST_PHONES = 12;
/** Words of which nothing was heard are short, and not the last: cost of them all. */
const MOST_UNHEARD = 0.9;
/** … and a word that the phrase has not goes only where recognition is less sure of it. */
const SPARE = 0.5;
/** So much of the phrase was heard as it is. */
const LEAST_SAME = 0.65;
/**
 * A phrase within a longer saying is likely to be something else: so much of the saying it covers, in phones.
 */
const LEAST_COVERED = 0.7;
/** What recognition is surer of stays, but for what sounds nearly the same. */
const SURE = 0.85;
const NEARLY_SAME = 0.25;
const UNKNOWN_LENGTH = 3;
/** The fit is looked for in the last words of the turn: longer phrases are rare. */
const MOST_WORDS = 20;
/** What sounds less like it is not put. */
const LIKE = 0.7;

/** Words that were heard, and those of the phrase that take their place; either may be none. */
interface Change {
  heard: HeardWord[];
  words: FittedWord[];
}

/**
 * @param before words of the turn that are final already: they stay
 * @param weighty words that change what is wanted ("no", "not"): they stay too
 * @returns `words` with those of a phrase in the place of some, each saying what it was heard as
 */
export function bySound(
  phrases: PhraseSounds,
  before: readonly HeardWord[],
  words: readonly HeardWord[],
  weighty: ReadonlySet<string> = new Set(),
): HeardWord[] {
  const earlier = before.slice(
    Math.min(before.length, Math.max(0, before.length + words.length - MOST_WORDS)),
  );
  const all = [...earlier, ...words];
  const fit = words.length > MOST_WORDS ? null : phrases.fit(all, LEAST_SAME * LEAST_PHONES);
  if (!fit || fit.phones < LEAST_PHONES || fit.cost > MOST_COST_A_PHONE * fit.phones) return [...words];
  if (lengthOf(all.slice(fit.from, fit.to)) < LEAST_COVERED * lengthOf(all)) return [...words];
  const { put, same } = putInPlace(changesOf(all.slice(fit.from, fit.to), fit.words), weighty);
  if (same < LEAST_SAME * fit.phones) return [...words];
  const now = [...all.slice(0, fit.from), ...put, ...all.slice(fit.to)];
  return earlier.every((word, i) => now[i] === word) ? now.slice(earlier.length) : [...words];
}

/** What comes of all changes. @returns also of how many phones the words are that were heard rightly */
function putInPlace(
  changes: readonly Change[],
  weighty: ReadonlySet<string>,
): { put: HeardWord[]; same: number } {
  const put: HeardWord[] = [];
  let same = 0;
  for (const [i, change] of changes.entries()) {
    const [kept] = change.heard;
    const stays =
      change.heard.some(({ word }) => weighty.has(word)) ||
      !isLikely(change, i === 0, i === changes.length - 1);
    if (kept && change.words[0]?.word === kept.word) {
      same += change.words[0].phones;
      put.push(kept);
    } else if (stays) put.push(...change.heard);
    else if (change.words.length > 0) put.push(...changed(change, put.at(-1)));
    else put.push(longer(put.pop()!, change.heard));
  }
  return { put, same };
}

/** Words that stand for nothing belong to the one before them. */
const longer = (last: HeardWord, heard: readonly HeardWord[]): HeardWord => ({
  ...last,
  toMs: heard.at(-1)!.toMs,
  heardAs: `${last.heardAs ?? last.word} ${textOf(heard)}`,
});

/** In phones; a word whose sound nobody knows counts like a short one. */
function lengthOf(words: readonly HeardWord[]): number {
  return words.reduce((sum, { phones }) => sum + (phones?.split(' ').length ?? UNKNOWN_LENGTH), 0);
}

/** Words that are the same stand alone. */
function changesOf(heard: readonly HeardWord[], words: readonly FittedWord[]): Change[] {
  const changes: Change[] = [];
  let [h, w] = [0, 0];
  let open: Change | null = null;
  for (const { what } of alignWords(
    words.map(({ word }) => word),
    heard.map(({ word }) => word),
  )) {
    if (what === 'same') {
      changes.push({ heard: [heard[h++]!], words: [words[w++]!] });
      open = null;
      continue;
    }
    if (!open) changes.push((open = { heard: [], words: [] }));
    if (what !== 'missing') open.heard.push(heard[h++]!);
    if (what !== 'added') open.words.push(words[w++]!);
  }
  return changes;
}

function isLikely({ heard, words }: Change, isFirst: boolean, isLast: boolean): boolean {
  const sure = Math.max(...heard.map(({ confidence }) => confidence ?? 0), 0);
  if (words.length === 0) return !isFirst && !isLast && sure <= SPARE;
  const costs = words.reduce((sum, { cost }) => sum + cost, 0);
  if (heard.length === 0 && (isLast || costs > MOST_UNHEARD)) return false;
  const isSure = sure > SURE;
  // What an errand may act on was heard, or nearly.
  return words.every(({ cost, phones, inSlot }) => cost <= (isSure || inSlot ? NEARLY_SAME : LIKE) * phones);
}

/**
 * The words of the phrase, spread over the time of those that were heard; as sure as the least sure of them.
 */
function changed({ heard, words }: Change, last: HeardWord | undefined): HeardWord[] {
  const fromMs = heard[0]?.fromMs ?? last?.toMs ?? 0;
  const lengthMs = (heard.at(-1)?.toMs ?? fromMs) - fromMs;
  const phones = words.reduce((sum, word) => sum + word.phones, 0);
  const sure = (heard.length > 0 ? heard : last ? [last] : []).map((word) => word.confidence ?? 1);
  const heardAs = textOf(heard);
  let done = 0;
  return words.map(({ word, phones: own }) => {
    const at = (share: number) => Math.round(fromMs + (lengthMs * share) / phones);
    const times = { fromMs: at(done), toMs: at((done += own)) };
    return { word, ...times, confidence: Math.min(1, ...sure), heardAs };
  });
}

const textOf = (words: readonly HeardWord[]) => words.map(({ word }) => word).join(' ');

/** The words that were put, those beside each other together, and what was heard. */
export function putBySound(words: readonly HeardWord[]): { put: string; heard: string }[] {
  const all: { put: string; heard: string; to: number }[] = [];
  words.forEach(({ word, heardAs }, i) => {
    const last = all.at(-1);
    if (heardAs === undefined) return;
    if (last?.to === i - 1 && last.heard === heardAs) [last.put, last.to] = [`${last.put} ${word}`, i];
    else all.push({ put: word, heard: heardAs, to: i });
  });
  return all.map(({ put, heard }) => ({ put, heard }));
}
