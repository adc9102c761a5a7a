/**
 * Grammars: read as SRGS and JSGF, written as both, fitted to words; contacts as values; what is dictated.
 */
import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { ErrandBook } from '../../src/errands/book.js';
import { checkContacts, contactChoices, peopleOf, type Contacts } from '../../src/errands/contacts.js';
import type { NamedErrand } from '../../src/errands/contract.js';
import { dictated, isOver } from '../../src/errands/dictation.js';
import { tokensOf } from '../../src/language/tokens.js';
import { trySayings, wrongExample } from '../../src/errands/try.js';
import { Fault } from '../../src/common/faults.js';
import { drawFrom, fitRule, fitWhole, type Grammar, type Rule } from '../../src/grammar/grammar.js';
import { readJsgf, writeJsgf } from '../../src/grammar/jsgf.js';
import { readSrgs, writeSrgs } from '../../src/grammar/srgs.js';
import { languageOf } from '../../src/language/language.js';
import { seeded } from '../../src/common/seeded.js';
import { BOOK, WEATHER } from './hut-errands.js';

const now = { day: '2026-11-26', minute: 600 };
const { dictation } = languageOf('en').errands!;

const MEALS = `<?xml version="1.0"?>
<grammar xmlns="http://www.w3.org/2001/06/grammar" version="1.0" xml:lang="en" root="meal">
  <!-- what there is -->
  <rule id="meal" scope="public">
    <item repeat="0-1">the</item>
    <one-of>
      <item><item repeat="0-2">very</item> good soup <tag>soup</tag></item>
      <item><ruleref uri="#stew"/> <tag>stew</tag></item>
    </one-of>
  </rule>
  <rule id="stew"><one-of><item>bean</item><item>vegetable</item></one-of> <token>stew</token></rule>
</grammar>`;

const fault = (work: () => unknown): string => {
  try {
    work();
  } catch (error) {
    if (error instanceof Fault) return error.detail;
    throw error;
  }
  return 'nothing is wrong';
};

describe('SRGS', () => {
  const grammar = readSrgs(MEALS);
  it.each([
    ['the bean stew please', { count: 3, meaning: 'stew', named: {} }],
    ['very very good soup', { count: 4, meaning: 'soup', named: {} }],
    ['very very very good soup', null],
    ['stew', null],
  ])('%s', (said, fit) => expect(fitRule(grammar, 'meal', said.split(' '), 0)).toEqual(fit));

  it.each([
    ['<grammar', /^it is not XML/],
    ['<other/>', /outermost element is not <grammar>/],
    ['<grammar root="x"><rule id="a">b</rule></grammar>', /root "x" is none of its rules: a/],
    ['<grammar><rule id="a"><ruleref uri="#b"/></rule></grammar>', /the rule "b" is not given/],
    ['<grammar><rule id="a"><ruleref uri="other.grxml#b"/></rule></grammar>', /only rules of the same file/],
    ['<grammar><rule id="a"><item repeat="often">b</item></rule></grammar>', /repeat="often" is no number/],
    ['<grammar><rule id="a">x</rule><rule id="a">y</rule></grammar>', /"a" stands there twice/],
  ])('refuses %s in words', (text, words) => expect(fault(() => readSrgs(text))).toMatch(words));
});

describe('JSGF', () => {
  const text =
    '#JSGF V1.0;\ngrammar m;\n// what there is\npublic <meal> = [the] (very* good soup {soup} | <stew> {stew});\n<stew> = (bean | vegetable) stew;\n';
  it('means the same', () => {
    const grammar = readJsgf(text);
    expect(fitWhole(grammar, 'very very good soup'.split(' '))).toMatchObject({ meaning: 'soup' });
    expect(fitWhole(grammar, 'the vegetable stew'.split(' '))).toMatchObject({ meaning: 'stew' });
  });
  it.each([
    ['grammar x;', /does not begin with #JSGF/],
    ['#JSGF V1.0;\n<a> = b;', /no public rule/],
    ['#JSGF V1.0;\npublic <a> = (b;', /a "\)" is missing|stands where a word is expected/],
    ['#JSGF V1.0;\npublic <a> = <b>;', /<b> is not given/],
  ])('refuses %s in words', (broken, words) => expect(fault(() => readJsgf(broken))).toMatch(words));
});

/** Rules without what only one of the two forms knows. */
const rules: fc.Arbitrary<Rule> = fc.letrec<{ rule: Rule }>((tie) => ({
  rule: fc.oneof(
    { maxDepth: 3 },
    fc.constantFrom('bean', 'soup', 'the', 'good').map((word): Rule => ({ kind: 'words', words: [word] })),
    fc.constantFrom('soup', 'hut=Rowan Hut').map((text): Rule => ({ kind: 'tag', text })),
    fc.array(tie('rule'), { minLength: 2, maxLength: 3 }).map((of): Rule => ({ kind: 'row', of })),
    fc.array(tie('rule'), { minLength: 2, maxLength: 3 }).map((of): Rule => ({ kind: 'one of', of })),
    fc
      .tuple(tie('rule'), fc.constantFrom([0, 1], [0, 2], [1, 2]))
      .map(([of, [least, most]]): Rule => ({ kind: 'repeat', of, least: least!, most: most! })),
  ),
})).rule;

describe('what is written', () => {
  it('is read again as a grammar that allows and means the same', () => {
    fc.assert(
      fc.property(rules, fc.integer({ min: 1, max: 1_000 }), (rule, seed) => {
        const grammar: Grammar = { root: 'all', rules: { all: rule } };
        const words = drawFrom(grammar, 'all', seeded(seed));
        const fit = fitWhole(grammar, words);
        if (words.length > 0) expect(fit).not.toBeNull();
        for (const again of [readSrgs(writeSrgs(grammar, 'en')), readJsgf(writeJsgf(grammar, 'x'))])
          expect(fitWhole(again, words)?.count).toBe(fit?.count);
      }),
      { numRuns: 150 },
    );
  });

  it('has the patterns of an errand, with the values of its lists as tags', () => {
    const book = new ErrandBook([BOOK], 'en');
    const grammar = readSrgs(writeSrgs(book.grammarOf('book-bunks'), 'en'));
    expect(fitWhole(grammar, 'three bunks please'.split(' '))?.named).toEqual({ bunks: '3' });
    const weather = new ErrandBook([WEATHER], 'en').grammarOf('weather');
    expect(fitWhole(weather, 'what is the weather at rowan'.split(' '))?.named).toEqual({ hut: 'Rowan Hut' });
  });
});

describe('an errand with grammars', () => {
  const supper: NamedErrand = {
    name: 'supper',
    title: 'order supper',
    about: 'Orders supper.',
    grammar: readJsgf('#JSGF V1.0;\npublic <a> = supper for <n>;\n<n> = two {people=2} | three {people=3};'),
    slots: {
      people: { kind: 'count', ask: 'How many?' },
      meal: { kind: 'rule', grammar: readSrgs(MEALS), ask: 'Soup or stew?' },
    },
  };
  it('begins by one, and takes values of both', () => {
    expect(wrongExample(supper, { say: 'supper for three', gives: { people: 3 } }, 'en')).toBeNull();
    const tried = trySayings([supper], ['supper for two', 'the bean stew'], 'en', now);
    expect(tried.at(-1)).toMatchObject({
      does: 'say',
      stage: 'reading back',
      slots: { people: { value: 2 }, meal: { value: 'stew' } },
    });
  });
  it('is told when a rule is none of its grammar', () => {
    const slots = { meal: { ...supper.slots.meal!, rule: 'cake' } };
    expect(fault(() => new ErrandBook([{ ...supper, slots }], 'en'))).toBe(
      '"cake" is none of the grammar\'s rules: meal, stew',
    );
  });
});

const person = (key: string, name: string, also: string[] = []) => ({
  key,
  name,
  also,
  ways: {},
  sounds: {},
});
const CONTACTS: Contacts = {
  people: [
    person('anna', 'Anna Miller'),
    person('tom', 'Tom Miller'),
    person('pavel', 'Pavel Orsk', ['the warden of Rowan Hut']),
  ],
  lists: [{ key: 'crew', name: 'the path crew', also: [], of: ['anna', 'tom'] }],
};

describe('contacts', () => {
  const tell: NamedErrand = {
    name: 'tell',
    title: 'tell somebody something',
    about: 'Sends a message.',
    begins: ['tell <whom> ...'],
    slots: {
      whom: {
        kind: 'contact',
        several: true,
        values: contactChoices(CONTACTS),
        after: ['tell', 'to'],
        ask: 'Whom?',
      },
      text: { kind: 'text', after: ['that'], ask: 'What?' },
    },
  };
  const whom = (...said: string[]) => trySayings([tell], said, 'en', now).at(-1)!;

  it.each([
    ['tell pavel that the bridge is closed', 'pavel', 'Pavel Orsk'],
    ['tell the warden of rowan hut that the bridge is closed', 'pavel', 'Pavel Orsk'],
    ['tell anna and pavel that the bridge is closed', 'anna, pavel', 'Anna Miller and Pavel Orsk'],
    [
      'tell pavel orsk, the path crew and tom that the bridge is closed',
      'pavel, crew, tom',
      'Pavel Orsk, the path crew and Tom Miller',
    ],
  ])('%s', (said, value, text) => {
    expect(whom(said).slots).toMatchObject({
      whom: { value, text },
      text: { value: 'The bridge is closed' },
    });
  });

  it('a name of two is asked for, and one that nobody has is said with those there are', () => {
    expect(whom('tell miller that the bridge is closed').says).toBe('Do you mean Anna Miller or Tom Miller?');
    expect(whom('tell miller that the bridge is closed', 'tom').slots).toMatchObject({
      whom: { value: 'tom' },
    });
    expect(whom('tell miller that it is late', 'greta quill').says).toMatch(
      /^I do not know Greta quill\. There is /,
    );
  });

  it('of lists are people, each once; nobody is nobody', () => {
    expect(peopleOf('crew, tom, pavel', CONTACTS)?.map(({ key }) => key)).toEqual(['anna', 'tom', 'pavel']);
    expect(peopleOf('greta', CONTACTS)).toBeNull();
  });

  it.each([
    [
      { ...CONTACTS, people: [...CONTACTS.people, person('anna2', 'anna miller')] },
      /"anna miller" may be "anna" or "anna2"/,
    ],
    [{ ...CONTACTS, lists: [{ key: 'x', name: 'x', also: [], of: ['greta'] }] }, /"greta" is no contact/],
    [
      { ...CONTACTS, lists: [{ key: 'tom', name: 'x', also: [], of: ['anna'] }] },
      /"tom" is a contact and a list/,
    ],
  ])('that nobody could tell apart are refused: %#', (contacts, words) =>
    expect(fault(() => checkContacts(contacts))).toMatch(words),
  );
});

describe('what is dictated', () => {
  it.each([
    ['the pump is loose full stop the window does not close', 'The pump is loose. The window does not close'],
    ['first comma the pump new line second comma the window', 'First, the pump\nSecond, the window'],
    ['the pump is loose. The stove smokes. scratch that', 'The pump is loose.'],
    ['the pump scratch that the stove smokes', 'The stove smokes'],
    ['is it open question mark that is all', 'Is it open?'],
    ['that is all', ''],
  ])('%s', (said, text) => expect(dictated(tokensOf(said), dictation)).toBe(text));

  it('is over when its words say so', () => {
    const over = (said: string) => isOver(said.split(' '), dictation);
    expect([over('the pump that is all'), over('that is all the pump')]).toEqual([true, false]);
  });
});
