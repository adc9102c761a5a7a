/**
 * What is said in an errand: the file's sentences with their places filled, and our own for what it leaves
 * open.
 */
import type { Moment } from '../calendar/calendar.js';
import type { ErrandWords } from '../language/common/errand-words.js';
import {
  READ_BACK_WHEN_UNSURE,
  type Filled,
  type NamedErrand,
  type RunOutcome,
  type Run,
} from './contract.js';

/** `{hut}`, or `{hut|any hut}` with words for when it is empty. */
const PLACE = /\{([^}|]*)(?:\|([^}]*))?\}/g;

type Texts = Readonly<Record<string, string>>;

export function fillIn(sentence: string, texts: Texts): string {
  const text = sentence.replace(PLACE, (_, name: string, otherwise?: string) =>
    Object.hasOwn(texts, name) && texts[name] !== '' ? texts[name]! : (otherwise ?? ''),
  );
  // Lines that were dictated stay lines. A slot may stand where a sentence begins.
  return text
    .replace(/[^\S\n]+/g, ' ')
    .trim()
    .replace(/(?:^|[.!?]\s+)\p{Ll}/gu, (first) => first.toUpperCase());
}

export const slotTexts = ({ slots }: Pick<Run, 'slots'>): Record<string, string> =>
  Object.fromEntries(Object.entries(slots).map(([name, { text }]) => [name, text]));

const known = (run: Run, errand: NamedErrand): Filled[] =>
  Object.keys(errand.slots).flatMap((name) => (Object.hasOwn(run.slots, name) ? [run.slots[name]!] : []));

export function readBackOf(run: Run, errand: NamedErrand, { sayings, values }: ErrandWords): string {
  if (typeof errand.readBack === 'string' && errand.readBack !== READ_BACK_WHEN_UNSURE)
    return fillIn(errand.readBack, slotTexts(run));
  const list = values.sayList(
    known(run, errand).map(({ text }) => text),
    'and',
  );
  return fillIn(sayings.readBack, { list });
}

export function recallOf(run: Run, errand: NamedErrand, { sayings, values }: ErrandWords): string {
  const list = values.sayList(
    known(run, errand).map(({ text }) => text),
    'and',
  );
  return fillIn(sayings.recall, { list: list === '' ? errand.title : list });
}

/** The sentence of an outcome, and what is left of it to be read on. */
export function outcomeText(
  run: Run,
  errand: NamedErrand,
  { ending, code, given }: RunOutcome,
  { sayings }: ErrandWords,
): { text: string; more: string } {
  const { says = {}, source, wordsAtOnce } = errand;
  const own = code !== undefined && Object.hasOwn(says, code) ? says[code] : says[ending];
  const sentence = fillIn(own ?? sayings[ending], { ...slotTexts(run), ...given });
  const whole =
    source === undefined || ending !== 'done' ? sentence : fillIn(sayings.source, { source, text: sentence });
  return wordsAtOnce === undefined ? { text: whole, more: '' } : firstPart(whole, wordsAtOnce);
}

/** Whole sentences up to about so many words. */
export function firstPart(text: string, most: number): { text: string; more: string } {
  const sentences = text.match(/[^.!?]+[.!?]*\s*/g) ?? [];
  let count = 0;
  let taken = 0;
  for (const sentence of sentences) {
    const words = sentence.trim().split(/\s+/).length;
    if (taken > 0 && count + words > most) break;
    count += words;
    taken++;
  }
  const join = (from: number, to?: number) => sentences.slice(from, to).join('').trim();
  return { text: join(0, taken), more: join(taken) };
}

export function abilitiesOf(errands: readonly NamedErrand[], { sayings, values }: ErrandWords): string {
  return fillIn(sayings.abilities, {
    list: values.sayList(
      errands.map(({ title }) => title),
      'and',
    ),
  });
}

export const join = (...sentences: readonly string[]): string => sentences.filter(Boolean).join(' ');

/** The time is given with every saying. */
export interface Speaking {
  words: ErrandWords;
  now: Moment;
}
