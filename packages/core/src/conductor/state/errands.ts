/** The errands of a plan. */
import { ErrandBook } from '../../errands/book.js';
import { languageOf } from '../../language/language.js';
import type { Errands } from '../../errands/contract.js';
import type { Slot } from '../../slots/common/slot.js';
import { kindOf } from '../../slots/values.js';
import type { CallableFunction } from '../../thinking/history.js';
import type { Plan } from '../contract/plan.js';

/** Read once for each plan; null where it has no errands, or its language knows none. */
const bookOf = new WeakMap<Plan, ErrandBook | null>();

export function errandsIn(plan: Plan): ErrandBook | null {
  const known = bookOf.get(plan);
  if (known !== undefined) return known;
  const { errands = [], language } = plan;
  const book =
    errands.length === 0 || languageOf(language).errands === null ? null : new ErrandBook(errands, language);
  bookOf.set(plan, book);
  return book;
}

/** What the model may ask to be done. */
export const functionsOf = (plan: Plan): CallableFunction[] => errandsIn(plan)?.functions ?? [];

/** The slot that is asked for. */
export function askedSlot(plan: Plan, { current }: Errands): Slot | null {
  if (current?.stage !== 'asking' || current.asking === null) return null;
  return errandsIn(plan)?.get(current.errand)?.slots[current.asking] ?? null;
}

/** What is said is taken as it is, for as long as it goes on. */
export const isDictation = (slot: Slot): boolean => kindOf(slot).isDictated === true;

/** What is asked for, as `ERRAND/SLOT`: ears may be sharpened for its answers. */
export const askedFor = ({ current }: Errands): string | null =>
  current?.stage === 'asking' && current.asking !== null ? `${current.errand}/${current.asking}` : null;
