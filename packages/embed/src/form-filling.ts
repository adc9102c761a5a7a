/**
 * An errand's slots in the fields of the page's form, by their names. What a person typed stays, and is told
 * to the errand.
 */
import type { ServiceMessage, ServiceMessageOf } from '@verbalon/protocol';
import type { Hooks } from './contract.js';
import { inHand, setText, tellChange, tellInput, type Hand } from './field.js';

type Slot = ServiceMessageOf<'errand'>['slots'][number];
type Field = HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement;

const YES = /^(true|yes|on|1)$/i;

export class FormFilling {
  /** Fields in which a person wrote, by their names, with what the errand was told of them last. */
  private readonly byHand = new Map<string, string>();
  /** The errand that goes on. */
  private run: number | null = null;
  private writing = false;
  private readonly onChange = (event: Event) => this.changed(event);

  constructor(
    private readonly form: HTMLFormElement,
    private readonly written: Hooks['written'],
    private readonly write: (slot: string, text: string) => void,
  ) {
    for (const field of fieldsOf(form)) if (isWritten(field)) this.byHand.set(field.name, valueOf(field));
    form.addEventListener('input', this.onChange);
    form.addEventListener('change', this.onChange);
  }

  take(message: ServiceMessage): void {
    if (message.kind !== 'errand') return;
    const { run, slots, provisional } = message;
    for (const slot of slots) this.put(slot, slot.settled && !provisional ? 'ink' : 'pencil');
    if (provisional || run === this.run) return;
    this.run = run;
    // What stood there before the errand began counts for it too.
    for (const [name, value] of this.byHand) if (value !== '') this.write(name, value);
  }

  /** Values of fields, by their names. @returns whether there was a field for each of them */
  fill(values: Readonly<Record<string, string>>): boolean {
    return Object.entries(values)
      .map(([name, text]) => this.put({ name, value: text, text }, 'ink'))
      .every(Boolean);
  }

  end(): void {
    this.form.removeEventListener('input', this.onChange);
    this.form.removeEventListener('change', this.onChange);
  }

  private fields(name: string): Field[] {
    return fieldsOf(this.form).filter((one) => one.name === name);
  }

  /** @returns whether the form has a field for it that could take it */
  private put({ name, value, text }: Pick<Slot, 'name' | 'value' | 'text'>, hand: Hand): boolean {
    const fields = this.fields(name);
    if (fields.length === 0 || this.byHand.has(name)) return fields.length > 0;
    const said = this.written === undefined ? text : this.written(text, name);
    if (said === null) return false;
    this.writing = true;
    try {
      return fields.map((field) => putInto(field, said === text ? value : said, said, hand)).some(Boolean);
    } finally {
      this.writing = false;
    }
  }

  private changed({ target, type }: Event): void {
    if (this.writing || !(target instanceof Element) || !('name' in target)) return;
    const field = target as Field;
    if (field.name === '') return;
    this.byHand.set(field.name, valueOf(field));
    inHand(field, null);
    if (type === 'change') this.write(field.name, valueOf(field));
  }
}

function fieldsOf(form: HTMLFormElement): Field[] {
  return [...form.elements].filter(
    (one): one is Field =>
      (one instanceof HTMLInputElement ||
        one instanceof HTMLSelectElement ||
        one instanceof HTMLTextAreaElement) &&
      one.name !== '',
  );
}

/** Does something else stand in it than the page put there? */
function isWritten(field: Field): boolean {
  if (field instanceof HTMLSelectElement)
    return [...field.options].some(
      (one) => one.selected !== one.defaultSelected && one.value !== '' && one.selected,
    );
  if (field instanceof HTMLInputElement && (field.type === 'checkbox' || field.type === 'radio'))
    return field.checked !== field.defaultChecked;
  return field.value !== field.defaultValue;
}

function valueOf(field: Field): string {
  return field instanceof HTMLInputElement && field.type === 'checkbox'
    ? field.checked
      ? 'yes'
      : 'no'
    : field.value;
}

function putInto(field: Field, value: Slot['value'], text: string, hand: Hand): boolean {
  const isTick = field instanceof HTMLInputElement && (field.type === 'checkbox' || field.type === 'radio');
  if (isTick) return tick(field, value, text, hand);
  const wanted =
    field instanceof HTMLSelectElement ? optionOf(field, value, text) : typed(field, value, text);
  if (wanted === null) return false;
  if (field.value !== wanted) {
    setText(field, wanted);
    tellInput(field, wanted);
    // A field takes what fits its kind, and is empty otherwise.
    if (field.value !== wanted) return false;
    if (hand === 'ink') tellChange(field);
  }
  inHand(field, hand);
  return true;
}

/**
 * As a field of this kind wants it: a date as YYYY-MM-DD, a time as HH:MM, and so on; anything else as it is
 * said.
 */
function typed(field: HTMLInputElement | HTMLTextAreaElement, value: Slot['value'], text: string): string {
  const given = String(value);
  if (field.type === 'date') return given.slice(0, 10);
  if (field.type === 'time') return /\d{2}:\d{2}/.exec(given)?.[0] ?? given;
  if (field.type === 'datetime-local') return given.slice(0, 16);
  if (field.type === 'number' || field.type === 'range' || field.type === 'tel' || field.type === 'email')
    return given;
  return text;
}

const same = (one: string, other: string) => one.trim().toLowerCase() === other.trim().toLowerCase();

function optionOf(field: HTMLSelectElement, value: Slot['value'], text: string): string | null {
  const found = [...field.options].find(
    (one) => same(one.value, String(value)) || same(one.text, String(value)) || same(one.text, text),
  );
  return found?.value ?? null;
}

function tick(field: HTMLInputElement, value: Slot['value'], text: string, hand: Hand): boolean {
  const isYesNo = field.type === 'checkbox' && typeof value === 'boolean';
  const label = field.labels?.[0]?.textContent ?? '';
  const isMeant = same(field.value, String(value)) || same(label, String(value)) || same(label, text);
  const wanted = isYesNo ? YES.test(String(value)) : isMeant;
  if (field.type === 'radio' && !wanted) return false;
  if (field.checked !== wanted) {
    field.checked = wanted;
    tellInput(field, null);
    tellChange(field);
  }
  inHand(field, hand);
  return true;
}
