/**
 * Patterns written out as a grammar: their alternatives, what may be left out, lists as rules, open slots by
 * what they may hold.
 */
import type { Part } from '../language/template.js';
import { NEVER, oneOf, rowOf, type Grammar, type Rule } from './grammar.js';

/** What stands for an open slot in a grammar. */
export type OpenRules = (part: Extract<Part, { kind: 'open' }>) => Rule;

/** @param lists each value of a slot's list, to be the tag of its rule, by the words it is said with */
export function grammarOf(
  patterns: readonly (readonly Part[])[],
  valueOf: (slot: string, said: string) => string,
  open: OpenRules,
): Grammar {
  const rules: Record<string, Rule> = {};
  const rule = (part: Part): Rule => {
    switch (part.kind) {
      case 'word':
        return { kind: 'words', words: [part.word] };
      case 'anything':
        return { kind: 'anything' };
      case 'open':
        return open(part);
      case 'choice':
        return choice(part.options.map((option) => rowOf(joined(option.map(rule)))));
      case 'slot': {
        if (!Object.hasOwn(rules, part.name)) {
          rules[part.name] = NEVER;
          rules[part.name] = oneOf(
            part.values.map(({ text, parts }) =>
              rowOf([
                ...joined(parts.map(rule)),
                { kind: 'tag', text: `${part.name}=${valueOf(part.name, text)}` },
              ]),
            ),
          );
        }
        return { kind: 'rule', name: part.name };
      }
    }
  };
  rules.root = oneOf(patterns.map((parts) => rowOf(joined(parts.map(rule)))));
  return { root: 'root', rules };
}

/** One that may be left out is that, and no choice of nothing. */
function choice(options: readonly Rule[]): Rule {
  const [first, ...others] = options;
  const isNothing = first?.kind === 'row' && first.of.length === 0;
  return isNothing && others.length > 0
    ? { kind: 'repeat', of: oneOf(others), least: 0, most: 1 }
    : oneOf(options);
}

/** Words beside words are one run of them. */
function joined(rules: readonly Rule[]): Rule[] {
  const out: Rule[] = [];
  for (const one of rules) {
    const last = out.at(-1);
    if (one.kind === 'words' && last?.kind === 'words')
      out[out.length - 1] = { kind: 'words', words: [...last.words, ...one.words] };
    else out.push(one);
  }
  return out;
}
