/** Do the words so far make one of the phrases that an assistant expects, whole, or only its beginning? */
import { readTemplate, type Part } from '../language/template.js';
import { dictionaryWords, type Expected } from './expected-phrases.js';

/** `whole`: a phrase may end here; `begun`: one has begun and wants more; `more`: words that may be left out could follow. */
export interface Fit {
  whole: boolean;
  begun: boolean;
  more: boolean;
}

/** At least so many words must fit before this says anything. */
const LEAST_WORDS = 2;
/** Said before a phrase as often as not. */
const LEAD_INS = new Set('um uh er erm well so and hello hi hey okay please yes no oh'.split(' '));

interface Template {
  parts: Part[];
  /** Words with which it may begin; null for any. */
  begins: ReadonlySet<string> | null;
}

export class ExpectedPhrases {
  private readonly templates: Template[];
  /** All words of the phrases. */
  readonly words: ReadonlySet<string>;

  /** @throws Fault `phrase-malformed` */
  constructor({ phrases, slots }: Expected) {
    const read = phrases.map((phrase) => readTemplate(phrase, slots ?? {}, dictionaryWords));
    this.templates = read.map((parts) => ({ parts, begins: beginningsOf(parts) }));
    this.words = new Set(read.flatMap(wordsOf));
  }

  /** `words` in lower case; the longest stretch of them, up to the last, that fits a phrase counts. */
  match(words: readonly string[]): Fit | null {
    const said = words.filter((word) => !/^(?:um|uh|er|erm)$/.test(word));
    for (let from = 0; said.length - from >= LEAST_WORDS; from++) {
      const rest = said.slice(from);
      const found = { whole: false, begun: false, more: false };
      for (const { parts, begins } of this.templates) {
        if (begins && !begins.has(rest[0]!)) continue;
        const one = { whole: false, begun: false, more: false };
        one.whole = walk(parts, rest, [0], one).includes(rest.length);
        found.whole ||= one.whole;
        found.begun ||= one.begun;
        found.more ||= one.more;
      }
      if (found.whole || found.begun) return found;
      // What comes before a phrase may be a few words of courtesy, not half of another sentence.
      if (from >= 3 && !LEAD_INS.has(said[from]!)) return null;
    }
    return null;
  }
}

/** The words with which the parts may begin; null where that may be any word, or none. */
function beginningsOf(parts: readonly Part[]): Set<string> | null {
  const found = new Set<string>();
  for (const part of parts) {
    if (part.kind === 'anything') return null;
    if (part.kind === 'word') return found.add(part.word);
    const options = part.kind === 'slot' ? part.values.map(({ parts: value }) => value) : part.options;
    const begins = options.map(beginningsOf);
    for (const one of begins) for (const word of one ?? []) found.add(word);
    // One of them may be left out: then what comes next begins it.
    if (begins.every((one) => one !== null)) return found;
    if (options.some((option, i) => begins[i] === null && option.length > 0)) return null;
  }
  return null;
}

function wordsOf(parts: readonly Part[]): string[] {
  return parts.flatMap((part) => {
    if (part.kind === 'word') return [part.word];
    if (part.kind === 'anything') return [];
    return (part.kind === 'slot' ? part.values.map(({ parts: value }) => value) : part.options).flatMap(
      wordsOf,
    );
  });
}

/** Where the parts may end, from these places on; says in `found` if the words ran out while more was wanted. */
function walk(parts: readonly Part[], words: readonly string[], from: number[], found: Fit): number[] {
  let places = from;
  for (const part of parts) {
    places = [...new Set(places.flatMap((at) => step(part, words, at, found)))];
    if (places.length === 0) return [];
  }
  return places;
}

function step(part: Part, words: readonly string[], at: number, found: Fit): number[] {
  if (part.kind === 'word') {
    if (at === words.length) {
      found.begun = true;
      return [];
    }
    return words[at] === part.word ? [at + 1] : [];
  }
  if (part.kind === 'anything') return Array.from({ length: words.length - at + 1 }, (_, i) => at + i);
  const options = part.kind === 'slot' ? part.values.map(({ parts }) => parts) : part.options;
  const optional = options.some((option) => option.length === 0);
  const places = options.flatMap((option) => {
    if (option.length === 0) return [at];
    // An optional part that has not begun does not mean that more is wanted.
    if (at < words.length || !optional) return walk(option, words, [at], found);
    found.more = true;
    return [];
  });
  return places;
}
