/** What a rule of a grammar takes. */
import { drawFrom, fitRule } from '../../grammar/grammar.js';
import { plainPhrase } from '../../language/common/phrase.js';
import { seeded } from '../../common/seeded.js';
import { anyText, asItIs, one, textOf, type Kind } from '../common/kind.js';

/** Of a rule, so many sentences are drawn for ears to expect. */
const SENTENCES = 200;

export const rule: Kind = {
  read({ said, at }, { grammar, rule: named }) {
    const fit = grammar && fitRule(grammar, named ?? grammar.root, said, at);
    return fit ? one(fit.meaning ?? said.slice(at, at + fit.count).join(' '), fit.count, true) : [];
  },
  say: asItIs,
  from: textOf,
  schema: anyText,
  answers({ grammar, rule: named }, { isAsked }) {
    if (!isAsked || !grammar) return [];
    const random = seeded(1);
    const all = Array.from({ length: SENTENCES }, () =>
      drawFrom(grammar, named ?? grammar.root, random).join(' '),
    );
    return [...new Set(all)].map(plainPhrase).filter(Boolean);
  },
  lacks: ({ grammar }, name) => (grammar ? null : `the slot "${name}" is a rule, and names no "grammar"`),
  keys: 'digits',
};
