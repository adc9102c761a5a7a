/**
 * Templates of what people say: `(a|b)` is one of them, `[a]` may be left out, `<slot>` is one of the slot's
 * values, as in the JSpeech Grammar Format (W3C Note, 5 June 2000, sections 4.3 to 4.6, where slots are
 * rules). What that format does not know:
 * `...` is anything, and `<card: digits 4>` is an open slot, of whose values there is no list; `<card*>`
 * takes any words. Expected phrases and the patterns of authored answers are written in them.
 */
import { Fault } from '../common/faults.js';

/** A slot's values; a value is a template too and may use other slots. */
export type Slots = Readonly<Record<string, readonly string[]>>;

/** What an open slot holds: any words, so many digits, a whole number, or a day. */
export const OPEN_KINDS = ['words', 'digits', 'count', 'date'] as const;
export type OpenKind = (typeof OPEN_KINDS)[number];

/** Can a slot read these words? @param whole all that was said, as it was written */
export type Reads = (words: string, whole: string) => boolean;

export type Part =
  /** `length`: of digits; 0 for any number of them. `reads`: of any words those that the slot can read. */
  | { kind: 'open'; name: string; of: OpenKind; length: number; reads?: Reads }
  | { kind: 'word'; word: string }
  | { kind: 'choice'; options: Part[][] }
  | { kind: 'slot'; name: string; values: { text: string; parts: Part[] }[] }
  | { kind: 'anything' };

/**
 * A template that may say more different things than this is a mistake, and so is one that may be longer, in
 * words.
 */
const MOST_FORMS = 1_000_000_000;
const MOST_WORDS = 200;

/** How many different things parts may say, and how long the longest of them is, in words. */
interface Size {
  forms: number;
  words: number;
}

/**
 * Reads templates that share slots. A slot is read once, and its part stands in every place that names it:
 * slots within slots take no more room than they are written with, and whoever walks over parts may remember
 * what a slot came to.
 */
export class Templates {
  private readonly slots = new Map<string, Extract<Part, { kind: 'slot' }>>();
  private readonly sizes = new Map<Part, Size>();

  /**
   * @param words makes plain words of what is written @param readers slots without a list, by what they can
   * read
   */
  constructor(
    private readonly values: Slots,
    readonly words: (text: string) => string[],
    private readonly readers: Readonly<Record<string, Reads>> = {},
  ) {}

  /**
   * @throws Fault `phrase-malformed` for no words, an open bracket, an unknown slot, slots that hold each
   * other in a loop, more than MOST_FORMS forms or more than MOST_WORDS words
   */
  read(template: string): Part[] {
    const parts = new TemplateReader(template, this, []).read();
    const { forms, words } = this.sizeOfRow(parts);
    const refuse = (what: string): never => {
      throw new Fault('phrase-malformed', `"${template}": this phrase ${what}`);
    };
    if (forms > MOST_FORMS)
      refuse(`has more than ${MOST_FORMS.toLocaleString('en')} forms: write fewer alternatives`);
    if (words > MOST_WORDS) refuse(`may be more than ${MOST_WORDS} words long: write a shorter one`);
    return parts;
  }

  /**
   * @param within the slots whose values are being read
   * @throws Fault `phrase-malformed`
   */
  slot(name: string, within: readonly string[]): Part {
    const fail = (what: string): never => {
      throw new Fault('phrase-malformed', what);
    };
    if (Object.hasOwn(this.readers, name))
      return { kind: 'open', name, of: 'words', length: 0, reads: this.readers[name]! };
    if (within.includes(name)) fail(`slots hold each other in a loop: ${[...within, name].join(' → ')}`);
    if (!Object.hasOwn(this.values, name))
      fail(`the slot <${name}> is not given; slots are ${Object.keys(this.values).join(', ') || 'none'}`);
    const known = this.slots.get(name);
    if (known) return known;
    const parts = (text: string) => new TemplateReader(text, this, [...within, name]).read();
    const slot = {
      kind: 'slot' as const,
      name,
      values: this.values[name]!.map((text) => ({ text, parts: parts(text) })),
    };
    this.slots.set(name, slot);
    return slot;
  }

  private sizeOfRow(parts: readonly Part[]): Size {
    const sizes = parts.map((part) => this.sizeOf(part));
    return {
      forms: sizes.reduce((product, { forms }) => product * forms, 1),
      words: sizes.reduce((sum, { words }) => sum + words, 0),
    };
  }

  private sizeOf(part: Part): Size {
    if (part.kind === 'word') return { forms: 1, words: 1 };
    if (part.kind === 'anything') return { forms: 1, words: 0 };
    if (part.kind === 'open') return { forms: 1, words: Math.max(1, part.length) };
    const known = this.sizes.get(part);
    if (known) return known;
    const options = optionsOf(part).map((option) => this.sizeOfRow(option));
    const size = {
      forms: options.reduce((sum, { forms }) => sum + forms, 0),
      words: options.reduce((most, { words }) => Math.max(most, words), 0),
    };
    this.sizes.set(part, size);
    return size;
  }
}

/**
 * How many parts of the row must be said at least.
 * @param counts which open parts count: all of them, or only those that do not take any words
 */
export function leastSaid(parts: readonly Part[], counts: 'all' | 'telling'): number {
  const least = (part: Part): number => {
    if (part.kind === 'word') return 1;
    if (part.kind === 'anything') return 0;
    if (part.kind === 'open')
      return Number(counts === 'all' || part.of !== 'words' || part.reads !== undefined);
    return Math.min(...optionsOf(part).map((option) => leastSaid(option, counts)));
  };
  return parts.reduce((sum, part) => sum + least(part), 0);
}

/** Of a choice or a slot: the rows of parts of which one is said. */
export function optionsOf(part: Extract<Part, { kind: 'choice' | 'slot' }>): Part[][] {
  return part.kind === 'slot' ? part.values.map(({ parts }) => parts) : part.options;
}

class TemplateReader {
  private readonly tokens: string[];
  private at = 0;

  constructor(
    private readonly template: string,
    private readonly templates: Templates,
    /** The slots whose values are being read. */
    private readonly within: readonly string[],
  ) {
    this.tokens = template.match(/[()[\]|]|<[^>]*>?|\{[^}]*\}?|\.\.\.|…|[^()[\]|<>{}\s]+/g) ?? [];
  }

  read(): Part[] {
    const options = this.options('');
    const parts: Part[] = options.length === 1 ? options[0]! : [{ kind: 'choice', options }];
    return parts.length > 0 ? parts : this.fail('it has no words');
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
    if (token === '...' || token === '…') return [{ kind: 'anything' }];
    if (token === '(') return [{ kind: 'choice', options: this.options(')') }];
    if (token === '[') return [{ kind: 'choice', options: [[], ...this.options(']')] }];
    if (token === ')' || token === ']') this.fail(`"${token}" has no beginning`);
    if (token.startsWith('{'))
      this.fail(`slots are written in angle brackets here: <${token.slice(1).replace('}', '')}>`);
    if (!token.startsWith('<')) return this.templates.words(token).map((word) => ({ kind: 'word', word }));
    const open = openSlot(token.slice(1, -1));
    if (typeof open === 'string') this.fail(open);
    if (open) return [open];
    try {
      return [this.templates.slot(token.slice(1, -1), this.within)];
    } catch (error) {
      // Told with the innermost template: that is where the mistake stands.
      if (error instanceof Fault && !error.detail.startsWith('"')) this.fail(error.detail);
      throw error;
    }
  }
}

/**
 * `name: kind`, `name: digits 4` or `name*`. @returns null for a slot with a list, what is wrong for one that
 * cannot be read
 */
function openSlot(text: string): Part | string | null {
  const [, any] = /^\s*([A-Za-z][\w-]*)\*\s*$/.exec(text) ?? [];
  if (any !== undefined) return { kind: 'open', name: any, of: 'words', length: 0 };
  if (!text.includes(':')) return null;
  const [, name, of, length] = /^\s*([A-Za-z][\w-]*)\s*:\s*([a-z]+)(?:\s+(\d{1,2}))?\s*$/.exec(text) ?? [];
  const kind = OPEN_KINDS.find((one) => one === of);
  if (name === undefined || kind === undefined || (length !== undefined && kind !== 'digits'))
    return `<${text}> is no open slot: write <name: words>, <name: digits 4>, <name: count> or <name: date>`;
  return { kind: 'open', name, of: kind, length: Number(length ?? 0) };
}
