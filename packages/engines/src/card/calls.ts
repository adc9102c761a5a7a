/** The functions that a model wants called, put together from what comes of them. */
import type { Call } from '@verbalon/core';
import type { ReadRule } from '@verbalon/protocol';
import { at } from './pointer.js';

/** Of one answer. */
const MOST_CALLS = 32;
const MOST_ARGUMENT_CHARACTERS = 100_000;

type CallRule = NonNullable<ReadRule['call']>;

interface Pending {
  key: string;
  id: string;
  name: string;
  /** Whole, or undefined where they come as text. */
  whole: unknown;
  text: string;
}

const textAt = (value: unknown, pointer: string | undefined): string => {
  const found = pointer === undefined ? undefined : at(value, pointer);
  return typeof found === 'string' || typeof found === 'number' ? String(found) : '';
};

export class Calls {
  private readonly pending: Pending[] = [];

  /** @returns whether the message held anything of a call */
  take(rule: CallRule, message: unknown): boolean {
    const listed = rule.list === undefined ? [message] : at(message, rule.list);
    if (!Array.isArray(listed)) return false;
    return listed.map((one: unknown) => this.takeOne(rule, one)).some(Boolean);
  }

  /** All of them; arguments that are no JSON stay the text that they are. */
  all(): Call[] {
    return this.pending.map(({ id, name, whole, text }, i) => ({
      id: id === '' ? `call-${i + 1}` : id,
      name,
      arguments: whole ?? parsed(text),
    }));
  }

  private takeOne(rule: CallRule, one: unknown): boolean {
    const id = textAt(one, rule.id);
    const name = textAt(one, rule.name);
    const given = rule.arguments === undefined ? undefined : at(one, rule.arguments);
    if (name === '' && given === undefined) return false;
    const key = rule.index === undefined ? id : textAt(one, rule.index);
    const call = this.find(key, name, id);
    if (!call) return false;
    if (call.name === '') call.name = name;
    if (typeof given === 'string') call.text = (call.text + given).slice(0, MOST_ARGUMENT_CHARACTERS);
    else if (given !== undefined && given !== null) call.whole = given;
    return true;
  }

  /** The call that this is a piece of: by its key; without one, the last; a name begins another. */
  private find(key: string, name: string, id: string): Pending | null {
    const known =
      key === ''
        ? name === ''
          ? this.pending.at(-1)
          : undefined
        : this.pending.find((one) => one.key === key);
    if (known) return known;
    if (name === '' || this.pending.length >= MOST_CALLS) return null;
    const call: Pending = { key, id, name, whole: undefined, text: '' };
    this.pending.push(call);
    return call;
  }
}

function parsed(text: string): unknown {
  if (text.trim() === '') return {};
  try {
    return JSON.parse(text);
  } catch {
    return text;
  }
}
