/** What a system outside gave back, brought within bounds before anything is said of it. */
import { atPointer } from '@verbalon/engines';

/** An answer is not longer, in bytes; what is said of it, in characters. */
export const MOST_ANSWER_BYTES = 200_000;
const MOST_TEXT = 4_000;

export type Given = Record<string, string>;

/** As text that can be kept and said: no markup is meant by it. */
export function saidText(value: unknown): string {
  if (value === null || value === undefined) return '';
  const text = typeof value === 'object' ? JSON.stringify(value) : String(value as string | number | boolean);
  const plain = text
    .toWellFormed()
    .replace(/\p{Cc}+/gu, ' ')
    .trim();
  return plain.length > MOST_TEXT ? `${plain.slice(0, MOST_TEXT)} …` : plain;
}

/** What the pointers name; null where one of them names nothing. */
export function takenFrom(value: unknown, gives: Readonly<Record<string, string>>): Given | null {
  const given: Given = {};
  for (const [name, pointer] of Object.entries(gives)) {
    const found = atPointer(value, pointer);
    if (found === undefined) return null;
    given[name] = saidText(found);
  }
  return given;
}

/** Names and values that code of the project gave back; anything else is its text. */
export function givenBy(value: unknown): { code?: string; given: Given } {
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    return { given: value === undefined || value === null ? {} : { text: saidText(value) } };
  const { outcome, ...rest } = value as Record<string, unknown>;
  const given = Object.fromEntries(
    Object.entries(rest)
      .slice(0, 50)
      .map(([name, one]) => [name, saidText(one)]),
  );
  return typeof outcome === 'string' ? { code: outcome.slice(0, 62), given } : { given };
}
