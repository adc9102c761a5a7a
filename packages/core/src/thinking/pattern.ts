/**
 * Patterns of authored answers: `(a|b)` is one of them, `[a]` may be left out, `<slot>` is one of the slot's
 * values and is remembered, `<name: words>` and its like are open slots, `<name*>` takes any words, `...` is
 * anything. A pattern fits a whole saying; polite words at both ends do not count.
 */
import type { Language } from '../language/common/contract.js';
import { languageOf } from '../language/language.js';
import { leastSaid, Templates, type Part, type Reads, type Slots } from '../language/template.js';
import { openFits } from './open-slots.js';

export interface Pattern {
  readonly template: string;
  /** Equal for patterns that fit the same in the same way. */
  readonly key: string;
  /** Slots that it fills whenever it fits, and those that it may fill. */
  readonly certain: ReadonlySet<string>;
  readonly possible: ReadonlySet<string>;
  /** A slot that it names twice in a row: the second value would take the place of the first. */
  readonly twice: string | null;
  readonly parts: readonly Part[];
  /** It fits an empty saying: all of it may be left out. */
  readonly fitsNothing: boolean;
  /** It fits whatever is said: it has no word, and no slot that can read but some words. */
  readonly fitsAll: boolean;
  /**
   * What the slots hold, as their values are written; `score`: the more words were said for certain, the
   * higher.
   */
  match(text: string): { values: Record<string, string>; score: number } | null;
}

/** Templates of patterns that share slots. @param readers slots without a list, by what they can read */
export function patternTemplates(
  slots: Slots,
  language: string,
  readers: Readonly<Record<string, Reads>> = {},
): Templates {
  return new Templates(slots, (text) => spokenWords(text, language), readers);
}

/** Digits stand by themselves: how they are grouped is told by the pattern, not by who wrote them down. */
export function spokenWords(text: string, language: string): string[] {
  const words = languageOf(language).plain(text);
  return words.flatMap((word) => (/^\d+$/.test(word) ? [...word] : [word]));
}

/** @throws Fault `phrase-malformed` for a template that cannot be read */
export function compilePattern(template: string, templates: Templates, language: string): Pattern {
  const parts = templates.read(template);
  const polite = new Set(languageOf(language).polite);
  return {
    template,
    parts,
    key: keyOf(parts),
    certain: slotsIn(parts, true),
    possible: slotsIn(parts, false),
    twice: slotTwice(parts),
    fitsNothing: leastSaid(parts, 'all') === 0,
    fitsAll: leastSaid(parts, 'telling') === 0,
    match: (text) => bestMatch(parts, text, language, polite),
  };
}

/** How far a pattern fits: up to which word, with what slots. */
interface Fitted {
  at: number;
  values: Record<string, string>;
  score: number;
}

function bestMatch(parts: readonly Part[], text: string, language: string, polite: ReadonlySet<string>) {
  let best: Fitted | null = null;
  const words = spokenWords(text, language);
  const walk = new Walk(words, text, languageOf(language));
  for (let from = 0; from <= words.length; from++) {
    for (const end of walk.over(parts, from)) {
      const isWhole = words.slice(end.at).every((word) => polite.has(word));
      if (isWhole && end.at > from && (!best || end.score > best.score)) best = end;
    }
    if (!polite.has(words[from] ?? '')) break;
  }
  return best && { values: best.values, score: best.score };
}

/** Fits patterns to words. What a choice or a slot comes to from a place is worked out once. */
class Walk {
  private readonly known = new Map<Part, Map<number, Fitted[]>>();

  constructor(
    private readonly words: readonly string[],
    private readonly whole: string,
    private readonly language: Language,
  ) {}

  /** All places to which the parts fit from a place on; of several ways to one place, the best. */
  over(parts: readonly Part[], from: number): Fitted[] {
    let states: Fitted[] = [{ at: from, values: {}, score: 0 }];
    for (const part of parts)
      states = bestOfEach(
        states.flatMap(({ at, values, score }) =>
          this.step(part, at).map((next) => ({
            at: next.at,
            values: { ...values, ...next.values },
            score: score + next.score,
          })),
        ),
      );
    return states;
  }

  private step(part: Part, at: number): Fitted[] {
    const { words, language } = this;
    if (part.kind === 'word') return words[at] === part.word ? [{ at: at + 1, values: {}, score: 2 }] : [];
    if (part.kind === 'anything')
      return Array.from({ length: words.length - at + 1 }, (_, i) => ({ at: at + i, values: {}, score: 0 }));
    if (part.kind === 'open')
      return openFits(part, words, at, language)
        .filter(({ text }) => part.reads?.(text, this.whole) ?? true)
        .map(({ to, text }) => ({ at: to, values: { [part.name]: text }, score: 1 }));
    const places = this.known.get(part) ?? new Map<number, Fitted[]>();
    this.known.set(part, places);
    const known = places.get(at) ?? bestOfEach(this.choose(part, at));
    places.set(at, known);
    return known;
  }

  private choose(part: Extract<Part, { kind: 'choice' | 'slot' }>, at: number): Fitted[] {
    if (part.kind === 'choice') return part.options.flatMap((option) => this.over(option, at));
    return part.values.flatMap(({ text, parts }) =>
      this.over(parts, at).map((next) => ({
        ...next,
        values: { ...next.values, [part.name]: filled(text, next.values) },
      })),
    );
  }
}

function bestOfEach(states: readonly Fitted[]): Fitted[] {
  const best = new Map<number, Fitted>();
  for (const next of states) {
    const known = best.get(next.at);
    if (!known || next.score > known.score) best.set(next.at, next);
  }
  return [...best.values()];
}

/** What was said for a slot; undefined where it was not. */
export function filledSlot(values: Readonly<Record<string, string>>, name: string): string | undefined {
  return Object.hasOwn(values, name) ? values[name] : undefined;
}

/** A slot's value may name other slots; what was said for these stands in their place. */
function filled(text: string, values: Record<string, string>): string {
  return text.replace(/<([^>]*)>/g, (_, name: string) => filledSlot(values, name) ?? '');
}

function keyOf(parts: readonly Part[]): string {
  return parts
    .map((part) => {
      if (part.kind === 'word') return part.word;
      if (part.kind === 'slot') return `<${part.name}>`;
      if (part.kind === 'open') return `<${part.name}: ${part.of} ${part.length}${part.reads ? '' : '*'}>`;
      if (part.kind === 'anything') return '...';
      return `(${part.options.map(keyOf).sort().join('|')})`;
    })
    .join(' ');
}

function slotsIn(parts: readonly Part[], certain: boolean): Set<string> {
  const found = new Set<string>();
  for (const part of parts) {
    if (part.kind === 'slot' || part.kind === 'open') found.add(part.name);
    if (part.kind !== 'choice') continue;
    const each = part.options.map((option) => slotsIn(option, certain));
    for (const name of each.flatMap((names) => [...names]))
      if (!certain || each.every((names) => names.has(name))) found.add(name);
  }
  return found;
}

function slotTwice(parts: readonly Part[]): string | null {
  const seen = new Set<string>();
  for (const part of parts) {
    const names =
      part.kind === 'choice'
        ? slotsIn([part], false)
        : part.kind === 'slot' || part.kind === 'open'
          ? [part.name]
          : [];
    for (const name of names) {
      if (seen.has(name)) return name;
      seen.add(name);
    }
  }
  for (const part of parts)
    if (part.kind === 'choice')
      for (const option of part.options) {
        const twice = slotTwice(option);
        if (twice !== null) return twice;
      }
  return null;
}
