/**
 * The keys of a telephone as answers: digits are collected until `#`, until the slot that is asked for is
 * full, or until no key comes for a while; `*` takes them back. A key alone may stand for words where no
 * digits are asked for: `0` for "a person, please".
 */
import { kindOf } from '../../slots/values.js';
import type { Slot } from '../../slots/common/slot.js';
import { languageOf } from '../../language/language.js';
import type { Cause } from '../contract/causes.js';
import type { HappeningOf } from '../contract/happenings.js';
import type { Desk } from '../state/desk.js';
import { askedSlot } from '../state/errands.js';

/** After the last key, in ms. */
const PATIENCE_MS = 3_000;
/** … and after one that may be a whole answer. */
const SHORT_PATIENCE_MS = 1_200;
/** What is longer is nobody's answer. */
const MOST_KEYS = 40;
const KEYED: Cause = { kind: 'keyed' };

export function keyed(desk: Desk, { key }: HappeningOf<'keyed'>): void {
  const { floor } = desk.state;
  desk.raise({ kind: 'keyTouched' });
  if (key === '*') {
    floor.keyed = '';
    return desk.clearTimer('keys', KEYED);
  }
  if (key === '#') return over(desk);
  if (!/^\d$/.test(key) || floor.keyed.length >= MOST_KEYS) return desk.ignore('keyed', 0);
  floor.keyed += key;
  const slot = askedSlot(desk.plan, desk.state.errands);
  if (slot !== null && slot.length === floor.keyed.length) return over(desk);
  const mayBeAll = !takesDigits(slot) || kindOf(slot).keys === 'may be all';
  desk.setTimer('keys', mayBeAll ? SHORT_PATIENCE_MS : PATIENCE_MS, { kind: 'moreKeysAwaited' });
}

export function keysRang(desk: Desk): void {
  over(desk);
}

function over(desk: Desk): void {
  const { state, plan } = desk;
  const { keyed: digits } = state.floor;
  state.floor.keyed = '';
  desk.clearTimer('keys', KEYED);
  if (digits === '') return desk.ignore('keyed', 0);
  const slot = askedSlot(plan, state.errands);
  const meant = takesDigits(slot) ? kindOf(slot).byKeys?.(digits, slot) : wordsOf(desk, digits);
  desk.raise({ kind: 'keysOver', text: meant ?? digits });
}

const takesDigits = (slot: Slot | null): slot is Slot => slot !== null && kindOf(slot).keys !== undefined;

/** What a key stands for by itself. */
function wordsOf({ plan }: Desk, key: string): string | undefined {
  if (plan.keys?.[key] !== undefined) return plan.keys[key];
  return key === '0' && plan.person ? languageOf(plan.language).personWanted : undefined;
}
