/**
 * Puts what was said, or what a model gives, into the slots of a run; says what is not possible, and what has
 * changed.
 */
import { clockText, minuteOf } from '../calendar/calendar.js';
import { capital } from '../language/common/writing.js';
import type { Token } from '../language/common/meaning.js';
import { kindOf, sayValue, valueFrom, whyNotPossible } from '../slots/values.js';
import { nearest, sayChoice } from '../slots/common/choices.js';
import { dictated } from './dictation.js';
import { phraseAt } from '../language/tokens.js';
import type { Filled, NamedErrand, Run } from './contract.js';
import type { Slot, SlotValue } from '../slots/common/slot.js';
import type { Found } from './extract.js';
import { settleTime } from '../slots/kinds/time.js';
import { fillIn, type Speaking } from './sentences.js';

export interface Filling {
  run: Run;
  /** Slots that hold something else than before, and that have a value for the first time. */
  changed: string[];
  fresh: string[];
  /** The first thing that is not possible: which slot, and what is said of it. */
  problem: { slot: string; text: string } | null;
}

export function fill(
  run: Run,
  errand: NamedErrand,
  found: readonly Found[],
  tokens: readonly Token[],
  speaking: Speaking,
): Filling {
  const filling = nothingYet(run);
  for (const one of found) {
    const slot = errand.slots[one.slot]!;
    const text = problemOf(slot, one, speaking);
    if (text !== null) filling.problem ??= { slot: one.slot, text };
    else
      put(filling, one.slot, {
        ...filledBy(slot, one, speaking),
        ...timesOf(tokens.slice(one.from, one.to)),
      });
  }
  settleAgain(filling, errand, found, speaking);
  return filling;
}

/** A day that is said after the time may change which half of the day was meant. */
function settleAgain(
  { run, fresh, changed }: Filling,
  errand: NamedErrand,
  found: readonly Found[],
  { words, now }: Speaking,
): void {
  const dated = [...fresh, ...changed].find((name) => kindOf(errand.slots[name]!).day === 'said');
  if (dated === undefined) return;
  const context = { words, now, day: String(run.slots[dated]!.value), part: null };
  for (const [name, filled] of Object.entries(run.slots)) {
    const slot = errand.slots[name]!;
    if (kindOf(slot).day !== 'wanted' || filled.openHalf !== true || found.some((one) => one.slot === name))
      continue;
    const said = { minute: minuteOf(String(filled.value)) % 720, half: null, sure: true };
    const value = clockText(settleTime(said, slot, context));
    run.slots[name] = { ...filled, value, text: sayValue(slot, value, now, words) };
  }
}

/** @param given arguments as a model wrote them */
export function fillFrom(run: Run, errand: NamedErrand, given: unknown, speaking: Speaking): Filling {
  const filling = nothingYet(run);
  if (typeof given !== 'object' || given === null) return filling;
  for (const [name, slot] of Object.entries(errand.slots)) {
    const raw = Object.hasOwn(given, name) ? (given as Record<string, unknown>)[name] : undefined;
    if (raw === undefined || raw === null || raw === '') continue;
    const value = valueFrom(slot, raw);
    const said = String(raw).slice(0, 200);
    const one: Found = { slot: name, value, said, unknown: value === null, from: 0, to: 0 };
    const text = problemOf(slot, one, speaking);
    if (text !== null) filling.problem ??= { slot: name, text };
    else put(filling, name, filledBy(slot, one, speaking));
  }
  return filling;
}

/**
 * "Add that we need bread": it is put behind the text that is there. @returns null for a saying of another
 * kind
 */
export function addTo(
  run: Run,
  errand: NamedErrand,
  tokens: readonly Token[],
  speaking: Speaking,
): Filling | null {
  const { dictation } = speaking.words;
  const lead = phraseAt(
    tokens.map(({ word }) => word),
    0,
    dictation.add,
  );
  const slot = Object.keys(errand.slots).find(
    (name) => kindOf(errand.slots[name]!).isDictated && run.slots[name],
  );
  const text = dictated(tokens.slice(lead), dictation);
  if (lead === 0 || slot === undefined || text === '') return null;
  const before = String(run.slots[slot]!.value);
  const value = `${before}${/[.!?\n]$/.test(before) ? '' : '.'} ${text}`;
  return { ...fillFrom(run, errand, { [slot]: value }, speaking), changed: [] };
}

/** A copy of the run, to be filled. */
const nothingYet = (run: Run): Filling => ({
  run: { ...run, slots: { ...run.slots }, order: [...run.order] },
  changed: [],
  fresh: [],
  problem: null,
});

function problemOf(
  slot: Slot,
  { value, said, options, noSuchDay, unknown }: Found,
  { words, now }: Speaking,
): string | null {
  const { sayings, values } = words;
  if (noSuchDay) return sayings.noSuchDay;
  if (options)
    return fillIn(sayings.which, {
      list: values.sayList(
        options.map((one) => sayChoice(slot.values ?? [], one)),
        'or',
      ),
    });
  if (unknown) return unknownText(slot, said, { words, now });
  return value === null ? sayings.notPossible : whyNotPossible(slot, value, now, words);
}

/** "I do not know Eagle Hut. There is …" */
export function unknownText(slot: Slot, said: string, { words }: Speaking): string {
  const list = nearest(slot, said);
  if (list.length === 0) return words.sayings.notPossible;
  return fillIn(words.sayings.unknown, { value: capital(said), list: words.values.sayList(list, 'and') });
}

function filledBy(slot: Slot, { value, said, openHalf }: Found, { words, now }: Speaking): Filled {
  return { value: value!, text: sayValue(slot, value!, now, words), said, ...(openHalf ? { openHalf } : {}) };
}

function timesOf(tokens: readonly Token[]): Partial<Filled> {
  const timed = tokens.filter(({ fromMs }) => fromMs !== undefined);
  const sure = tokens.flatMap(({ confidence }) => (confidence === undefined ? [] : [confidence]));
  return {
    ...(timed.length === 0 ? {} : { fromMs: timed[0]!.fromMs!, toMs: timed.at(-1)!.toMs! }),
    ...(sure.length === 0 ? {} : { confidence: Math.min(...sure) }),
  };
}

function put(filling: Filling, name: string, filled: Filled): void {
  const { run, changed, fresh } = filling;
  const before = Object.hasOwn(run.slots, name) ? run.slots[name]! : null;
  if (!before) fresh.push(name);
  else if (before.value !== filled.value && !before.byDefault) changed.push(name);
  run.slots[name] = filled;
  run.order = [...run.order.filter((one) => one !== name), name];
}

/** A new run of the errand, with what its file gives. */
export function newRun(run: number, errand: NamedErrand, by: Run['by'], { words, now }: Speaking): Run {
  const slots: Record<string, Filled> = {};
  for (const [name, slot] of Object.entries(errand.slots))
    if (slot.default !== undefined)
      slots[name] = {
        value: slot.default,
        text: sayValue(slot, slot.default, now, words),
        said: '',
        byDefault: true,
      };
  return {
    run,
    errand: errand.name,
    stage: 'asking',
    asking: null,
    misses: 0,
    question: '',
    slots,
    order: [],
    by,
  };
}

/** What the slots hold, to be given to whoever does it. */
export const valuesOf = ({ slots }: Pick<Run, 'slots'>): Record<string, SlotValue> =>
  Object.fromEntries(Object.entries(slots).map(([name, { value }]) => [name, value]));
