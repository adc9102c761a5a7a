/**
 * Expected phrases: templates with alternatives `(a|b)`, parts that may be left out `[a]` and slots `{hut}`,
 * written out as plain sentences from which a small language model is made.
 */
import { Fault } from '../faults.js';
import { seeded } from '../seeded.js';

/** So many sentences are drawn from each template, repeats included: every template counts alike, long or short. */
const SENTENCES_A_TEMPLATE = 60;
const SEED = 7;

type Part = { kind: 'word'; word: string } | { kind: 'choice'; options: Part[][] };

export interface Expected {
  phrases: readonly string[];
  slots?: Readonly<Record<string, readonly string[]>>;
}

/** Words in the form in which a recogniser knows them: lower case, no marks but the apostrophe. */
export function dictionaryWords(text: string): string[] {
  return text
    .toLowerCase()
    .replace(/’/g, "'")
    .replace(/[^\p{L}\p{N}'\s]/gu, ' ')
    .split(/\s+/)
    .filter(Boolean);
}

/**
 * Sentences that stand for all that the templates allow; each is a list of dictionary words.
 * @throws Fault `phrase-malformed` for an open bracket or an unknown slot.
 */
export function expandPhrases(expected: Expected): string[][] {
  const random = seeded(SEED);
  const sentences: string[][] = [];
  for (const template of expected.phrases) {
    const parts = new TemplateReader(template, expected.slots ?? {}).read();
    for (let i = 0; i < SENTENCES_A_TEMPLATE; i++) {
      const words = draw(parts, random);
      if (words.length > 0) sentences.push(words);
    }
  }
  return sentences;
}

function draw(parts: readonly Part[], random: () => number): string[] {
  return parts.flatMap((part) => {
    if (part.kind === 'word') return [part.word];
    return draw(part.options[Math.floor(random() * part.options.length)] ?? [], random);
  });
}

class TemplateReader {
  private readonly tokens: string[];
  private at = 0;

  constructor(
    private readonly template: string,
    private readonly slots: Readonly<Record<string, readonly string[]>>,
  ) {
    this.tokens = template.match(/[()[\]|]|\{[^}]*\}?|[^()[\]|{}\s]+/g) ?? [];
  }

  read(): Part[] {
    const options = this.options('');
    return options.length === 1 ? options[0]! : [{ kind: 'choice', options }];
  }

  private fail(what: string): never {
    throw new Fault('phrase-malformed', `"${this.template}": ${what}`);
  }

  /** Alternatives up to `close`. */
  private options(close: string): Part[][] {
    const options: Part[][] = [[]];
    for (;;) {
      const token = this.tokens[this.at++];
      if (token === undefined) return close === '' ? options : this.fail(`a "${close}" is missing`);
      if (token === close) return options;
      if (token === '|') options.push([]);
      else options.at(-1)!.push(...this.part(token));
    }
  }

  private part(token: string): Part[] {
    if (token === '(') return [{ kind: 'choice', options: this.options(')') }];
    if (token === '[') return [{ kind: 'choice', options: [[], ...this.options(']')] }];
    if (token === ')' || token === ']') this.fail(`"${token}" has no beginning`);
    if (!token.startsWith('{')) return dictionaryWords(token).map((word) => ({ kind: 'word', word }));
    const values = this.slots[token.slice(1, -1)];
    if (!values)
      this.fail(`the slot ${token} is not given; slots are ${Object.keys(this.slots).join(', ') || 'none'}`);
    return [
      {
        kind: 'choice',
        options: values!.map((value) =>
          dictionaryWords(value).map((word) => ({ kind: 'word' as const, word })),
        ),
      },
    ];
  }
}
