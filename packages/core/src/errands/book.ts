/** The errands that an assistant can do, read once: their patterns, and what is wrong with them. */
import { Fault } from '../faults.js';
import type { CallableFunction } from '../thinking/history.js';
import { compilePattern, patternTemplates, type Pattern } from '../thinking/pattern.js';
import type { Slots } from '../language/template.js';
import { languageOf } from '../language/language.js';
import { seeded } from '../seeded.js';
import { schemaOf } from './bounds.js';
import { choiceForms, choiceOf } from './choices.js';
import type { NamedErrand, Slot } from './contract.js';
import { grammarOf, type OpenRules } from '../grammar/from-patterns.js';
import { drawFrom, ENDLESS, fitWhole, oneOf, rowOf, type Grammar } from '../grammar/grammar.js';
import type { ErrandWords } from '../language/errand-words.js';
import { nearOf } from './readings.js';
import { tokensOf } from './tokens.js';

/** A list longer than this is not one that people say. */
const MOST_VALUES = 2_000;
/** So much of a saying tells whether it begins an errand. */
const MOST_BEGINNING_WORDS = 100;
const MOST_BEGINNING_LETTERS = 1_000;
/** So many are drawn of a grammar's rule for the ears. */
const SENTENCES_A_RULE = 200;
const PLACE = /\{([^}]*)\}/g;

interface Compiled {
  errand: NamedErrand;
  patterns: readonly Pattern[];
}

/** What stands for a slot of each kind in a pattern: a list, or an open slot. */
const OPEN: Partial<Record<Slot['kind'], string>> = { count: 'count', digits: 'digits' };
/** Days are said in more ways than an open slot of a pattern knows: there any words may stand. */
const FOR_EARS: typeof OPEN = { ...OPEN, date: 'date' };

export class ErrandBook {
  private readonly all: readonly Compiled[];

  /** @throws Fault `errand-broken`; its `path` is `/NAME/…`, a JSON Pointer into the file of that name */
  constructor(
    errands: readonly NamedErrand[],
    readonly language: string,
  ) {
    const seen = new Map<string, string>();
    this.all = errands
      .map(inOrder)
      .map((errand) => ({ errand, patterns: compile(errand, this.language, seen) }));
  }

  get errands(): readonly NamedErrand[] {
    return this.all.map(({ errand }) => errand);
  }

  get(name: string): NamedErrand | undefined {
    return this.all.find(({ errand }) => errand.name === name)?.errand;
  }

  /** What a grammar's tags say of the slots of the errand that it begins. */
  namedBy({ grammar }: NamedErrand, words: readonly string[]): Readonly<Record<string, string>> {
    return (grammar && fitWhole(grammar, words.slice(0, MOST_BEGINNING_WORDS))?.named) ?? {};
  }

  /** The errand that a saying begins, if any: of several the one of whose pattern the most words were said. */
  begunBy(text: string): NamedErrand | null {
    const said = text.split(/\s+/).slice(0, MOST_BEGINNING_WORDS).join(' ').slice(0, MOST_BEGINNING_LETTERS);
    let best: { errand: NamedErrand; score: number } | null = null;
    const words = this.all.some(({ errand }) => errand.grammar) ? tokensOf(said).map(({ word }) => word) : [];
    for (const { errand, patterns } of this.all) {
      // A grammar fits a saying as a whole: every word of it counts.
      if (errand.grammar && fitWhole(errand.grammar, words) && words.length * 2 > (best?.score ?? 0))
        best = { errand, score: words.length * 2 };
      for (const pattern of patterns) {
        const found = pattern.match(said);
        if (found && (!best || found.score > best.score)) best = { errand, score: found.score };
      }
    }
    return best?.errand ?? null;
  }

  /** What callers of these errands are likely to say. */
  get expected(): { phrases: string[]; slots: Slots } {
    const phrases = this.all.flatMap(({ errand }) => [
      ...(errand.begins ?? []).map((pattern) =>
        withSlots(pattern, errand, true)
          .replace(/\.\.\.|…/g, ' ')
          .trim(),
      ),
      ...Object.entries(errand.slots).flatMap(([name, slot]) => answersTo(name, slot, null)),
    ]);
    const slots = Object.assign({}, ...this.all.map(({ errand }) => slotsOf(errand))) as Slots;
    return { phrases: [...new Set(phrases)].filter((phrase) => /[\p{L}\p{N}]/u.test(phrase)), slots };
  }

  /** What answers the question for each slot, by `ERRAND/SLOT`. */
  get answers(): Record<string, { phrases: string[]; slots: Slots; only: boolean }> {
    const words = languageOf(this.language).errands!;
    const all = this.all.flatMap(({ errand }) =>
      Object.entries(errand.slots).flatMap(([name, slot]) => {
        const phrases = answersTo(name, slot, words).filter((phrase) => /[\p{L}\p{N}]/u.test(phrase));
        if (phrases.length === 0) return [];
        const only = slot.heard === 'fixed';
        return [[`${errand.name}/${name}`, { phrases: only ? [...phrases, ...words.obeyed] : phrases, slots: slotsOf(errand), only }] as const]; // prettier-ignore
      }),
    );
    return Object.fromEntries(all);
  }

  /** What begins it, as a grammar; numbers up to MOST_WRITTEN are written out in it. */
  grammarOf(name: string): Grammar {
    const found = this.all.find(({ errand }) => errand.name === name);
    const { errand, patterns } = found!;
    if (errand.grammar && patterns.length === 0) return errand.grammar;
    const valueOf = (slot: string, said: string) => {
      const values = errand.slots[slot]?.values ?? [];
      const form = choiceForms(values).find(({ words }) => spoken(words.join(' ')) === said);
      return form?.values.length === 1 ? form.values[0]! : said;
    };
    return grammarOf(patterns.map(({ parts }) => parts), valueOf, openRule(languageOf(this.language).errands!)); // prettier-ignore
  }

  /** Each errand as something that a model may ask to be done. */
  get functions(): CallableFunction[] {
    return this.errands.map(({ name, about, slots }) => ({
      name,
      about,
      parameters: {
        type: 'object',
        properties: Object.fromEntries(Object.entries(slots).map(([slot, one]) => [slot, schemaOf(one)])),
        additionalProperties: false,
      },
    }));
  }
}

/** Numbers of a grammar go so far. */
const MOST_WRITTEN = 12;

/** What may stand for an open slot: counts with their values, digits one by one, anything for all else. */
function openRule({ values }: ErrandWords): OpenRules {
  const number = (value: number) => ({
    kind: 'words' as const,
    words: values.sayNumber(value).split(/[\s-]+/),
  });
  return ({ of, name, length }) => {
    if (of === 'count') return oneOf(Array.from({ length: MOST_WRITTEN }, (_, i) => rowOf([number(i + 1), { kind: 'tag', text: `${name}=${i + 1}` }]))); // prettier-ignore
    if (of !== 'digits') return { kind: 'anything' };
    const digit = oneOf(Array.from({ length: 10 }, (_, i) => number(i)));
    return { kind: 'repeat', of: digit, least: length || 1, most: length || ENDLESS };
  };
}

function inOrder(errand: NamedErrand): NamedErrand {
  const names = errand.order ?? Object.keys(errand.slots);
  return { ...errand, slots: Object.fromEntries(names.map((name) => [name, errand.slots[name]!])) };
}

/** In patterns a slot is its list, or an open slot of its kind. @param ears what is likely is drawn from it */
function withSlots(pattern: string, { slots }: NamedErrand, ears = false): string {
  return pattern.replace(/<([A-Za-z][\w-]*)>/g, (whole, name: string) => {
    const slot = Object.hasOwn(slots, name) ? slots[name]! : null;
    if (!slot || hasList(slot)) return whole;
    const open = (ears ? FOR_EARS : OPEN)[slot.kind] ?? 'words';
    return `<${name}: ${open}${open === 'digits' && slot.length ? ` ${slot.length}` : ''}>`;
  });
}

/** Names have one only for what is likely. */
const hasList = (slot: Slot): boolean => (slot.kind === 'choice' || slot.kind === 'contact') && (slot.values?.length ?? 0) > 0; // prettier-ignore

function slotsOf({ slots }: NamedErrand): Slots {
  return Object.fromEntries(
    Object.entries(slots)
      .filter(([, slot]) => hasList(slot))
      .map(([name, { values = [] }]) => [
        name,
        choiceForms(values).map(({ words }) => spoken(words.join(' '))),
      ]),
  );
}

/** Without what has a meaning in a pattern. */
const spoken = (text: string) => text.replace(/[^\p{L}\p{N}'\s]/gu, ' ').trim();

/** How a question for a slot may be answered. @param words null for what may be said at any time: less of it */
function answersTo(name: string, slot: Slot, words: ErrandWords | null): string[] {
  const after = (slot.after ?? []).slice(0, 4).map(spoken);
  const lead = after.length === 0 ? '' : `[${after.join('|')}] `;
  if (hasList(slot)) return [`${lead}<${name}>`, `no ${lead}<${name}>`];
  const said = [...(slot.yes ?? []), ...(slot.no ?? [])].map(spoken);
  if (words === null && slot.kind === 'date') return [`[for|on] <${name}: date>`, `no <${name}: date>`];
  if (words !== null && slot.kind === 'name') {
    const names = choiceForms(slot.values ?? []).map(({ words }) => spoken(words.join(' '))).filter(Boolean); // prettier-ignore
    return names.length === 0 ? [] : [`[${words.beforeName.map(spoken).join('|')}] (${names.join('|')})`];
  }
  if (slot.kind === 'count') {
    const near = nearOf(slot).map(spoken);
    const tail = near.length === 0 ? '' : ` [${near.join('|')}]`;
    return [`<${name}: count>${tail}`, `no <${name}: count>`, `[actually|no] make it <${name}: count>`];
  }
  if (words !== null && slot.kind === 'rule') return drawn(slot);
  if (words !== null && slot.kind === 'digits')
    return [`${lead}<${name}: digits${slot.length ? ` ${slot.length}` : ''}>`];
  return [...(words?.likely[slot.kind] ?? []), ...said];
}

/** Sentences that the rule of a slot allows. */
function drawn({ grammar, rule }: Slot): string[] {
  if (!grammar) return [];
  const random = seeded(1);
  const all = Array.from({ length: SENTENCES_A_RULE }, () => drawFrom(grammar, rule ?? grammar.root, random).join(' ')); // prettier-ignore
  return [...new Set(all)].map(spoken).filter(Boolean);
}

function compile(errand: NamedErrand, language: string, seen: Map<string, string>): Pattern[] {
  const fail = (path: string, detail: string): never => {
    throw new Fault('errand-broken', detail, `/${errand.name}${path}`);
  };
  if (languageOf(language).errands === null)
    fail('', `errands do not speak "${language}" yet: the languages are en`);
  checkSlots(errand, fail);
  checkSentences(errand, fail);
  const templates = patternTemplates(slotsOf(errand), language);
  return (errand.begins ?? []).map((text, i) => {
    let pattern: Pattern;
    try {
      pattern = compilePattern(withSlots(text, errand), templates, language);
    } catch (error) {
      if (error instanceof Fault) fail(`/begins/${i}`, error.detail);
      throw error;
    }
    const twin = seen.get(pattern.key);
    if (twin !== undefined) fail(`/begins/${i}`, `the pattern "${text}" also begins the errand "${twin}": only one of them could ever be meant`); // prettier-ignore
    seen.set(pattern.key, errand.name);
    return pattern;
  });
}

type Fail = (path: string, detail: string) => never;

function checkSlots({ slots }: NamedErrand, fail: Fail): void {
  for (const [slot, one] of Object.entries(slots)) {
    const path = `/slots/${slot}`;
    const isFree = one.optional === true || one.default !== undefined;
    if (!isFree && one.ask === undefined)
      fail(path, `the slot "${slot}" is never asked for: give it "ask", or "optional: true", or a "default"`);
    if (one.kind === 'choice' && one.values === undefined) fail(path, `the choice "${slot}" has no "values"`);
    if (one.kind === 'contact' && (one.values ?? []).length === 0)
      fail(path, `the slot "${slot}" is a contact, and there is nobody in contacts.yaml`);
    if (one.kind === 'rule' && !one.grammar)
      fail(path, `the slot "${slot}" is a rule, and names no "grammar"`);
    if (one.grammar && one.rule !== undefined && !Object.hasOwn(one.grammar.rules, one.rule))
      fail(`${path}/rule`, `"${one.rule}" is none of the grammar's rules: ${Object.keys(one.grammar.rules).join(', ')}`); // prettier-ignore
    if ((one.values?.length ?? 0) > MOST_VALUES)
      fail(`${path}/values`, `${one.values!.length} values; at most ${MOST_VALUES} can be told apart by ear`);
    const said = (one.values ?? []).map(choiceOf).map(({ value }) => value);
    const twice = said.find((value, i) => said.indexOf(value) !== i);
    if (twice !== undefined) fail(`${path}/values`, `"${twice}" stands there twice`);
    if (one.least !== undefined && one.most !== undefined && one.least > one.most)
      fail(path, `"least" is ${one.least}, which is more than "most", ${one.most}: no value is possible`);
  }
}

/** What is said may name slots, and what the doing gives; what is read back may name slots only. */
function checkSentences({ readBack, slots }: NamedErrand, fail: Fail): void {
  if (typeof readBack !== 'string') return;
  for (const [, place = ''] of readBack.matchAll(PLACE)) {
    const [slot = ''] = place.split('|');
    if (!Object.hasOwn(slots, slot)) fail('/readBack', `"{${place}}" is none of its slots: ${Object.keys(slots).join(', ')}`); // prettier-ignore
  }
}
