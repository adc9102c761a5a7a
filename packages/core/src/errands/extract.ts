/**
 * What a saying tells about the slots of an errand, in any order, corrections in the same breath included. A
 * value belongs to the slot whose words stand beside it, to the slot that was asked for, or to the only one
 * that it can mean.
 */
import type { Moment } from '../calendar/calendar.js';
import type { ErrandWords } from '../language/common/errand-words.js';
import type { Token } from '../language/common/meaning.js';
import { capital } from '../language/common/writing.js';
import { commonLastWord } from '../slots/common/choices.js';
import type { Place, Reading, ReadingContext } from '../slots/common/kind.js';
import { nearOf, type Slot, type SlotValue } from '../slots/common/slot.js';
import { kindOf, readingsAt, takesAnyWords } from '../slots/values.js';
import type { Run } from './contract.js';
import { dictated } from './dictation.js';
import { MOST_TOKENS, phraseAt, phraseBefore, textOf } from '../language/tokens.js';

/** What speaks for a value to be of a slot. */
const CUE = 8;
const ASKED = 5;
const PLAIN = 4;
/**
 * Between values that all fit: more words, and a slot that is empty, or (in a correction) that was said last.
 */
const A_WORD = 0.5;
const EMPTY = 0.4;
const SAID_LAST = 0.6;
/** A value counts from here on. */
const LEAST = 3.9;

export interface Found {
  slot: string;
  /** Null where what was said is no possible value. */
  value: SlotValue | null;
  said: string;
  options?: readonly string[];
  noSuchDay?: boolean;
  /** A time of which nobody said whether it is before or after noon. */
  openHalf?: boolean;
  /** It is none of the values that there are. */
  unknown?: boolean;
  from: number;
  to: number;
}

export interface Extraction {
  /** The last word on each slot. */
  found: Found[];
  /** The saying takes something back. */
  corrects: boolean;
}

export interface ExtractContext {
  words: ErrandWords;
  now: Moment;
  /** The slot that is asked for. */
  asked: string | null;
  /** What the slots hold, and in which order they were said. */
  known: Readonly<Record<string, { value: SlotValue }>>;
  order: readonly string[];
}

interface Part {
  from: number;
  to: number;
  corrects: boolean;
}

interface Candidate extends Found {
  score: number;
}

/** What is known when something is said while a run goes on. */
export const extracting = (
  { slots, order, asking }: Run,
  { words, now }: Pick<ExtractContext, 'words' | 'now'>,
): ExtractContext => ({ words, now, asked: asking, known: slots, order });

export function extract(
  slots: Readonly<Record<string, Slot>>,
  tokens: readonly Token[],
  context: ExtractContext,
): Extraction {
  const asked = context.asked === null ? undefined : slots[context.asked];
  // What is dictated is taken as it is: "no" and "sorry" are words of it.
  if (asked && takesAnyWords(asked) && context.asked !== null)
    return { found: wholeText(context.asked, tokens, context.words), corrects: false };
  const heard = tokens.slice(0, MOST_TOKENS);
  const said = heard.map(({ word }) => word);
  const parts = partsOf(slots, said, context.words);
  const last = new Map<string, Found>();
  let order = [...context.order];
  for (const part of parts) {
    const known = {
      ...context.known,
      ...Object.fromEntries([...last].map(([slot, { value }]) => [slot, { value: value ?? '' }])),
    };
    for (const found of inPart(slots, heard, part, { ...context, known, order })) {
      last.set(found.slot, found);
      order = [...order.filter((slot) => slot !== found.slot), found.slot];
    }
  }
  return { found: [...last.values()], corrects: parts.some(({ corrects }) => corrects) };
}

function wholeText(slot: string, tokens: readonly Token[], { dictation }: ErrandWords): Found[] {
  const value = dictated(tokens, dictation);
  return value === '' ? [] : [{ slot, value, said: value, from: 0, to: tokens.length }];
}

/**
 * The stretches between words that take something back; "no supper" takes nothing back where it answers a
 * slot.
 */
function partsOf(
  slots: Readonly<Record<string, Slot>>,
  said: readonly string[],
  { corrections, negations }: ErrandWords,
): Part[] {
  const guarded = Object.values(slots).flatMap(({ yes = [], no = [] }) => [...yes, ...no]);
  const parts: Part[] = [{ from: 0, to: 0, corrects: false }];
  const begin = (from: number) => {
    const last = parts.at(-1)!;
    if (last.to === last.from) parts.pop();
    parts.push({ from, to: from, corrects: true });
  };
  for (let at = 0; at < said.length;) {
    const own = phraseAt(said, at, guarded);
    const mark = own > 0 ? 0 : phraseAt(said, at, corrections);
    // "Not Rowan, Lantern": what is not meant begins the part that corrects.
    if (mark > 0 || (own === 0 && phraseAt(said, at, negations) > 0)) begin(at + mark);
    at += Math.max(1, own, mark);
    parts.at(-1)!.to = Math.max(parts.at(-1)!.from, at);
  }
  return parts;
}

function inPart(
  slots: Readonly<Record<string, Slot>>,
  all: readonly Token[],
  part: Part,
  context: ExtractContext,
): Found[] {
  // Words before the part may still tell what it is about: "under the name, no, for Friday".
  const tokens = all.slice(0, part.to);
  const said = tokens.map(({ word }) => word);
  const reading: ReadingContext = {
    words: context.words,
    now: context.now,
    day: dayNamed(slots, said, part, context) ?? dayOf(slots, context),
    part: partOfDay(said, part.from, context),
  };
  const candidates: Candidate[] = [];
  const isMeant = (at: number) => phraseBefore(said, at, context.words.negations) === 0;
  for (const [name, slot] of Object.entries(slots))
    for (let at = part.from; at < part.to; at++) {
      if (!isMeant(at)) continue;
      for (const read of readingsAt(slot, { said, tokens, at }, reading)) {
        const score = scoreOf(name, slot, slots, { said, at }, read, context, part);
        const [from, to] = [at, at + read.count];
        if (score >= LEAST)
          candidates.push({ slot: name, ...read, said: textOf(tokens.slice(from, to)), from, to, score });
      }
    }
  const chosen = choose(candidates, said, context.words.or);
  return [...chosen, ...unknownIn(slots, tokens, part, chosen, context)].sort((a, b) => a.from - b.from);
}

/** The day that this part of the saying names, for a date slot to take. */
function dayNamed(
  slots: Readonly<Record<string, Slot>>,
  said: readonly string[],
  { from, to }: Part,
  { words, now }: ExtractContext,
): string | null {
  if (!Object.values(slots).some((slot) => kindOf(slot).day === 'said')) return null;
  for (let at = from; at < to; at++) {
    const found = words.values.day(said, at, now);
    if (found?.value && phraseBefore(said, at, words.negations) === 0) return found.value;
  }
  return null;
}

/** The day of the only date slot, said before. */
function dayOf(slots: Readonly<Record<string, Slot>>, { known }: ExtractContext): string | null {
  const name = Object.keys(slots).find((one) => kindOf(slots[one]!).day === 'said');
  const value = name === undefined ? undefined : known[name]?.value;
  return typeof value === 'string' && value !== '' ? value : null;
}

function partOfDay(
  said: readonly string[],
  from: number,
  { words, now }: ExtractContext,
): 'first' | 'second' | null {
  for (let at = from; at < said.length; at++) {
    const found = words.values.partOfDay(said, at, now);
    if (found) return found.value;
  }
  return null;
}

function scoreOf(
  name: string,
  slot: Slot,
  slots: Readonly<Record<string, Slot>>,
  { said, at }: Omit<Place, 'tokens'>,
  { count, plain }: Reading,
  context: ExtractContext,
  part: Part,
): number {
  const { words, asked, known, order } = context;
  const cue = cueOf(slot, said, at, count, words);
  const isKnown = known[name] !== undefined;
  const isAsked = asked === name;
  if (cue === null) {
    // A name without a word that leads to it is only one where a name is asked for, and nothing else is said.
    if (kindOf(slot).isNamed && (!isAsked || !isAlone(said, at, part, words))) return 0;
    // "The big one" is no number where something else is asked.
    if (isKnown && asked !== null && !isAsked && !plain && !part.corrects) return 0;
  }
  const corrects = part.corrects && isKnown;
  const score =
    (cue === null ? 0 : CUE + cue * 0.1) +
    (isAsked ? ASKED : 0) +
    (plain || isOnlyCount(slot, slots, said, at + count, words) ? PLAIN : 0) +
    (corrects ? PLAIN * 0.5 : 0);
  if (score === 0) return 0;
  const saidLast = part.corrects && order.at(-1) === name ? SAID_LAST : 0;
  return score + count * A_WORD + (isKnown ? 0 : EMPTY) + saidLast;
}

/** Of how many words the phrase before it is that leads to the slot; 0 for one behind it, null for none. */
function cueOf(
  slot: Slot,
  said: readonly string[],
  at: number,
  count: number,
  words: ErrandWords,
): number | null {
  const before = phraseBefore(said, at, [...(slot.after ?? []), ...(kindOf(slot).leads?.(words) ?? [])]);
  return before > 0 || phraseAt(said, at + count, nearOf(slot)) > 0 ? before : null;
}

/** A bare number means the only slot that counts, unless that has words of its own that are missing. */
function isOnlyCount(
  slot: Slot,
  slots: Readonly<Record<string, Slot>>,
  said: readonly string[],
  end: number,
  { units }: ErrandWords,
): boolean {
  const isOnly = Object.values(slots).filter(({ kind }) => kind === slot.kind).length === 1;
  // A number with a unit behind it counts something else.
  return kindOf(slot).counts === true && isOnly && !units.has(said[end] ?? '');
}

/** Only words that lead in stand before it in its part. */
function isAlone(
  said: readonly string[],
  at: number,
  part: Part,
  { leadIns, beforeName }: ErrandWords,
): boolean {
  for (let i = part.from; i < at;) {
    const lead = phraseAt(said, i, beforeName) || Number(leadIns.has(said[i]!));
    if (lead === 0) return false;
    i += lead;
  }
  return true;
}

/** The best ones that do not lie over each other, one for each slot. */
function choose(candidates: Candidate[], said: readonly string[], or: string): Found[] {
  const chosen: Candidate[] = [];
  const open = [...candidates].sort((a, b) => b.score - a.score || a.from - b.from);
  for (const one of open) {
    const hinders = chosen.some(
      ({ slot, from, to }) => slot === one.slot || (one.from < to && from < one.to),
    );
    if (!hinders) chosen.push(one);
  }
  return chosen.map((one) => withTwin(one, candidates, said, or));
}

/** "Rowan or Lantern": which of them is not known. */
function withTwin(
  { score, ...found }: Candidate,
  candidates: readonly Candidate[],
  said: readonly string[],
  or: string,
): Found {
  const isTwin = (one: Candidate) =>
    one.slot === found.slot &&
    ((one.from === found.to + 1 && said[found.to] === or) ||
      (found.from === one.to + 1 && said[one.to] === or));
  const twin = candidates.find(
    (one) => one.value !== found.value && score - one.score < CUE + 1 && isTwin(one),
  );
  if (typeof twin?.value !== 'string' || typeof found.value !== 'string') return found;
  return { ...found, value: null, options: [found.value, twin.value] };
}

/** "at Eagle Hut", or what answers the question for a choice: something that is none of the values. */
function unknownIn(
  slots: Readonly<Record<string, Slot>>,
  tokens: readonly Token[],
  part: Part,
  chosen: readonly Found[],
  { words }: ExtractContext,
): Found[] {
  const said = tokens.map(({ word }) => word);
  const found: Found[] = [];
  for (const [slot, { kind, values = [] }] of Object.entries(slots)) {
    if (kind !== 'choice' || chosen.some((one) => one.slot === slot)) continue;
    const last = commonLastWord(values);
    const at =
      last === null ? -1 : said.findIndex((word, i) => i > part.from && i < part.to && word === last);
    const before = said[at - 1];
    const isFree = !chosen.some(({ from, to }) => at >= from && at < to);
    if (at < 0 || before === undefined || !isFree || words.leadIns.has(before) || words.notNames.has(before))
      continue;
    const text =
      `${capital(tokens[at - 1]!.text || before)} ${capital(tokens[at]!.text || said[at]!)}`.replace(
        /[.,;:!?]/g,
        '',
      );
    found.push({ slot, value: null, said: text, unknown: true, from: at - 1, to: at + 1 });
  }
  return found;
}
