/** Two wishes in one saying: which is done now, and what waits until it is done. */
import type { Token } from '../language/common/meaning.js';
import type { NamedErrand, Run } from './contract.js';
import { takesAnyWords } from '../slots/values.js';
import { extract, extracting, type ExtractContext } from './extract.js';
import type { DialogueContext, Said } from './moves.js';
import { textOf } from '../language/tokens.js';

/** A saying of more parts is no wish of two. */
const MOST_SPLITS = 8;
/**
 * … and nobody wishes for two things in so many words: each part of them would be read as often as there are
 * ways to part them.
 */
const MOST_WORDS = 60;

export interface Wishes {
  /** What is done now, and the words that tell of it. */
  errand: NamedErrand;
  now: Said;
  /** What was said of the other wish, and what it is called. */
  later: string;
  title: string;
}

/** A saying that begins an errand, and wishes something else too; null for any other. */
export function wishesIn(said: Said, context: DialogueContext): Wishes | null {
  const { book, words } = context;
  for (const [first, second] of splits(said, context)) {
    const errand = book.begunBy(first.text);
    const other = book.begunBy(second.text);
    if (errand && !takesText(errand)) {
      const isNew = other
        ? other.name !== errand.name || differs(errand, first, second, context)
        : asks(second, context);
      if (isNew)
        return {
          errand,
          now: first,
          later: second.text,
          title: other?.title ?? words.sayings.answerQuestion,
        };
    } else if (other && !errand && asks(first, context) && !tellsOf(other, first, context))
      return { errand: other, now: second, later: first.text, title: words.sayings.answerQuestion };
  }
  return null;
}

/** A saying that answers what an errand asks, and wishes something else too. */
export function wishAfter(run: Run, said: Said, context: DialogueContext): Wishes | null {
  const { book, words } = context;
  const errand = book.get(run.errand);
  const asked = run.asking === null ? undefined : errand?.slots[run.asking];
  if (!errand || (asked && takesAnyWords(asked))) return null;
  for (const [first, second] of splits(said, context)) {
    const other = book.begunBy(second.text);
    if (other ? other.name === errand.name : !asks(second, context)) continue;
    const { found } = extract(errand.slots, first.tokens, extracting(run, context));
    if (found.length === 0 && words.assent(first.tokens.map(({ word }) => word)) === null) continue;
    return { errand, now: first, later: second.text, title: other?.title ?? words.sayings.answerQuestion };
  }
  return null;
}

/** What is dictated may hold the words of any other wish. */
const takesText = ({ slots }: NamedErrand): boolean => Object.values(slots).some(takesAnyWords);

const asks = ({ tokens }: Said, { words }: DialogueContext): boolean =>
  words.asksAnew(tokens.map(({ word }) => word));

/** A question that names so many values of an errand is about it: "is there room at Heron Hut on Friday?" */
const LEAST_TOLD = 2;

function tellsOf({ slots }: NamedErrand, { tokens }: Said, context: DialogueContext): boolean {
  const { found } = extract(slots, tokens, nothingKnown(context));
  return new Set(found.map(({ slot }) => slot)).size >= LEAST_TOLD;
}

const nothingKnown = ({ words, now }: DialogueContext): ExtractContext => ({
  words,
  now,
  asked: null,
  known: {},
  order: [],
});

/** The same once more, with other values. */
function differs({ slots }: NamedErrand, first: Said, second: Said, context: DialogueContext): boolean {
  const told = extract(slots, first.tokens, nothingKnown(context)).found;
  const again = extract(slots, second.tokens, nothingKnown(context));
  return (
    !again.corrects &&
    again.found.some((one) => told.some(({ slot, value }) => slot === one.slot && value !== one.value))
  );
}

/** The ways to part a saying in two, at an "and" or where a sentence ends. */
function splits({ tokens }: Said, { words }: DialogueContext): [Said, Said][] {
  const part = (some: readonly Token[]): Said => ({ text: textOf(some), tokens: some });
  const ways: [Said, Said][] = [];
  if (tokens.length > MOST_WORDS) return ways;
  for (let at = 0; at < tokens.length && ways.length < MOST_SPLITS; at++) {
    const isAnd = tokens[at]!.word === words.and;
    if (!isAnd && !/[.!?]$/.test(tokens[at]!.text)) continue;
    let next = at + 1;
    while (next < tokens.length && words.joiners.has(tokens[next]!.word)) next++;
    const end = isAnd ? at : at + 1;
    if (end > 0 && next < tokens.length) ways.push([part(tokens.slice(0, end)), part(tokens.slice(next))]);
  }
  return ways;
}
