/** Words that appear in a field of the page as they are spoken. */
import type { ServiceMessage } from '@verbalon/protocol';
import type { Hooks } from './contract.js';
import { inHand, setText, tellChange, tellInput } from './field.js';

interface Place {
  before: string;
  after: string;
}

export class Dictation {
  /** What was in the field before each turn, for undo. */
  private readonly earlier: string[] = [];
  /** Around the words that are spoken just now; null between turns. */
  private place: Place | null = null;
  private turn: number | null = null;
  /** What is known for certain of this turn, in its written form. */
  private finals: string[] = [];

  constructor(
    private readonly field: HTMLInputElement | HTMLTextAreaElement,
    private readonly written: Hooks['written'],
  ) {}

  take(message: ServiceMessage): void {
    if (message.kind === 'partial' || message.kind === 'final') {
      if (message.turn !== this.turn) this.settle();
      this.turn = message.turn;
      if (message.kind === 'final') this.finals.push(message.text);
      this.write(message.kind === 'final' ? this.finals.join(' ') : `${message.settled} ${message.open}`);
    }
    if (message.kind === 'state' && message.state !== 'working') this.settle();
    if (message.kind === 'unheard') this.giveUp();
  }

  /** What stands there is all that comes. */
  settle(): void {
    this.finals = [];
    if (this.place === null) return;
    this.place = null;
    inHand(this.field, 'ink');
    tellChange(this.field);
  }

  /** The field as it was before the last turn. */
  undo(): void {
    const text = this.earlier.pop();
    if (text === undefined) return;
    this.place = null;
    this.finals = [];
    setText(this.field, text);
    inHand(this.field, null);
    tellInput(this.field, null);
    tellChange(this.field);
  }

  private write(spoken: string): void {
    const heard = spoken.trim().replace(/\s+/g, ' ');
    const text = this.written === undefined ? heard : this.written(heard, this.field.name || this.field.id);
    if (text === null) return this.giveUp();
    this.place ??= this.begin();
    const { before, after } = this.place;
    const gap = before === '' || /\s$/.test(before) ? '' : ' ';
    const behind = after === '' || /^[\s.,;:!?]/.test(after) ? '' : ' ';
    const value = `${before}${gap}${text}${behind}${after}`;
    setText(this.field, value);
    const caret = value.length - after.length - behind.length;
    // Only fields of text have a caret.
    if (this.field.selectionStart !== null) this.field.setSelectionRange(caret, caret);
    inHand(this.field, 'pencil');
    tellInput(this.field, text);
  }

  private begin(): Place {
    const { value, selectionStart, selectionEnd } = this.field;
    this.earlier.push(value);
    // Where the person's caret is, or was last; in a field that nobody has been in (its caret is at 0), at
    // its end.
    const from = selectionStart || value.length;
    const to = Math.max(from, selectionEnd ?? from);
    return { before: value.slice(0, from), after: value.slice(to) };
  }

  /** Nothing came of this turn: the field is as it was. */
  private giveUp(): void {
    if (this.place) this.undo();
  }
}
