/** Do the words so far make one of the phrases that an assistant expects, whole, or only its beginning? */
import type { ExpectedWords } from '../language/common/contract.js';
import { languageOf } from '../language/language.js';
import { optionsOf, Templates, type Part } from '../language/template.js';
import { dictionaryWords, type Expected } from './expected-phrases.js';

/**
 * `whole`: a phrase may end here; `begun`: one has begun and wants more; `more`: words that may be left out
 * could follow.
 */
export interface Fit {
  whole: boolean;
  begun: boolean;
  more: boolean;
}

/** At least so many words must fit before this says anything. */
const LEAST_WORDS = 2;
const MOST_OPEN_WORDS = 12;

interface Template {
  parts: Part[];
  /** Words with which it may begin; null for any. */
  begins: ReadonlySet<string> | null;
}

export class ExpectedPhrases {
  private readonly templates: Template[];
  /** All words of the phrases. */
  readonly words: ReadonlySet<string>;
  private readonly language: ExpectedWords;

  /** @param language BCP 47, in which they are said @throws Fault `phrase-malformed` */
  constructor({ phrases, slots }: Expected, language: string) {
    this.language = languageOf(language).expected;
    const templates = new Templates(slots ?? {}, dictionaryWords);
    const read = phrases.map((phrase) => templates.read(phrase));
    const known = new Map<Part, Set<string> | null>();
    this.templates = read.map((parts) => ({ parts, begins: beginningsOf(parts, known) }));
    this.words = wordsOf(read);
  }

  /** `words` in lower case; the longest stretch of them, up to the last, that fits a phrase counts. */
  match(words: readonly string[]): Fit | null {
    const { fillers, leadIns, numbers } = this.language;
    const said = words.filter((word) => !fillers.has(word));
    for (let from = 0; said.length - from >= LEAST_WORDS; from++) {
      const rest = said.slice(from);
      const found = { whole: false, begun: false, more: false };
      for (const { parts, begins } of this.templates) {
        if (begins && !begins.has(rest[0]!)) continue;
        const one = { whole: false, begun: false, more: false };
        one.whole = new Walk(rest, one, numbers).over(parts, [0]).includes(rest.length);
        found.whole ||= one.whole;
        found.begun ||= one.begun;
        found.more ||= one.more;
      }
      if (found.whole || found.begun) return found;
      // What comes before a phrase may be a few words of courtesy, not half of another sentence.
      if (from >= 3 && !leadIns.has(said[from]!)) return null;
    }
    return null;
  }
}

/**
 * The words with which the parts may begin; null where that may be any word, or none.
 * @param known what was found of choices and slots before
 */
function beginningsOf(parts: readonly Part[], known: Map<Part, Set<string> | null>): Set<string> | null {
  const found = new Set<string>();
  for (const part of parts) {
    if (part.kind === 'anything' || part.kind === 'open') return null;
    if (part.kind === 'word') return found.add(part.word);
    if (!known.has(part)) known.set(part, beginningsOfOne(optionsOf(part), known));
    const begins = known.get(part)!;
    if (begins === null) return null;
    for (const word of begins) found.add(word);
    // One of them may be left out: then what comes next begins it.
    if (optionsOf(part).every((option) => option.length > 0)) return found;
  }
  return null;
}

/** As above, of a choice: what may be left out does not begin with just any word. */
function beginningsOfOne(
  options: readonly Part[][],
  known: Map<Part, Set<string> | null>,
): Set<string> | null {
  const found = new Set<string>();
  for (const option of options) {
    const begins = option.length === 0 ? new Set<string>() : beginningsOf(option, known);
    if (begins === null) return null;
    for (const word of begins) found.add(word);
  }
  return found;
}

/** All words that the rows of parts may say. */
export function wordsOf(rows: readonly (readonly Part[])[]): Set<string> {
  const found = new Set<string>();
  const seen = new Set<Part>();
  const open = [...rows];
  for (let row = open.pop(); row; row = open.pop())
    for (const part of row) {
      if (part.kind === 'word') found.add(part.word);
      if (part.kind === 'word' || part.kind === 'anything' || part.kind === 'open' || seen.has(part))
        continue;
      seen.add(part);
      open.push(...optionsOf(part));
    }
  return found;
}

/**
 * Fits templates to words; says in `found` if the words ran out while more was wanted. What a part comes to
 * from a place is worked out once.
 */
class Walk {
  private readonly known = new Map<Part, Map<number, number[]>>();

  constructor(
    private readonly words: readonly string[],
    private readonly found: Fit,
    private readonly numbers: ReadonlySet<string>,
  ) {}

  /** Where the parts may end, from these places on. */
  over(parts: readonly Part[], from: number[]): number[] {
    let places = from;
    for (const part of parts) {
      places = [...new Set(places.flatMap((at) => this.step(part, at)))];
      if (places.length === 0) return [];
    }
    return places;
  }

  private step(part: Part, at: number): number[] {
    const { words, found } = this;
    if (part.kind === 'word') {
      if (at === words.length) {
        found.begun = true;
        return [];
      }
      return words[at] === part.word ? [at + 1] : [];
    }
    if (part.kind === 'open') return this.open(part, at);
    if (part.kind === 'anything') return Array.from({ length: words.length - at + 1 }, (_, i) => at + i);
    const places = this.known.get(part) ?? new Map<number, number[]>();
    this.known.set(part, places);
    const known = places.get(at) ?? [...new Set(this.choose(optionsOf(part), at))];
    places.set(at, known);
    return known;
  }

  /** An open slot that is not full yet wants more. */
  private open({ of, length }: Extract<Part, { kind: 'open' }>, at: number): number[] {
    const { words, found } = this;
    let to = at;
    while (to < words.length && (of === 'words' || of === 'date' || this.isNumber(words[to]!))) to++;
    const least = of === 'digits' && length > 0 ? length : 1;
    const most = of === 'digits' && length > 0 ? length : MOST_OPEN_WORDS;
    if (to === words.length && to - at < least) found.begun = true;
    return Array.from({ length: Math.max(0, Math.min(to - at, most) - least + 1) }, (_, i) => at + least + i);
  }

  private isNumber(word: string): boolean {
    return this.numbers.has(word) || /^\d+$/.test(word);
  }

  private choose(options: readonly Part[][], at: number): number[] {
    const optional = options.some((option) => option.length === 0);
    return options.flatMap((option) => {
      if (option.length === 0) return [at];
      // An optional part that has not begun does not mean that more is wanted.
      if (at < this.words.length || !optional) return this.over(option, [at]);
      this.found.more = true;
      return [];
    });
  }
}
