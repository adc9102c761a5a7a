/** Values of a slot, whatever its kind is. */
import type { Moment } from '../calendar/calendar.js';
import type { ErrandWords } from '../language/common/errand-words.js';
import type { Kind, Place, Reading, ReadingContext } from './common/kind.js';
import { KINDS } from './kinds/index.js';
import type { Slot, SlotValue } from './common/slot.js';

export const kindOf = ({ kind }: Pick<Slot, 'kind'>): Kind => KINDS[kind];

/** Any words may stand in it: what is dictated is taken as it is. */
export const takesAnyWords = (slot: Slot): boolean => kindOf(slot).takesAnyWords === true;

/** All that the slot may take from this word on. */
export const readingsAt = (slot: Slot, place: Place, context: ReadingContext): Reading[] =>
  kindOf(slot).read(place, slot, context);

/** What is wrong with a value, as a sentence; null for a possible one. */
export function whyNotPossible(slot: Slot, value: SlotValue, now: Moment, words: ErrandWords): string | null {
  const wrong = kindOf(slot).breach?.(value, slot, now, words) ?? null;
  return wrong === null ? null : (slot.why ?? wrong);
}

/** As the assistant says it. */
export const sayValue = (slot: Slot, value: SlotValue, now: Moment, words: ErrandWords): string =>
  kindOf(slot).say(value, slot, now, words);

/** The value that an argument of a model, or of a program, stands for; null for none of this slot. */
export const valueFrom = (slot: Slot, given: unknown): SlotValue | null => kindOf(slot).from(given, slot);

/** JSON Schema of a slot's value, for a model. */
export const schemaOf = (slot: Slot): Record<string, unknown> => kindOf(slot).schema(slot);
