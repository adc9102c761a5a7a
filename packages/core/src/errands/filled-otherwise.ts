/**
 * Values that nobody said: a model gives them with its call of an errand, or the caller writes them into a
 * form.
 */
import { valueFrom } from '../slots/values.js';
import type { Errands, NamedErrand, Run } from './contract.js';
import type { SlotValue } from '../slots/common/slot.js';
import { follow, readBack, step } from './dialogue.js';
import { extract, extracting } from './extract.js';
import { fill, fillFrom, newRun, type Filling } from './fill.js';
import type { DialogueContext, Step } from './moves.js';
import { tokensOf } from '../language/tokens.js';

/**
 * A model asks for an errand. @param given its arguments, as the model wrote them; @returns null for one that
 * there is not
 */
export function callErrand(
  errands: Errands,
  name: string,
  given: unknown,
  context: DialogueContext,
): Step | null {
  const errand = context.book.get(name);
  if (!errand) return null;
  const { current } = errands;
  if (current?.stage === 'doing') return step(errands, { do: 'say', text: context.words.sayings.underWay });
  const isSame = current?.errand === name;
  const run = isSame ? current : newRun(errands.lastRun + 1, errand, 'model', context);
  const waiting = isSame ? errands : { ...errands, lastRun: run.run, parked: current ?? errands.parked };
  return follow({ ...waiting, current: run }, fillFrom(run, errand, given, context), context);
}

/** The caller writes a value into the form. @returns null where that is none of this slot */
export function writeErrand(
  errands: Errands,
  slot: string,
  value: SlotValue,
  context: DialogueContext,
): Step | null {
  const { current } = errands;
  const errand = current && context.book.get(current.errand);
  if (!current || !errand || !Object.hasOwn(errand.slots, slot)) return null;
  const filling = { ...written(current, errand, slot, value, context), changed: [] };
  const next = follow(errands, filling, context);
  // Nothing is done because of what was written: it is read back, and a yes is waited for.
  return next.move.do === 'say' ? next : readBack(errands, filling.run, context);
}

/** "2026-12-04" is a value; "Friday" is read as if it had been said. */
function written(
  run: Run,
  errand: NamedErrand,
  slot: string,
  value: SlotValue,
  context: DialogueContext,
): Filling {
  const shape = errand.slots[slot]!;
  if (typeof value !== 'string' || valueFrom(shape, value) !== null)
    return fillFrom(run, errand, { [slot]: value }, context);
  const tokens = tokensOf(value);
  const { found } = extract({ [slot]: shape }, tokens, { ...extracting(run, context), asked: slot });
  return found.length > 0
    ? fill(run, errand, found, tokens, context)
    : fillFrom(run, errand, { [slot]: value }, context);
}
