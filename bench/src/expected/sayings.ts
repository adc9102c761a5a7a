/** What callers say who keep to what is expected, who nearly or loosely do, and who do not. */
import { dictionaryWords, drawFrom, fitWhole, type Grammar } from '@verbalon/core';
import { grammarsOf, USUAL } from '@verbalon/engines/local-ears';
import type { BenchAssistant } from '../turns/assistants.js';
import { pick, sentences, type Half } from '../turns/sentences.js';
import { OTHER_DOMAINS } from '../turns/domains.js';

/** A near saying has a word of its own; a loose one only another small word, which changes nothing. */
export type SayingKind = 'expected' | 'near' | 'loose' | 'other';

export interface Saying {
  kind: SayingKind;
  /** As dictionary words. */
  text: string;
  /** What is asked for when it is said; null where nothing is. */
  asked: string | null;
}

/** A near or loose one shares at least so many words with one that is expected. */
const SHARED_WORDS = 4;
/** Shorter words are small ones. */
const LEAST_LETTERS = 4;
/** So often no more than a few words are said. */
const SHORT = 0.5;
const MOST_SHORT = 3;
/** Of what is asked for, in the grammar of that and of all that is usual. */
const ANSWERS_RULE = 'root-0';
/** So often a caller answers what is asked. */
const ANSWERS = 0.3;

export class Callers {
  private readonly vocabulary: string[];
  private readonly others: string[];
  private readonly grammars: Readonly<Record<string, Grammar>>;

  /** @param half whose callers they are: nobody of the one says what those of the other say */
  constructor(
    assistant: BenchAssistant,
    half: Half,
    private readonly random: () => number,
  ) {
    this.grammars = grammarsOf(assistant.profile!);
    const domains = [assistant.domain, ...Object.values(OTHER_DOMAINS[half])];
    const told = domains.flatMap((domain) => sentences(domain, 60, random).map(({ text }) => plain(text)));
    this.others = told.filter((text) => text !== '');
    this.vocabulary = [...new Set(this.others.flatMap((text) => text.split(' ')))];
  }

  next(kind: SayingKind): Saying {
    const names = Object.keys(this.grammars).filter((name) => name !== USUAL);
    for (;;) {
      const asked = names.length > 0 && this.random() < ANSWERS ? pick(names, this.random) : null;
      const text = this.say(kind, this.grammars[asked ?? USUAL]!, asked !== null);
      if (text !== null) return { kind, text, asked };
    }
  }

  private say(kind: SayingKind, grammar: Grammar, isAnswer: boolean): string | null {
    const { random } = this;
    const isExpected = (words: readonly string[]) => fitWhole(grammar, words) !== null;
    if (kind === 'other') {
      const words = this.other();
      return isExpected(words) ? null : words.join(' ');
    }
    // The first of them is what is asked for.
    const rule =
      isAnswer && kind === 'expected' && Object.hasOwn(grammar.rules, ANSWERS_RULE)
        ? ANSWERS_RULE
        : grammar.root;
    const words = drawFrom(grammar, rule, random);
    if (kind === 'expected') return isExpected(words) ? words.join(' ') : null;
    if (words.length <= SHARED_WORDS) return null;
    const isMeant = (word: string) => word.length >= LEAST_LETTERS === (kind === 'near');
    const places = words.flatMap((word, i) => (isMeant(word) ? [i] : []));
    if (places.length === 0) return null;
    const at = pick(places, random);
    const instead = pick(['change', 'add', 'leave out'], random);
    const other = pick(this.vocabulary.filter(isMeant), random);
    if (instead === 'change') words[at] = other;
    else words.splice(at, instead === 'add' ? 0 : 1, ...(instead === 'add' ? [other] : []));
    return words.length < SHARED_WORDS || isExpected(words) ? null : words.join(' ');
  }

  /** A sentence, or no more than a few words of it. */
  private other(): string[] {
    const { random } = this;
    const words = pick(this.others, random).split(' ');
    if (random() >= SHORT) return words;
    const from = Math.floor(random() * words.length);
    return words.slice(from, from + 1 + Math.floor(MOST_SHORT * random()));
  }
}

const plain = (text: string) => dictionaryWords(text).join(' ');
