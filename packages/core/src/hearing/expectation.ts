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

export class ExpectedPhrases {
  private readonly templates: Part[][];

  /** @throws Fault `phrase-malformed` */
  constructor({ phrases, slots }: Expected) {
    this.templates = phrases.map((phrase) => readTemplate(phrase, slots ?? {}, dictionaryWords));
  }

  /** `words` in lower case; the longest stretch of them, up to the last, that fits a phrase counts. */
  match(words: readonly string[]): Fit | null {
    const said = words.filter((word) => !/^(?:um|uh|er|erm)$/.test(word));
    for (let from = 0; said.length - from >= LEAST_WORDS; from++) {
      const rest = said.slice(from);
      const found = { whole: false, begun: false, more: false };
      for (const template of this.templates) {
        const one = { whole: false, begun: false, more: false };
        one.whole = walk(template, rest, [0], one).includes(rest.length);
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
