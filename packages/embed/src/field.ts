/**
 * Writing into a field as a person would: frameworks that keep its value notice, and the page's own listeners
 * are called.
 */

type TextField = HTMLInputElement | HTMLTextAreaElement;

/** Pencil while it may still change, ink when it is settled: a page may style both by `[data-verbalon]`. */
export type Hand = 'pencil' | 'ink';

export function setText(field: TextField | HTMLSelectElement, value: string): void {
  // React and others put a setter of their own before the field's.
  const prototype = Object.getPrototypeOf(field) as object;
  const { set } = Object.getOwnPropertyDescriptor(prototype, 'value')!;
  set!.call(field, value);
}

export function tellInput(field: Element, data: string | null): void {
  field.dispatchEvent(
    new InputEvent('input', { bubbles: true, composed: true, inputType: 'insertText', data }),
  );
}

export function tellChange(field: Element): void {
  field.dispatchEvent(new Event('change', { bubbles: true }));
}

export function inHand(field: HTMLElement, hand: Hand | null): void {
  if (hand === null) delete field.dataset.verbalon;
  else field.dataset.verbalon = hand;
  field.style.fontStyle = hand === 'pencil' ? 'italic' : '';
  field.style.opacity = hand === 'pencil' ? '0.7' : '';
}
