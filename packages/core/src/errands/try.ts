/**
 * Errands tried without doing anything: sayings one after the other, the examples of a file, and sentences
 * made of its patterns.
 */
import { expandPhrases } from '../hearing/expected-phrases.js';
import { languageOf } from '../language/language.js';
import { seeded } from '../common/seeded.js';
import { clockText, minuteOf, type Moment } from '../calendar/calendar.js';
import { ErrandBook } from './book.js';
import { newErrands, type Filled, type NamedErrand, type Run, type RunStage } from './contract.js';
import { type SlotValue } from '../slots/common/slot.js';
import { hearErrand } from './dialogue.js';
import type { Move } from './moves.js';
import { tokensOf } from '../language/tokens.js';

/** Examples of a file that names no day are read as if it were then: a Monday, at noon. */
export const EXAMPLES_NOW: Moment = { day: '2026-06-01', minute: 720 };

/** So many sentences of a pattern are held against other errands. */
const MOST_SAYINGS = 8;

export interface TriedSaying {
  said: string;
  /** What the assistant would do, and say. */
  does: Move['do'];
  says: string;
  errand: string | null;
  stage: RunStage | null;
  asking: string | null;
  slots: Record<string, Filled>;
}

/** What would come of these sayings, up to the one after which something would be done. */
export function trySayings(
  errands: readonly NamedErrand[],
  said: readonly string[],
  language: string,
  now: Moment,
): TriedSaying[] {
  const { errands: words } = languageOf(language);
  if (!words) return [];
  const context = { book: new ErrandBook(errands, language), words, now, person: false };
  let state = newErrands();
  const tried: TriedSaying[] = [];
  for (const text of said) {
    const { errands: next, move } = hearErrand(state, { text, tokens: tokensOf(text) }, context);
    state = next;
    const run = next.current ?? ('run' in move ? move.run : null);
    tried.push({ said: text, does: move.do, says: saidBy(move), ...stateOf(run) });
    if (move.do === 'act' || move.do === 'hand over') break;
  }
  return tried;
}

const saidBy = (move: Move): string => ('text' in move ? move.text : move.do === 'answer' ? move.then : '');

const stateOf = (run: Run | null) =>
  run
    ? { errand: run.errand, stage: run.stage, asking: run.asking, slots: run.slots }
    : { errand: null, stage: null, asking: null, slots: {} };

/** When the examples of a file are said: `examplesOn` of it, at noon where it names no time. */
function examplesNow({ examplesOn }: NamedErrand): Moment {
  if (examplesOn === undefined) return EXAMPLES_NOW;
  const [day, clock] = examplesOn.split('T');
  return { day: day!, minute: clock === undefined ? EXAMPLES_NOW.minute : minuteOf(clock) };
}

/**
 * What an example of the file gives and should not, or should and does not, in words; null where it is right.
 */
export function wrongExample(
  errand: NamedErrand,
  { say, gives }: { say: string; gives: Readonly<Record<string, SlotValue>> },
  language: string,
  now = examplesNow(errand),
): string | null {
  const [tried] = trySayings([errand], [say], language, now);
  if (!tried || tried.does === 'pass') return `"${say}" does not begin it`;
  const got = Object.fromEntries(
    Object.entries(tried.slots).flatMap(([name, { value, byDefault }]) => (byDefault ? [] : [[name, value]])),
  ) as Record<string, SlotValue>;
  const wrong = [...new Set([...Object.keys(gives), ...Object.keys(got)])].filter(
    (name) => gives[name] !== got[name],
  );
  if (wrong.length === 0) return null;
  const shown = (value: SlotValue | undefined) => (value === undefined ? 'nothing' : JSON.stringify(value));
  const differences = wrong.map((name) => `${name} is ${shown(got[name])} instead of ${shown(gives[name])}`);
  return `"${say}", said on ${now.day} at ${clockText(now.minute)}: ${differences.join(', ')}`;
}

/**
 * Of errands of one assistant, patterns that begin with a sentence that another errand before it takes, and
 * no less well.
 * @returns the two errands, the pattern's place in `begins` of the second, and a sentence of that kind
 */
export function sharedBeginnings(
  errands: readonly NamedErrand[],
  language: string,
): { first: string; second: string; pattern: number; said: string }[] {
  const books = errands.map((errand) => new ErrandBook([errand], language));
  return errands.flatMap(({ name, begins = [] }, second) =>
    begins.flatMap((_, pattern) => {
      const own = books[second]!;
      const drawn = own
        .sayingsOf(name, pattern, MOST_SAYINGS)
        .map((said) => ({ said, score: own.scoreOf(said) }));
      const sayings = drawn.filter(({ score }) => score > 0);
      // Each way to say it is another errand's: one that is taken now and then is a choice of the owner's.
      const first = books.findIndex(
        (book, i) =>
          i < second && sayings.length > 0 && sayings.every(({ said, score }) => book.scoreOf(said) >= score),
      );
      return first < 0
        ? []
        : [{ first: errands[first]!.name, second: name, pattern, said: sayings[0]!.said }];
    }),
  );
}

/** Sentences that begin it: those of its file, and some drawn from its patterns, for ears and for a model. */
export function exampleSentences(errand: NamedErrand, language: string, most: number): string[] {
  // Of a pattern that takes anything nobody can tell what is said there.
  const whole = { ...errand, begins: (errand.begins ?? []).filter((pattern) => !/\.\.\.|…/.test(pattern)) };
  const { phrases, slots } = new ErrandBook([whole], language).expected;
  const begins = phrases.slice(0, whole.begins.length);
  const drawn = expandPhrases({ phrases: begins, slots }, language).map((words) => words.join(' '));
  const random = seeded(1);
  const mixed = [...new Set(drawn)]
    .map((text) => ({ text, place: random() }))
    .sort((a, b) => a.place - b.place);
  return [...(errand.examples ?? []).map(({ say }) => say), ...mixed.map(({ text }) => text)].slice(0, most);
}
