/**
 * Reads and writes the Speech Recognition Grammar Specification 1.0 in its XML form (W3C Recommendation, 16
 * March 2004).
 */
import { XMLBuilder, XMLParser } from 'fast-xml-parser';
import { Fault } from '../common/faults.js';
import { plainWord } from '../language/common/phrase.js';
import { ENDLESS, NEVER, oneOf, rowOf, unknownRules, type Grammar, type Rule } from './grammar.js';

/** As the parser gives an element in its order: its children by its name, its attributes beside them. */
type Node = Record<string, unknown> & { ':@'?: Record<string, string> };

const NAMESPACE = 'http://www.w3.org/2001/06/grammar';
const fail = (detail: string): never => {
  throw new Fault('grammar-broken', detail);
};

/** @throws Fault `grammar-broken` */
export function readSrgs(text: string): Grammar {
  const parser = new XMLParser({
    preserveOrder: true,
    ignoreAttributes: false,
    attributeNamePrefix: '',
    trimValues: true,
  });
  let nodes: Node[];
  try {
    nodes = parser.parse(text, true) as Node[];
  } catch (error) {
    return fail(`it is not XML: ${(error as Error).message}`);
  }
  const grammar = nodes.find((node) => 'grammar' in node);
  if (!grammar) return fail('its outermost element is not <grammar>');
  const rules: Record<string, Rule> = {};
  let first: string | null = null;
  for (const node of childrenOf(grammar, 'grammar').filter((one) => 'rule' in one)) {
    const id = attribute(node, 'id') ?? fail('a <rule> has no id');
    if (Object.hasOwn(rules, id)) fail(`the rule "${id}" stands there twice`);
    rules[id] = rowOf(childrenOf(node, 'rule').flatMap(ruleOf));
    if (attribute(node, 'scope') === 'public') first ??= id;
  }
  const root = attribute(grammar, 'root') ?? first ?? Object.keys(rules)[0];
  if (root === undefined) return fail('it has no <rule>');
  if (!Object.hasOwn(rules, root))
    fail(`its root "${root}" is none of its rules: ${Object.keys(rules).join(', ')}`);
  const read = { root, rules };
  const [unknown] = unknownRules(read);
  if (unknown !== undefined) fail(`the rule "${unknown}" is not given`);
  return read;
}

const childrenOf = (node: Node, name: string) => (node[name] as Node[] | undefined) ?? [];
const attribute = (node: Node, name: string) => node[':@']?.[name];

function ruleOf(node: Node): Rule[] {
  if ('#text' in node) return wordsIn(String(node['#text']));
  if ('token' in node) return wordsIn(textOf(childrenOf(node, 'token')));
  if ('tag' in node) return [{ kind: 'tag', text: textOf(childrenOf(node, 'tag')) }];
  if ('one-of' in node)
    return [
      oneOf(
        childrenOf(node, 'one-of')
          .filter((one) => 'item' in one)
          .map(itemOf),
      ),
    ];
  if ('item' in node) return [itemOf(node)];
  if ('ruleref' in node) return [referenceOf(node)];
  const known = Object.keys(node).find((key) => key !== ':@') ?? '';
  // What says nothing of words: <example>, <meta>, <lexicon>, comments.
  if (/^(?:example|meta|metadata|lexicon|#comment|\?.*)$/.test(known)) return [];
  return fail(`<${known}> is no element that says what is spoken`);
}

const textOf = (nodes: readonly Node[]): string =>
  nodes
    .map((one) => String(one['#text'] ?? ''))
    .join(' ')
    .trim();

function wordsIn(text: string): Rule[] {
  const words = text.split(/\s+/).map(plainWord).filter(Boolean);
  return words.length === 0 ? [] : [{ kind: 'words', words }];
}

function itemOf(node: Node): Rule {
  const of = rowOf(childrenOf(node, 'item').flatMap(ruleOf));
  const repeat = attribute(node, 'repeat');
  if (repeat === undefined) return of;
  const [, least, dash, most] =
    /^(\d+)(-?)(\d*)$/.exec(repeat) ?? fail(`repeat="${repeat}" is no number, and no range such as 0-1`);
  return {
    kind: 'repeat',
    of,
    least: Number(least),
    most: dash === '' ? Number(least) : most === '' ? ENDLESS : Number(most),
  };
}

function referenceOf(node: Node): Rule {
  const special = attribute(node, 'special');
  if (special === 'NULL') return rowOf([]);
  if (special === 'VOID') return NEVER;
  if (special === 'GARBAGE') return { kind: 'anything' };
  const uri = attribute(node, 'uri') ?? fail('a <ruleref> has neither uri nor special');
  return {
    kind: 'rule',
    name:
      /^#(.+)$/.exec(uri)?.[1] ??
      fail(`<ruleref uri="${uri}">: only rules of the same file can be named, as #NAME`),
  };
}

export function writeSrgs({ root, rules }: Grammar, language: string): string {
  const builder = new XMLBuilder({
    preserveOrder: true,
    ignoreAttributes: false,
    attributeNamePrefix: '',
    format: true,
  });
  const grammar = {
    grammar: Object.entries(rules).map(([id, rule]) => ({
      rule: nodesOf(rule),
      ':@': { id, ...(id === root ? { scope: 'public' } : {}) },
    })),
    ':@': {
      xmlns: NAMESPACE,
      version: '1.0',
      'xml:lang': language,
      mode: 'voice',
      root,
      'tag-format': 'semantics/1.0-literals',
    },
  };
  return `<?xml version="1.0" encoding="UTF-8"?>${builder.build([grammar])}\n`;
}

function nodesOf(rule: Rule): Node[] {
  switch (rule.kind) {
    case 'words':
      // Two of them beside each other are no one word.
      return [{ '#text': ` ${rule.words.join(' ')} ` }];
    case 'row':
      return rule.of.flatMap(nodesOf);
    case 'one of':
      return [{ 'one-of': rule.of.map((one) => ({ item: nodesOf(one) })) }];
    case 'repeat':
      return [
        {
          item: nodesOf(rule.of),
          ':@': { repeat: `${rule.least}-${rule.most === ENDLESS ? '' : rule.most}` },
        },
      ];
    case 'rule':
      return [{ ruleref: [], ':@': { uri: `#${rule.name}` } }];
    case 'tag':
      return [{ tag: [{ '#text': rule.text }] }];
    case 'anything':
      return [{ ruleref: [], ':@': { special: 'GARBAGE' } }];
    case 'never':
      return [{ ruleref: [], ':@': { special: 'VOID' } }];
  }
}
