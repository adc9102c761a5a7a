/**
 * Patterns of authored answers: `(a|b)` is one of them, `[a]` may be left out, `{slot}` is one of the slot's values and is
 * remembered, `...` is anything. A pattern fits a whole saying; polite words at both ends do not count.
 */
import { languageOf } from '../language/language.js';
import { readTemplate, type Part, type Slots } from '../language/template.js';

export interface Pattern {
  /** Equal for patterns that fit the same in the same way. */
  readonly key: string;
  /** Slots that it fills whenever it fits, and those that it may fill. */
  readonly certain: ReadonlySet<string>;
  readonly possible: ReadonlySet<string>;
  /** What the slots hold, as their values are written; `score`: the more words were said for certain, the higher. */
  match(text: string): { values: Record<string, string>; score: number } | null;
}

const POLITE = new Set(
  'please hello hi hey um uh er erm oh well so thanks thank you good morning evening afternoon'.split(' '),
);
const plain = (text: string) => languageOf('en').plain(text);

/** @throws Fault `phrase-malformed` for an open bracket, an unknown slot, or slots that hold each other in a loop. */
export function compilePattern(template: string, slots: Slots): Pattern {
  const parts = readTemplate(template, slots, plain);
  return {
    key: keyOf(parts),
    certain: slotsIn(parts, true),
    possible: slotsIn(parts, false),
    match: (text) => bestMatch(parts, plain(text)),
  };
}

interface State {
  at: number;
  values: Record<string, string>;
  score: number;
}

function bestMatch(parts: readonly Part[], words: string[]) {
  let best: State | null = null;
  for (let from = 0; from <= words.length; from++) {
    for (const end of walk(parts, words, { at: from, values: {}, score: 0 })) {
      const isWhole = words.slice(end.at).every((word) => POLITE.has(word));
      if (isWhole && end.at > from && (!best || end.score > best.score)) best = end;
    }
    if (!POLITE.has(words[from] ?? '')) break;
  }
  return best && { values: best.values, score: best.score };
}

/** All places to which the parts fit from a place on; of several ways to one place, the best. */
function walk(parts: readonly Part[], words: readonly string[], from: State): State[] {
  let states = [from];
  for (const part of parts) {
    const best = new Map<number, State>();
    for (const next of states.flatMap((state) => step(part, words, state))) {
      const known = best.get(next.at);
      if (!known || next.score > known.score) best.set(next.at, next);
    }
    states = [...best.values()];
  }
  return states;
}

function step(part: Part, words: readonly string[], state: State): State[] {
  switch (part.kind) {
    case 'word':
      return words[state.at] === part.word ? [{ ...state, at: state.at + 1, score: state.score + 2 }] : [];
    case 'choice':
      return part.options.flatMap((option) => walk(option, words, state));
    case 'slot':
      return part.values.flatMap(({ text, parts }) =>
        walk(parts, words, state).map((next) => ({
          ...next,
          values: { ...next.values, [part.name]: filled(text, next.values) },
        })),
      );
    case 'anything':
      return Array.from({ length: words.length - state.at + 1 }, (_, i) => ({ ...state, at: state.at + i }));
  }
}

/** A slot's value may name other slots; what was said for these stands in their place. */
function filled(text: string, values: Record<string, string>): string {
  return text.replace(/\{([^}]*)\}/g, (_, name: string) => values[name] ?? '');
}

function keyOf(parts: readonly Part[]): string {
  return parts
    .map((part) => {
      if (part.kind === 'word') return part.word;
      if (part.kind === 'slot') return `{${part.name}}`;
      if (part.kind === 'anything') return '...';
      return `(${part.options.map(keyOf).sort().join('|')})`;
    })
    .join(' ');
}

function slotsIn(parts: readonly Part[], certain: boolean): Set<string> {
  const found = new Set<string>();
  for (const part of parts) {
    if (part.kind === 'slot') found.add(part.name);
    if (part.kind !== 'choice') continue;
    const each = part.options.map((option) => slotsIn(option, certain));
    for (const name of each.flatMap((names) => [...names]))
      if (!certain || each.every((names) => names.has(name))) found.add(name);
  }
  return found;
}
