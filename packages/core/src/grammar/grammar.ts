/** Grammars of what may be said, as SRGS and JSGF write them: rules, and what the words that fit one mean. */
export type Rule =
  | { kind: 'words'; words: readonly string[] }
  | { kind: 'row'; of: readonly Rule[] }
  | { kind: 'one of'; of: readonly Rule[] }
  | { kind: 'repeat'; of: Rule; least: number; most: number }
  | { kind: 'rule'; name: string }
  /** What is meant: the text, or `name=text` for a value by name. */
  | { kind: 'tag'; text: string }
  /** Any words, or none (GARBAGE). */
  | { kind: 'anything' }
  /** Nothing fits it (VOID). */
  | { kind: 'never' };

export interface Grammar {
  /** The rule with which it begins. */
  root: string;
  rules: Readonly<Record<string, Rule>>;
}

/** Words that fit a rule, from one place on. */
export interface GrammarFit {
  count: number;
  /** What the tags say, joined; null where there is none. */
  meaning: string | null;
  /** What tags of the form `name=text` say. */
  named: Readonly<Record<string, string>>;
}

/** As often as anybody likes; journals keep it as a number. */
export const ENDLESS = 1_000;
/** A rule that holds itself goes no deeper. */
const MOST_DEPTH = 50;
/** Of one rule from one place, so many ways to fit it are looked at. */
const MOST_FITS = 200;
/**
 * Rules that hold each other can be fitted, or drawn, in more ways than anybody waits for: after so many
 * steps nothing more is looked at.
 */
const MOST_STEPS = 100_000;
const MOST_DRAWN = 2_000;

/** The longest words from this place on that fit the rule; null where none do. @param words in lower case */
export function fitRule(
  { rules }: Grammar,
  name: string,
  words: readonly string[],
  at: number,
): GrammarFit | null {
  const rule = Object.hasOwn(rules, name) ? rules[name] : undefined;
  if (!rule) return null;
  const found = new Fitting(rules, words).fits(rule, at, 0);
  return found.reduce<GrammarFit | null>(
    (best, one) => (one.count > 0 && (!best || one.count > best.count) ? one : best),
    null,
  );
}

/** Do all words fit the rule? */
export function fitWhole({ rules, root }: Grammar, words: readonly string[]): GrammarFit | null {
  const rule = rules[root];
  if (!rule || words.length === 0) return null;
  return new Fitting(rules, words).fits(rule, 0, 0).find(({ count }) => count === words.length) ?? null;
}

const NOTHING: GrammarFit = { count: 0, meaning: null, named: {} };

class Fitting {
  private readonly known = new Map<Rule, Map<number, GrammarFit[]>>();
  private steps = 0;

  constructor(
    private readonly rules: Grammar['rules'],
    private readonly words: readonly string[],
  ) {}

  /** Ways to fit a rule, one of each length. */
  fits(rule: Rule, at: number, depth: number): GrammarFit[] {
    if (depth > MOST_DEPTH || this.steps > MOST_STEPS) return [];
    const places = this.known.get(rule) ?? new Map<number, GrammarFit[]>();
    this.known.set(rule, places);
    const known = places.get(at);
    if (known) return known;
    // A rule that begins with itself finds nothing new there.
    places.set(at, []);
    const found = oneOfEach(this.work(rule, at, depth + 1)).slice(0, MOST_FITS);
    places.set(at, found);
    return found;
  }

  private work(rule: Rule, at: number, depth: number): GrammarFit[] {
    switch (rule.kind) {
      case 'words':
        return rule.words.every((word, i) => this.words[at + i] === word)
          ? [{ ...NOTHING, count: rule.words.length }]
          : [];
      case 'anything':
        return Array.from({ length: this.words.length - at + 1 }, (_, count) => ({ ...NOTHING, count }));
      case 'never':
        return [];
      case 'tag':
        return [tagged(rule.text)];
      case 'rule': {
        const named = Object.hasOwn(this.rules, rule.name) ? this.rules[rule.name] : undefined;
        return named ? this.fits(named, at, depth) : [];
      }
      case 'one of':
        return rule.of.flatMap((one) => this.fits(one, at, depth));
      case 'row':
        return this.row(rule.of, at, depth);
      case 'repeat':
        return this.repeat(rule, at, depth);
    }
  }

  private row(of: readonly Rule[], at: number, depth: number): GrammarFit[] {
    let ways: GrammarFit[] = [NOTHING];
    for (const one of of)
      ways = oneOfEach(ways.flatMap((way) => this.after(way, this.fits(one, at + way.count, depth))));
    return ways;
  }

  private after(way: GrammarFit, all: readonly GrammarFit[]): GrammarFit[] {
    this.steps += all.length;
    return all.map((next) => joined(way, next));
  }

  private repeat(
    { of, least, most }: Extract<Rule, { kind: 'repeat' }>,
    at: number,
    depth: number,
  ): GrammarFit[] {
    let ways: GrammarFit[] = [NOTHING];
    const found: GrammarFit[] = least === 0 ? [NOTHING] : [];
    for (let i = 1; i <= most && ways.length > 0; i++) {
      ways = oneOfEach(
        ways.flatMap((way) =>
          this.after(
            way,
            this.fits(of, at + way.count, depth).filter(({ count }) => count > 0 || i <= least),
          ),
        ),
      );
      if (i >= least) found.push(...ways);
      if (i > this.words.length + least) break;
    }
    return found;
  }
}

function tagged(text: string): GrammarFit {
  const [, name, value] = /^\s*([A-Za-z][\w-]*)\s*=\s*(.+?)\s*;?\s*$/.exec(text) ?? [];
  if (name === undefined) return { ...NOTHING, meaning: text.trim() };
  const plain = value!.replace(/^(["'])(.*)\1$/, '$2');
  return { ...NOTHING, named: { [name]: plain } };
}

const joined = (a: GrammarFit, b: GrammarFit): GrammarFit => ({
  count: a.count + b.count,
  meaning: a.meaning === null ? b.meaning : b.meaning === null ? a.meaning : `${a.meaning} ${b.meaning}`,
  named: { ...a.named, ...b.named },
});

/** Of several ways to one place the first: grammars name first what they prefer. */
function oneOfEach(ways: readonly GrammarFit[]): GrammarFit[] {
  const best = new Map<number, GrammarFit>();
  for (const way of ways) if (!best.has(way.count)) best.set(way.count, way);
  return [...best.values()].sort((a, b) => b.count - a.count);
}

/** Sentences that the rule allows, drawn; for ears. @param random between 0 and 1 */
export function drawFrom({ rules }: Grammar, name: string, random: () => number): string[] {
  let steps = 0;
  const draw = (rule: Rule, depth: number): string[] => {
    if (depth > MOST_DEPTH || ++steps > MOST_DRAWN) return [];
    switch (rule.kind) {
      case 'words':
        return [...rule.words];
      case 'row':
        return rule.of.flatMap((one) => draw(one, depth + 1));
      case 'one of':
        return draw(rule.of[Math.floor(random() * rule.of.length)] ?? NEVER, depth + 1);
      case 'repeat': {
        const most = Math.min(rule.most, rule.least + 2);
        const times = rule.least + Math.floor(random() * (most - rule.least + 1));
        return Array.from({ length: times }, () => draw(rule.of, depth + 1)).flat();
      }
      case 'rule':
        return Object.hasOwn(rules, rule.name) ? draw(rules[rule.name]!, depth + 1) : [];
      default:
        return [];
    }
  };
  return draw({ kind: 'rule', name }, 0);
}

export const NEVER: Rule = { kind: 'never' };

/** A row of one is that one. */
export const rowOf = (of: readonly Rule[]): Rule => (of.length === 1 ? of[0]! : { kind: 'row', of });
export const oneOf = (of: readonly Rule[]): Rule => (of.length === 1 ? of[0]! : { kind: 'one of', of });

/** Names that rules use and nobody gives. */
export function unknownRules({ rules }: Grammar): string[] {
  const used = new Set<string>();
  const look = (rule: Rule): void => {
    if (rule.kind === 'rule') used.add(rule.name);
    else if (rule.kind === 'repeat') look(rule.of);
    else if (rule.kind === 'row' || rule.kind === 'one of') rule.of.forEach(look);
  };
  Object.values(rules).forEach(look);
  return [...used].filter((name) => !Object.hasOwn(rules, name));
}
