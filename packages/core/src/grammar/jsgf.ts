/**
 * Reads and writes the JSpeech Grammar Format (W3C Note, 5 June 2000). Imports and weights' values are not
 * used.
 */
import { Fault } from '../common/faults.js';
import { plainWord } from '../language/common/phrase.js';
import { ENDLESS, NEVER, oneOf, rowOf, unknownRules, type Grammar, type Rule } from './grammar.js';

const fail = (detail: string): never => {
  throw new Fault('grammar-broken', detail);
};

/** @throws Fault `grammar-broken` */
export function readJsgf(text: string): Grammar {
  const plain = text.replace(/\/\*[\s\S]*?\*\//g, ' ').replace(/\/\/[^\n]*/g, ' ');
  if (!/^#JSGF\b/.test(plain)) fail('it does not begin with #JSGF');
  const body = plain.slice(plain.indexOf(';') + 1);
  const tokens =
    body.match(/"[^"]*"|\{(?:[^}\\]|\\.)*\}|<[^>]*>|\/[0-9.]+\/|[()[\]|;=*+]|[^\s()[\]|;=*+<>{}"/]+/g) ?? [];
  return new JsgfReader(tokens).read();
}

class JsgfReader {
  private at = 0;

  constructor(private readonly tokens: readonly string[]) {}

  read(): Grammar {
    const rules: Record<string, Rule> = {};
    let root: string | null = null;
    while (this.at < this.tokens.length) {
      const word = this.tokens[this.at];
      if (word === 'grammar' || word === 'import') {
        while (this.at < this.tokens.length && this.tokens[this.at] !== ';') this.at++;
        this.at++;
        continue;
      }
      const isPublic = word === 'public';
      if (isPublic) this.at++;
      const name = this.nameOf(this.tokens[this.at++]);
      this.want('=');
      if (Object.hasOwn(rules, name)) fail(`the rule <${name}> stands there twice`);
      rules[name] = this.options(';');
      if (isPublic) root ??= name;
    }
    if (root === null) return fail('it has no public rule');
    const grammar = { root, rules };
    const [unknown] = unknownRules(grammar);
    if (unknown !== undefined) fail(`the rule <${unknown}> is not given`);
    return grammar;
  }

  private nameOf(token: string | undefined): string {
    const name = /^<([^>]+)>$/.exec(token ?? '')?.[1];
    return name?.trim() ?? fail(`a rule's name in angle brackets is missing before "${token ?? 'the end'}"`);
  }

  private want(token: string): void {
    if (this.tokens[this.at++] !== token) fail(`a "${token}" is missing`);
  }

  private options(close: string): Rule {
    const options: Rule[][] = [[]];
    for (;;) {
      const token = this.tokens[this.at++];
      if (token === undefined) return fail(`a "${close}" is missing`);
      if (token === close) return oneOf(options.map(rowOf));
      if (token === '|') options.push([]);
      else if (token === '*' || token === '+') {
        const of = options.at(-1)!.pop() ?? fail(`"${token}" has nothing before it`);
        options.at(-1)!.push({ kind: 'repeat', of, least: token === '*' ? 0 : 1, most: ENDLESS });
      } else if (!/^\/[0-9.]+\/$/.test(token)) options.at(-1)!.push(this.one(token));
    }
  }

  private one(token: string): Rule {
    if (token === '(') return this.options(')');
    if (token === '[') return { kind: 'repeat', of: this.options(']'), least: 0, most: 1 };
    if (token.startsWith('{')) return { kind: 'tag', text: token.slice(1, -1).replace(/\\(.)/g, '$1') };
    if (token === '<NULL>') return rowOf([]);
    if (token === '<VOID>') return NEVER;
    if (token.startsWith('<')) return { kind: 'rule', name: this.nameOf(token) };
    if (/^[)\]=;]$/.test(token)) return fail(`"${token}" stands where a word is expected`);
    return { kind: 'words', words: wordsOf(token.replaceAll('"', '')) };
  }
}

const wordsOf = (text: string) => text.split(/\s+/).map(plainWord).filter(Boolean);

/** Any words have no form there: they are left out. */
export function writeJsgf({ root, rules }: Grammar, name: string): string {
  const lines = Object.entries(rules).map(
    ([rule, of]) => `${rule === root ? 'public ' : ''}<${rule}> = ${jsgfOf(of)};`,
  );
  return `#JSGF V1.0 UTF-8 en;\ngrammar ${name};\n${lines.join('\n')}\n`;
}

function jsgfOf(rule: Rule): string {
  switch (rule.kind) {
    case 'words':
      return rule.words.join(' ') || '<NULL>';
    case 'row':
      return rule.of.length === 0 ? '<NULL>' : rule.of.map(jsgfOf).join(' ');
    case 'one of':
      return `(${rule.of.map(jsgfOf).join(' | ')})`;
    case 'repeat':
      return repeated(rule);
    case 'rule':
      return `<${rule.name}>`;
    case 'tag':
      return `{${rule.text.replace(/[\\}]/g, '\\$&')}}`;
    case 'anything':
      return '<NULL>';
    case 'never':
      return '<VOID>';
  }
}

function repeated({ of, least, most }: Extract<Rule, { kind: 'repeat' }>): string {
  if (least === 0 && most === 1) return `[${jsgfOf(of)}]`;
  const one = `(${jsgfOf(of)})`;
  if (most === ENDLESS && least <= 1) return `${one}${least === 0 ? '*' : '+'}`;
  const more = most === ENDLESS ? [`${one}*`] : Array.from({ length: most - least }, () => `[${one}]`);
  return [...Array.from({ length: least }, () => one), ...more].join(' ');
}
