/**
 * Two hearings of one voice: an open one, which hears any words, and a closed one, which hears only what is
 * expected. How well each fits the sound says whether the closed one may be believed.
 */
import { alignWords } from '../measure/word-errors.js';
import type { HeardWord } from '../vocabulary/words.js';
import { beliefIn, type TwoHearings } from './belief.js';
import type { Stretch } from './stretch.js';

/** What was heard closed, and how probable it is that just this was said. */
export interface ClosedHearing {
  text: string;
  /** 0 to 1. */
  belief: number;
}

export interface OneHearing {
  words: HeardWord[];
  /** Null where nothing that is expected fits. */
  closed: ClosedHearing | null;
}

/** From here on the closed hearing is believed; where it goes on otherwise, its beginning is. */
const BELIEVED = 0.5;
const BELIEVED_BEGINNING = 0.9;
const LEAST_BEGINNING_WORDS = 3;

/** There is no closed hearing. */
export const heardOpen = (open: readonly Stretch[]): OneHearing => ({
  words: wordsOf(open).map(heardWord),
  closed: null,
});

/** There is no other: what it heard was said, as far as anybody knows. */
export function heardClosed(closed: readonly Stretch[]): OneHearing {
  const words = wordsOf(closed);
  return {
    words: words.map(heardWord),
    closed: words.length === 0 ? null : { text: textOf(words), belief: 1 },
  };
}

/** Words of both: the closed ones where they are believed, whole or as the beginning, else the open ones. */
export function oneHearing(both: TwoHearings): OneHearing {
  const { open, closed } = both;
  const heard = wordsOf(open);
  const expected = wordsOf(closed);
  if (expected.length === 0) return heardOpen(open);
  const belief = beliefIn(both);
  const found = { text: textOf(expected), belief };
  if (belief >= BELIEVED) return { words: believed(expected, heard, belief), closed: found };
  for (let count = expected.length - 1; count >= LEAST_BEGINNING_WORDS; count--) {
    const last = expected[count - 1]!;
    const beginning = closed.slice(0, closed.indexOf(last) + 1);
    const said = heard.filter(({ fromMs, toMs }) => (fromMs + toMs) / 2 <= last.toMs);
    const sure = beliefIn({
      ...both,
      open: open.slice(0, said.length === 0 ? 0 : open.indexOf(said.at(-1)!) + 1),
      closed: beginning,
    });
    if (sure < BELIEVED_BEGINNING) continue;
    const rest = heard.slice(said.length);
    return { words: [...believed(wordsOf(beginning), said, sure), ...rest.map(heardWord)], closed: found };
  }
  return { words: heard.map(heardWord), closed: found };
}

const wordsOf = (hearing: readonly Stretch[]) => hearing.filter(({ word }) => word !== '');

const textOf = (words: readonly Stretch[]) => words.map(({ word }) => word).join(' ');

function heardWord({ word, fromMs, toMs, confidence }: Stretch): HeardWord {
  return { word, fromMs, toMs, ...(confidence === undefined ? {} : { confidence }) };
}

/** The closed words, each with what the open hearing has in its place where that differs. */
function believed(expected: readonly Stretch[], heard: readonly Stretch[], belief: number): HeardWord[] {
  const words: HeardWord[] = [];
  const confidence = Math.round(belief * 1_000) / 1_000;
  let run: HeardWord[] = [];
  let otherwise: string[] = [];
  const close = () => {
    const heardAs = otherwise.join(' ');
    // Words that stand for nothing belong to the one before them.
    if (run.length === 0 && otherwise.length > 0 && words.length > 0) run.push(words.pop()!);
    words.push(...run.map((word) => (otherwise.length > 0 ? { ...word, heardAs } : word)));
    run = [];
    otherwise = [];
  };
  let at = 0;
  for (const { what, heard: other } of alignWords(
    expected.map(({ word }) => word),
    heard.map(({ word }) => word),
  )) {
    if (what === 'same') close();
    else if (other !== null) otherwise.push(other);
    if (what === 'added') continue;
    const { word, fromMs, toMs } = expected[at++]!;
    run.push({ word, fromMs, toMs, confidence });
    if (what === 'same') close();
  }
  close();
  return words;
}

/** The words that are as expected, those beside each other together, and what was heard otherwise. */
export function putAsExpected(words: readonly HeardWord[]): { put: string; heard: string }[] {
  const all: { put: string; heard: string; to: number }[] = [];
  words.forEach(({ word, heardAs }, i) => {
    const last = all.at(-1);
    if (heardAs === undefined) return;
    if (last?.to === i - 1 && last.heard === heardAs) [last.put, last.to] = [`${last.put} ${word}`, i];
    else all.push({ put: word, heard: heardAs, to: i });
  });
  return all.map(({ put, heard }) => ({ put, heard }));
}
