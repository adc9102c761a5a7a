/** What callers are expected to say, as a grammar: ears that hear by it hear nothing else. */
import { grammarOf } from '../grammar/from-patterns.js';
import { ENDLESS, NEVER, oneOf, rowOf, type Grammar, type Rule } from '../grammar/grammar.js';
import type { ExpectedWords } from '../language/common/contract.js';
import { languageOf } from '../language/language.js';
import { Templates, type Part } from '../language/template.js';
import { dictionaryWords, type Expected } from '../hearing/expected-phrases.js';

/**
 * Any of these phrases.
 * @param language BCP 47, in which open slots are said
 * @throws Fault `phrase-malformed`
 */
export function closedGrammar({ phrases, slots = {} }: Expected, language: string): Grammar {
  const { expected } = languageOf(language);
  const templates = new Templates(slots, dictionaryWords);
  const patterns = phrases.map((phrase) => templates.read(phrase));
  const all = grammarOf(patterns, null, (part) => openRule(part, expected));
  return sayable(all, () => true);
}

const EITHER = 'either';

/** What any of them allows; rules of the same name may differ. */
export function eitherOf(grammars: readonly Grammar[]): Grammar {
  const rules: Record<string, Rule> = {};
  const nameIn = (i: number, name: string) => `${name}-${i}`;
  for (const [i, grammar] of grammars.entries())
    for (const [name, rule] of Object.entries(grammar.rules))
      rules[nameIn(i, name)] = mapped(rule, (one) =>
        one.kind === 'rule' ? { kind: 'rule', name: nameIn(i, one.name) } : one,
      );
  rules[EITHER] = oneOf(grammars.map(({ root }, i): Rule => ({ kind: 'rule', name: nameIn(i, root) })));
  return { root: EITHER, rules };
}

/** A slot of which no list is known can be said in no way: its phrases are for the open hearing. */
function openRule({ of, length }: Extract<Part, { kind: 'open' }>, words: ExpectedWords): Rule {
  const one = (list: readonly string[]): Rule =>
    oneOf(list.map((word) => ({ kind: 'words', words: [word] })));
  if (of === 'count') return one(words.counts);
  if (of === 'date') return one(words.days);
  if (of === 'words') return NEVER;
  return { kind: 'repeat', of: one(words.digits), least: length || 1, most: length || ENDLESS };
}

/** Without what holds a word that nobody can say. @param isSaid has the word a pronunciation? */
export function sayable({ root, rules }: Grammar, isSaid: (word: string) => boolean): Grammar {
  const of = (rule: Rule): Rule =>
    mapped(rule, (one) => (one.kind === 'words' && !one.words.every(isSaid) ? NEVER : one));
  return { root, rules: Object.fromEntries(Object.entries(rules).map(([name, rule]) => [name, of(rule)])) };
}

/** The rule with `change` made of each that it holds, and of itself; what can never be said goes. */
function mapped(rule: Rule, change: (rule: Rule) => Rule): Rule {
  if (rule.kind === 'row') {
    const of = rule.of.map((one) => mapped(one, change));
    return of.some(({ kind }) => kind === 'never') ? NEVER : rowOf(of);
  }
  if (rule.kind === 'one of') {
    const of = rule.of.map((one) => mapped(one, change)).filter(({ kind }) => kind !== 'never');
    return of.length === 0 ? NEVER : oneOf(of);
  }
  if (rule.kind === 'repeat') {
    const of = mapped(rule.of, change);
    if (of.kind !== 'never') return { ...rule, of };
    return rule.least === 0 ? rowOf([]) : NEVER;
  }
  return change(rule);
}

/** All words that it may hear. */
export function wordsOfGrammar({ rules }: Grammar): Set<string> {
  const words = new Set<string>();
  const look = (rule: Rule): Rule => {
    if (rule.kind === 'words') rule.words.forEach((word) => words.add(word));
    return rule;
  };
  Object.values(rules).forEach((rule) => mapped(rule, look));
  return words;
}
