/** Patterns that stand in the way of each other. */
import { optionsOf, type Part } from '../language/template.js';
import type { AnswerBook } from './authored-answers.js';
import type { Pattern } from './pattern.js';

/**
 * Of the first answers of a book, patterns that can never answer, because another one fits whatever they fit,
 * and fits before.
 */
export function shadowedPatterns(book: AnswerBook): { pattern: string; by: string }[] {
  const all = book.first.flatMap(({ patterns }, answer) => patterns.map((pattern) => ({ pattern, answer })));
  return all.flatMap(({ pattern, answer }) => {
    const forms = formsOf(pattern);
    if (forms === null) return [];
    let by: string | null = null;
    for (const form of forms) {
      const own = pattern.match(form)?.score ?? 0;
      const other = all.find(
        (one, i) =>
          one.answer !== answer &&
          beats(one.pattern.match(form)?.score, own, i < all.findIndex(({ pattern: it }) => it === pattern)),
      );
      if (!other) return [];
      by ??= other.pattern.template;
    }
    return by === null ? [] : [{ pattern: pattern.template, by }];
  });
}

/** Of equal fits the first counts. */
const beats = (score: number | undefined, own: number, isBefore: boolean) =>
  score !== undefined && (score > own || (score === own && isBefore));

const MOST_FORMS_LOOKED_AT = 200;

/** All that a pattern may be said as; null for one with too many forms, or with open ones. */
function formsOf({ parts }: Pattern): string[] | null {
  const rows = (row: readonly Part[], from: readonly string[]): string[] | null => {
    let found: string[] = [...from];
    for (const part of row) {
      if (part.kind === 'anything' || part.kind === 'open') return null;
      const next = part.kind === 'word' ? found.map((one) => `${one} ${part.word}`) : choices(part, found);
      if (next === null || next.length > MOST_FORMS_LOOKED_AT) return null;
      found = next;
    }
    return found;
  };
  const choices = (
    part: Extract<Part, { kind: 'choice' | 'slot' }>,
    from: readonly string[],
  ): string[] | null => {
    const all: string[] = [];
    for (const option of optionsOf(part)) {
      const some = rows(option, from);
      if (some === null) return null;
      all.push(...some);
    }
    return all;
  };
  return (
    rows(parts, [''])
      ?.map((form) => form.trim())
      .filter(Boolean) ?? null
  );
}
