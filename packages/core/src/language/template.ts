/**
 * Templates of what people say: `(a|b)` is one of them, `[a]` may be left out, `{slot}` is one of the slot's values,
 * `...` is anything. Expected phrases and the patterns of authored answers are written in them.
 */
import { Fault } from '../faults.js';

/** A slot's values; a value is a template too and may use other slots. */
export type Slots = Readonly<Record<string, readonly string[]>>;

export type Part =
  | { kind: 'word'; word: string }
  | { kind: 'choice'; options: Part[][] }
  | { kind: 'slot'; name: string; values: { text: string; parts: Part[] }[] }
  | { kind: 'anything' };

/**
 * @param words makes plain words of what is written
 * @throws Fault `phrase-malformed` for no words, an open bracket, an unknown slot, or slots that hold each other in a loop
 */
export function readTemplate(template: string, slots: Slots, words: (text: string) => string[]): Part[] {
  return new TemplateReader(template, slots, words, []).read();
}

class TemplateReader {
  private readonly tokens: string[];
  private at = 0;

  constructor(
    private readonly template: string,
    private readonly slots: Slots,
    private readonly words: (text: string) => string[],
    /** The slots whose values are being read. */
    private readonly within: readonly string[],
  ) {
    this.tokens = template.match(/[()[\]|]|\{[^}]*\}?|\.\.\.|…|[^()[\]|{}\s]+/g) ?? [];
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
    if (!token.startsWith('{')) return this.words(token).map((word) => ({ kind: 'word', word }));
    return [this.slot(token.slice(1, -1))];
  }

  private slot(name: string): Part {
    const values = this.slots[name];
    const known = Object.keys(this.slots).join(', ') || 'none';
    if (!values) return this.fail(`the slot {${name}} is not given; slots are ${known}`);
    const within = [...this.within, name];
    if (this.within.includes(name)) this.fail(`slots hold each other in a loop: ${within.join(' → ')}`);
    const parts = (text: string) => new TemplateReader(text, this.slots, this.words, within).read();
    return { kind: 'slot', name, values: values.map((text) => ({ text, parts: parts(text) })) };
  }
}
