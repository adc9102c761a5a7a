/** The errands that an assistant can do, read once: their patterns, and what is wrong with them. */
import type { Moment } from '../calendar/calendar.js';
import { Fault } from '../common/faults.js';
import type { CallableFunction } from '../thinking/history.js';
import { compilePattern, patternTemplates, spokenWords, type Pattern } from '../thinking/pattern.js';
import type { Reads, Slots } from '../language/template.js';
import { languageOf } from '../language/language.js';
import { plainPhrase } from '../language/common/phrase.js';
import { expandPhrases } from '../hearing/expected-phrases.js';
import { choiceForms, choiceOf } from '../slots/common/choices.js';
import { kindOf, readingsAt, schemaOf, takesAnyWords } from '../slots/values.js';
import type { Slot } from '../slots/common/slot.js';
import type { ReadingContext } from '../slots/common/kind.js';
import type { NamedErrand } from './contract.js';
import { grammarOf, type OpenRules } from '../grammar/from-patterns.js';
import { ENDLESS, fitWhole, oneOf, rowOf, type Grammar } from '../grammar/grammar.js';
import type { ErrandWords } from '../language/common/errand-words.js';
import { tokensOf } from '../language/tokens.js';

/** A list longer than this is not one that people say. */
const MOST_VALUES = 2_000;
/** So much of a saying tells whether it begins an errand. */
const MOST_BEGINNING_WORDS = 100;
const MOST_BEGINNING_LETTERS = 1_000;
const PLACE = /\{([^}]*)\}/g;

interface Compiled {
  errand: NamedErrand;
  patterns: readonly Pattern[];
}

/** Whether words can be read does not depend on when: any day does. */
const ANY_MOMENT: Moment = { day: '2026-06-01', minute: 720 };

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

  /**
   * The errand that a saying begins, if any: of several the one of whose pattern the most words were said.
   */
  begunBy(text: string): NamedErrand | null {
    return this.best(text)?.errand ?? null;
  }

  /**
   * How well a saying fits what begins an errand: the more words were said for certain, the higher; 0 where
   * it begins none.
   */
  scoreOf(text: string): number {
    return this.best(text)?.score ?? 0;
  }

  private best(text: string): { errand: NamedErrand; score: number } | null {
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
    return best;
  }

  /** Some sentences that one of its patterns is drawn as. @param pattern its place in `begins` */
  sayingsOf(name: string, pattern: number, most: number): string[] {
    const { errand } = this.all.find((one) => one.errand.name === name)!;
    const phrases = [likely(errand, errand.begins![pattern]!)];
    if (!/[\p{L}\p{N}]/u.test(phrases[0]!)) return [];
    return [
      ...new Set(
        expandPhrases({ phrases, slots: slotsOf(errand) }, this.language).map((words) => words.join(' ')),
      ),
    ].slice(0, most);
  }

  /** What callers of these errands are likely to say. */
  get expected(): { phrases: string[]; slots: Slots } {
    const words = languageOf(this.language).errands!;
    const phrases = this.all.flatMap(({ errand }) => [
      ...(errand.begins ?? []).map((pattern) => likely(errand, pattern)),
      ...Object.entries(errand.slots).flatMap(([name, slot]) => answersTo(name, slot, words, false)),
    ]);
    const slots = Object.assign({}, ...this.all.map(({ errand }) => slotsOf(errand))) as Slots;
    return { phrases: [...new Set(phrases)].filter((phrase) => /[\p{L}\p{N}]/u.test(phrase)), slots };
  }

  /** What answers the question for each slot, by `ERRAND/SLOT`. */
  get answers(): Record<string, { phrases: string[]; slots: Slots; only: boolean }> {
    const words = languageOf(this.language).errands!;
    const all = this.all.flatMap(({ errand }) =>
      Object.entries(errand.slots).flatMap(([name, slot]) => {
        const phrases = answersTo(name, slot, words, true).filter((phrase) => /[\p{L}\p{N}]/u.test(phrase));
        if (phrases.length === 0) return [];
        const only = slot.heard === 'fixed';
        return [
          [
            `${errand.name}/${name}`,
            { phrases: only ? [...phrases, ...words.obeyed] : phrases, slots: slotsOf(errand), only },
          ] as const,
        ];
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
      const form = choiceForms(values).find(({ words }) => plainPhrase(words.join(' ')) === said);
      return form?.values.length === 1 ? form.values[0]! : said;
    };
    return grammarOf(
      patterns.map(({ parts }) => parts),
      valueOf,
      openRule(languageOf(this.language).errands!),
    );
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
    if (of === 'count')
      return oneOf(
        Array.from({ length: MOST_WRITTEN }, (_, i) =>
          rowOf([number(i + 1), { kind: 'tag', text: `${name}=${i + 1}` }]),
        ),
      );
    if (of !== 'digits') return { kind: 'anything' };
    const digit = oneOf(Array.from({ length: 10 }, (_, i) => number(i)));
    return { kind: 'repeat', of: digit, least: length || 1, most: length || ENDLESS };
  };
}

function inOrder(errand: NamedErrand): NamedErrand {
  const names = errand.order ?? Object.keys(errand.slots);
  return { ...errand, slots: Object.fromEntries(names.map((name) => [name, errand.slots[name]!])) };
}

/**
 * In patterns a slot is its list, an open slot of its kind, or what it can read. @param ears what is likely
 * is drawn from it: what it can read is any words
 */
function withSlots(pattern: string, { slots }: NamedErrand, ears = false): string {
  return pattern.replace(/<([A-Za-z][\w-]*)>/g, (whole, name: string) => {
    const slot = Object.hasOwn(slots, name) ? slots[name]! : null;
    if (!slot || hasList(slot)) return whole;
    const { open: known } = kindOf(slot);
    const open = ears ? (known?.ears ?? 'words') : known?.pattern;
    if (open === undefined) return whole;
    return `<${name}: ${open}${open === 'digits' && slot.length ? ` ${slot.length}` : ''}>`;
  });
}

/** What the slots without a list can read. */
function readersOf({ slots }: NamedErrand, language: string): Record<string, Reads> {
  const words = languageOf(language).errands!;
  const open = Object.entries(slots).filter(([, slot]) => !hasList(slot) && !kindOf(slot).open?.pattern);
  return Object.fromEntries(open.map(([name, slot]) => [name, readerOf(slot, words, language)]));
}

function readerOf(slot: Slot, words: ErrandWords, language: string): Reads {
  const context: ReadingContext = { words, now: ANY_MOMENT, day: null, part: null };
  const reads = (text: string): boolean => {
    const tokens = tokensOf(text);
    const said = tokens.map(({ word }) => word);
    if (slot.kind === 'yes-no' && words.assent(said)?.count === said.length) return true;
    let from = 0;
    while (from < said.length - 1 && words.leadIns.has(said[from]!)) from++;
    return [0, from].some((at) =>
      readingsAt(slot, { said, tokens, at }, context).some(({ count }) => at + count === said.length),
    );
  };
  if (takesAnyWords(slot) || isWithoutValues(slot)) return () => true;
  if (slot.kind !== 'email') return reads;
  // The words of a pattern have no marks: one that was written is looked for in all that was.
  const isWritten = (text: string, whole: string) =>
    (whole.match(/\S+@\S+/g) ?? []).some((one) => spokenWords(one, language).join(' ') === text);
  return (text, whole) => reads(text) || isWritten(text, whole);
}

/** Its values are not known yet. */
const isWithoutValues = (slot: Slot): boolean => kindOf(slot).isListed === true && !hasList(slot);

/** A pattern as ears expect it: where anything may be said, nothing is expected. */
const likely = (errand: NamedErrand, pattern: string): string =>
  withSlots(pattern, errand, true)
    .replace(/\.\.\.|…/g, ' ')
    .trim();

/** Names have one only for what is likely. */
const hasList = (slot: Slot): boolean => kindOf(slot).isListed === true && (slot.values?.length ?? 0) > 0;

function slotsOf({ slots }: NamedErrand): Slots {
  return Object.fromEntries(
    Object.entries(slots)
      .filter(([, slot]) => hasList(slot))
      .map(([name, { values = [] }]) => [
        name,
        choiceForms(values).map(({ words }) => plainPhrase(words.join(' '))),
      ]),
  );
}

/** How a question for a slot may be answered, and (not asked) what of it may be said at any time. */
function answersTo(name: string, slot: Slot, words: ErrandWords, isAsked: boolean): readonly string[] {
  const after = (slot.after ?? []).slice(0, 4).map(plainPhrase);
  const lead = after.length === 0 ? '' : `[${after.join('|')}] `;
  const own = kindOf(slot).answers?.(slot, { name, lead, words, isAsked });
  if (own) return own;
  const said = [...(slot.yes ?? []), ...(slot.no ?? [])].map(plainPhrase);
  return [...(isAsked ? (words.likely[slot.kind] ?? []) : []), ...said];
}

function compile(errand: NamedErrand, language: string, seen: Map<string, string>): Pattern[] {
  const fail = (path: string, detail: string): never => {
    throw new Fault('errand-broken', detail, `/${errand.name}${path}`);
  };
  if (languageOf(language).errands === null)
    fail('', `errands do not speak "${language}" yet: the languages are en`);
  checkSlots(errand, fail);
  checkSentences(errand, fail);
  const templates = patternTemplates(slotsOf(errand), language, readersOf(errand, language));
  return (errand.begins ?? []).map((text, i) => {
    let pattern: Pattern;
    try {
      pattern = compilePattern(withSlots(text, errand), templates, language);
    } catch (error) {
      if (error instanceof Fault) fail(`/begins/${i}`, error.detail);
      throw error;
    }
    if (pattern.fitsAll)
      fail(`/begins/${i}`, `the pattern "${text}" fits whatever is said: write a word that must be said`);
    const twin = seen.get(pattern.key);
    if (twin !== undefined)
      fail(
        `/begins/${i}`,
        `the pattern "${text}" also begins the errand "${twin}": only one of them could ever be meant`,
      );
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
    const lack = kindOf(one).lacks?.(one, slot) ?? null;
    if (lack !== null) fail(path, lack);
    if (one.grammar && one.rule !== undefined && !Object.hasOwn(one.grammar.rules, one.rule))
      fail(
        `${path}/rule`,
        `"${one.rule}" is none of the grammar's rules: ${Object.keys(one.grammar.rules).join(', ')}`,
      );
    checkValues(path, one, fail);
    if (one.least !== undefined && one.most !== undefined && one.least > one.most)
      fail(path, `"least" is ${one.least}, which is more than "most", ${one.most}: no value is possible`);
  }
}

function checkValues(path: string, { values = [] }: Slot, fail: Fail): void {
  if (values.length > MOST_VALUES)
    fail(`${path}/values`, `${values.length} values; at most ${MOST_VALUES} can be told apart by ear`);
  const said = values.map(choiceOf).map(({ value }) => value);
  const twice = said.find((value, i) => said.indexOf(value) !== i);
  if (twice !== undefined) fail(`${path}/values`, `"${twice}" stands there twice`);
}

/** What is said may name slots, and what the doing gives; what is read back may name slots only. */
function checkSentences({ readBack, slots }: NamedErrand, fail: Fail): void {
  if (typeof readBack !== 'string') return;
  for (const [, place = ''] of readBack.matchAll(PLACE)) {
    const [slot = ''] = place.split('|');
    if (!Object.hasOwn(slots, slot))
      fail('/readBack', `"{${place}}" is none of its slots: ${Object.keys(slots).join(', ')}`);
  }
}
