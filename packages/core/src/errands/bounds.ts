/** Whether a value is possible for a slot, how it is said back, and which value a JSON argument stands for. */
import { isDay, civilOf, minuteOf, weekdayOf, type Moment } from '../calendar/calendar.js';
import type { ErrandWords } from '../language/errand-words.js';
import { choiceOf, sayChoice } from './choices.js';
import { keysOf, valueOfKeys } from './contacts.js';
import type { Slot, SlotValue } from './contract.js';

const WEEKDAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
/** Free text is no longer than this. */
export const MOST_TEXT = 5_000;

/** What is wrong with a value, as a sentence; null for a possible one. */
export function whyNotPossible(slot: Slot, value: SlotValue, now: Moment, words: ErrandWords): string | null {
  const wrong = breach(slot, value, now, words);
  return wrong === null ? null : (slot.why ?? wrong);
}

function breach(slot: Slot, value: SlotValue, now: Moment, { sayings, values }: ErrandWords): string | null {
  const { kind, least, most } = slot;
  const bound = (sentence: string, text: string) => sentence.replace('{bound}', text);
  if (kind === 'date' || kind === 'moment') {
    const [day, clock] = String(value).split('T');
    const isOver = day! < now.day || (clock !== undefined && day === now.day && minuteOf(clock) < now.minute);
    if (isOver && slot.past !== true) return sayings.past;
    if (slot.days && !slot.days.includes(WEEKDAYS[weekdayOf(day!)]!)) return sayings.closedThen;
    if (typeof least === 'string' && String(value) < least) return bound(sayings.least, values.sayDay(least.slice(0, 10), now)); // prettier-ignore
    if (typeof most === 'string' && String(value).slice(0, most.length) > most) return bound(sayings.most, values.sayDay(most.slice(0, 10), now)); // prettier-ignore
    return null;
  }
  if (kind === 'time') {
    if (typeof least === 'string' && String(value) < least) return bound(sayings.least, values.sayTime(minuteOf(least))); // prettier-ignore
    if (typeof most === 'string' && String(value) > most)
      return bound(sayings.most, values.sayTime(minuteOf(most)));
    return null;
  }
  if (kind === 'digits' && slot.length !== undefined && String(value).length !== slot.length)
    return bound(sayings.length, values.sayNumber(slot.length));
  const size = typeof value === 'number' ? value : kind === 'money' ? Number.parseFloat(String(value)) : null;
  if (size === null) return null;
  const text = (limit: number) => (kind === 'duration' ? values.sayDuration(limit) : values.sayNumber(limit));
  if (typeof least === 'number' && size < least) return bound(sayings.least, text(least));
  if (typeof most === 'number' && size > most) return bound(sayings.most, text(most));
  return null;
}

/** As the assistant says it. */
export function sayValue(slot: Slot, value: SlotValue, now: Moment, { values }: ErrandWords): string {
  switch (slot.kind) {
    case 'choice':
    case 'contact': {
      const keys = slot.several ? keysOf(String(value)) : [String(value)];
      return values.sayList(keys.map((key) => sayChoice(slot.values ?? [], key)), 'and'); // prettier-ignore
    }
    case 'count':
    case 'number': {
      const unit = slot.unit?.[value === 1 ? 0 : 1];
      return `${values.sayNumber(Number(value))}${unit === undefined ? '' : ` ${unit}`}`;
    }
    case 'duration':
      return values.sayDuration(Number(value));
    case 'money': {
      const [amount, currency] = String(value).split(' ');
      return values.sayMoney(Number(amount), currency ?? '');
    }
    case 'date':
      return values.sayDay(String(value), now);
    case 'time':
      return values.sayTime(minuteOf(String(value)));
    case 'moment': {
      const [day, clock] = String(value).split('T');
      return `${values.sayDay(day!, now)}, ${values.sayTime(minuteOf(clock!))}`;
    }
    case 'yes-no':
      return value === true ? 'yes' : 'no';
    case 'digits':
    case 'phone':
    case 'spelled':
      return [...String(value)].join(' ');
    case 'text':
      // Read out, it is a sentence.
      return /[.!?…]$/.test(String(value)) ? String(value) : `${String(value)}.`;
    default:
      return String(value);
  }
}

function choiceNamed({ values = [] }: Slot, text: string): string | null {
  const said = text.toLowerCase();
  const found = values.map(choiceOf).find(({ value, say, also = [] }) => [value, say ?? value, ...also].some((one) => one.toLowerCase() === said)); // prettier-ignore
  return found?.value ?? null;
}

/** The value that an argument of a model, or of a program, stands for; null for none of this slot. */
export function valueFrom(slot: Slot, given: unknown): SlotValue | null {
  const { kind } = slot;
  if (kind === 'yes-no') return typeof given === 'boolean' ? given : null;
  if (kind === 'count' || kind === 'number' || kind === 'duration') {
    const size = typeof given === 'string' && /^-?\d+(?:\.\d+)?$/.test(given.trim()) ? Number(given) : given;
    if (typeof size !== 'number' || !Number.isFinite(size)) return null;
    return kind === 'number' || Number.isInteger(size) ? size : null;
  }
  if (typeof given === 'number') return valueFrom(slot, String(given));
  if (typeof given !== 'string' || given.trim() === '') return null;
  const text = given.trim().slice(0, MOST_TEXT);
  switch (kind) {
    case 'choice':
    case 'contact': {
      const keys = (slot.several ? keysOf(text) : [text]).map((said) => choiceNamed(slot, said));
      return keys.includes(null) ? null : valueOfKeys(keys as string[]);
    }
    case 'date':
      return /^\d{4}-\d\d-\d\d$/.test(text) && isDay(civilOf(text)) ? text : null;
    case 'time':
      return /^(?:[01]\d|2[0-3]):[0-5]\d$/.test(text) ? text : null;
    case 'moment':
      return /^\d{4}-\d\d-\d\dT(?:[01]\d|2[0-3]):[0-5]\d$/.test(text) && isDay(civilOf(text.slice(0, 10)))
        ? text
        : null;
    case 'money':
      return /^\d+(?:\.\d{1,2})? [A-Z]{3}$/.test(text) ? text : null;
    case 'digits':
      return /^\d+$/.test(text) ? text : null;
    case 'phone':
      return /^\+?\d{3,20}$/.test(text.replace(/[\s/-]/g, '')) ? text.replace(/[\s/-]/g, '') : null;
    case 'email':
      return /^[^\s@]+@[^\s@]+\.[^\s@]+$/.test(text) ? text : null;
    default:
      return text;
  }
}

/** JSON Schema of a slot's value, for a model. */
export function schemaOf(slot: Slot): Record<string, unknown> {
  const about = slot.ask === undefined ? {} : { description: slot.ask };
  const bounds = {
    ...(typeof slot.least === 'number' ? { minimum: slot.least } : {}),
    ...(typeof slot.most === 'number' ? { maximum: slot.most } : {}),
  };
  const text = (what: string) => ({
    type: 'string',
    description: [slot.ask, what].filter(Boolean).join(' '),
  });
  switch (slot.kind) {
    case 'choice':
    case 'contact':
      return slot.several
        ? text(`One or several of: ${(slot.values ?? []).map((one) => choiceOf(one).value).join(', ')}.`)
        : { type: 'string', enum: (slot.values ?? []).map((one) => choiceOf(one).value), ...about };
    case 'yes-no':
      return { type: 'boolean', ...about };
    case 'count':
      return { type: 'integer', ...bounds, ...about };
    case 'number':
      return { type: 'number', ...bounds, ...about };
    case 'duration':
      return { type: 'integer', ...bounds, description: [slot.ask, 'In minutes.'].filter(Boolean).join(' ') };
    case 'date':
      return text('As YYYY-MM-DD.');
    case 'time':
      return text('As HH:MM.');
    case 'moment':
      return text('As YYYY-MM-DDTHH:MM, local time.');
    case 'money':
      return text('As "24.50 EUR".');
    default:
      return { type: 'string', ...about };
  }
}
