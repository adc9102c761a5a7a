/** Answers that a developer wrote. */
import { describe, expect, it } from '@jest/globals';
import { AnswerBook, type Entry, ExpectedPhrases, expandPhrases, Fault } from '../../src/index.js';
import type { AuthoredAnswers } from '../../src/thinking/authored-answers.js';

const book: AuthoredAnswers = {
  slots: { hut: ['Heron Hut', 'Rowan Hut'], place: ['<hut>', 'the bridge'], number: ['two', 'twelve'] },
  answers: [
    {
      name: 'supper',
      when: ['(when|what time) is (supper|dinner) [at <hut>]'],
      say: ['Supper at {hut|all huts} is at six.', 'We eat at six.'],
      then: [
        { when: ['[and] [what about] breakfast'], say: ['Breakfast is at seven.'] },
        { when: ['and at <hut>'], say: ['At {hut} too.'] },
      ],
    },
    { when: ['how far is <place>'], say: ['{place} is an hour away.'] },
    { when: ['... far ...'], say: ['Everything is far.'] },
    { when: ['book <number> bunks'], say: ['{number} bunks, gladly.'] },
    { when: ['who is the warden'], pass: true },
    { name: 'dinner-too', when: ['do we eat'], like: 'supper' },
  ],
  otherwise: ['I do not know that.', 'That is beyond me.'],
};

/** What is answered to the last of these sayings; `said` is what was answered to each before. */
function answer(sayings: string[], seed = 1): string {
  const authored = new AnswerBook(book);
  const messages: Entry[] = [];
  let text = '';
  for (const saying of sayings) {
    messages.push({ role: 'caller', text: saying });
    const outcome = authored.answer(messages, seed);
    text = outcome.kind === 'say' ? outcome.text : '(passed on)';
    messages.push({ role: 'assistant', text });
  }
  return text;
}

describe('authored answers', () => {
  it.each<[string[], RegExp]>([
    [['When is supper?'], /^(Supper at all huts is at six\.|We eat at six\.)$/],
    [['Please, what time is dinner at Rowan Hut?'], /^(Supper at Rowan Hut is at six\.|We eat at six\.)$/],
    [['Hello, when is supper at Heron Hut, please?'], /six/],
    [['How far is Heron Hut?'], /^Heron Hut is an hour away\.$/],
    [['How far is the bridge?'], /^The bridge is an hour away\.$/],
    [['Is it far from here?'], /^Everything is far\.$/],
    [['Book 12 bunks'], /^Twelve bunks, gladly\.$/],
    [['Book two bunks'], /^Two bunks, gladly\.$/],
    [['Who is the warden?'], /passed on/],
    [['Do we eat?'], /six/],
    [['And breakfast?'], /^(I do not know that\.|That is beyond me\.)$/],
    [['When is supper?', 'And breakfast?'], /^Breakfast is at seven\.$/],
    [['When is supper?', 'And at Rowan Hut?', 'And at Heron Hut?'], /^At Heron Hut too\.$/],
    [['When is supper?', 'Is it far?', 'And breakfast?'], /^(I do not know that\.|That is beyond me\.)$/],
    [['When is supper at the moon?'], /^(I do not know that\.|That is beyond me\.)$/],
  ])('%j is answered with %s', (sayings, wanted) => {
    expect(answer(sayings)).toMatch(wanted);
  });

  it('never says the same twice in a row where there is another reply, and the same seed says the same again', () => {
    for (let seed = 0; seed < 30; seed++) {
      const first = answer(['When is supper?'], seed);
      const second = answer(['When is supper?', 'When is dinner?'], seed);
      expect(second).not.toBe(first);
      expect(answer(['When is supper?', 'When is dinner?'], seed)).toBe(second);
    }
    expect(new Set(Array.from({ length: 30 }, (_, seed) => answer(['When is supper?'], seed))).size).toBe(2);
  });

  it.each<[string, Partial<AuthoredAnswers>, string, string]>([
    [
      'a loop of likes',
      {
        answers: [
          { name: 'a', when: ['x'], like: 'b' },
          { name: 'b', when: ['y'], like: 'a' },
        ],
      },
      '/answers/0/like',
      'loop: b → a → b',
    ],
    [
      'a loop of slots',
      { slots: { a: ['<b>'], b: ['<a>'] }, answers: [{ when: ['<a>'], say: ['x'] }] },
      '/answers/0/when/0',
      'loop: a → b → a',
    ],
    ['an unknown like', { answers: [{ when: ['x'], like: 'nobody' }] }, '/answers/0/like', '"nobody"'],
    [
      'a missing slot',
      { answers: [{ when: ['x'], say: ['At {hut}.'] }] },
      '/answers/0/say',
      'none of its patterns can fill',
    ],
    [
      'a slot that may be missing',
      { answers: [{ when: ['x [<hut>]'], say: ['At {hut}.'] }] },
      '/answers/0/when/0',
      'may be missing',
    ],
    [
      'an unknown slot',
      { answers: [{ when: ['x <moon>'], say: ['y'] }] },
      '/answers/0/when/0',
      'the slot <moon> is not given',
    ],
    [
      'two equal patterns',
      {
        answers: [
          { when: ['(a|b) c'], say: ['x'] },
          { when: ['(b|a) c'], say: ['y'] },
        ],
      },
      '/answers/1/when/0',
      'stands here twice',
    ],
    [
      'equal patterns in a follow-up',
      {
        answers: [
          {
            when: ['a'],
            say: ['x'],
            then: [
              { when: ['b'], say: ['y'] },
              { when: ['b'], say: ['z'] },
            ],
          },
        ],
      },
      '/answers/0/then/1/when/0',
      'twice',
    ],
    ['an open bracket', { answers: [{ when: ['(a|b'], say: ['x'] }] }, '/answers/0/when/0', '")" is missing'],
    ['nothing to say', { answers: [{ when: ['a'] }] }, '/answers/0', 'exactly one of'],
    [
      'a name twice',
      {
        answers: [
          { name: 'a', when: ['a'], say: ['x'] },
          { name: 'a', when: ['b'], say: ['y'] },
        ],
      },
      '/answers/1/name',
      'two answers',
    ],
  ])('%s is refused, with its place', (_name, change, path, words) => {
    let fault: unknown;
    try {
      new AnswerBook({ slots: { hut: ['Heron Hut'] }, otherwise: 'pass', ...change } as AuthoredAnswers);
    } catch (error) {
      fault = error;
    }
    expect(fault).toBeInstanceOf(Fault);
    expect((fault as Fault).path).toBe(path);
    expect((fault as Fault).detail).toContain(words);
  });

  it('a long saying against a greedy pattern takes no noticeable time', () => {
    const greedy = new AnswerBook({
      answers: [{ when: ['... a ... b ... c ... d'], say: ['x'] }],
      otherwise: ['no'],
    });
    const text = 'a b c '.repeat(250);
    expect(greedy.answer([{ role: 'caller', text }], 1)).toEqual({ kind: 'say', text: 'No' });
  });
});

describe('open slots', () => {
  const library = new AnswerBook({
    slots: { branch: ['North Street', 'the Old Mill'] },
    answers: [
      {
        when: ['(renew|extend) <title: words>', 'i have <title: words> and want it longer'],
        say: ['{title} is yours for another week.'],
        then: [{ when: ['for <n: count> weeks'], say: ['{n} weeks for {title}.'] }],
      },
      {
        when: ['my card is <card: digits 4>', 'my card is <card: digits 4> and i want <n: count> books'],
        say: ['Card {card}, {n|no} books.'],
      },
      { when: ['(are you open|open) <when: date>'], say: ['{when} we are open.'] },
      { when: ['where is <branch>'], say: ['{branch} is near.'] },
    ],
    otherwise: ['I do not know.'],
  });
  const say = (...sayings: string[]) => {
    const outcome = library.answer(
      sayings.map((text) => ({ role: 'caller' as const, text })),
      1,
    );
    return outcome.kind === 'say' ? outcome.text : 'pass';
  };

  it.each([
    ['Renew the blue lantern, please.', 'The blue lantern is yours for another week.'],
    ['I have Ships and Winds and want it longer', 'Ships and winds is yours for another week.'],
    ['My card is four seven one two.', 'Card 4712, no books.'],
    ['My card is 4712.', 'Card 4712, no books.'],
    ['My card is four seven one two and I want three books', 'Card 4712, 3 books.'],
    ['My card is 47 12 and I want twenty five books', 'Card 4712, 25 books.'],
    ['My card is four seven one', 'I do not know.'],
    ['Are you open tomorrow?', 'Tomorrow we are open.'],
    ['Open on Friday', 'Friday we are open.'],
    ['Are you open the day after tomorrow?', 'The day after tomorrow we are open.'],
    ['Are you open on the twenty third of May?', 'The twenty third of May we are open.'],
    ['Are you open in general?', 'I do not know.'],
    ['Where is the old mill?', 'The Old Mill is near.'],
  ])('%s', (said, answered) => expect(say(said)).toBe(answered));

  it('keep what they hold over follow-ups, until the subject changes', () => {
    expect(say('renew the blue lantern', 'for three weeks')).toBe('3 weeks for the blue lantern.');
    expect(say('renew the blue lantern', 'for three weeks', 'for two weeks')).toBe(
      '2 weeks for the blue lantern.',
    );
    expect(say('my card is four seven one two and i want three books', 'my card is one two three four')).toBe(
      'Card 1234, no books.',
    );
  });

  it.each([
    ['<a: words> and <a: words>', /names the slot <a> twice/],
    ['from <branch> to <branch>', /names the slot <branch> twice/],
    ['<a: digits four>', /is no open slot: write <name: words>/],
    ['<a: count 3>', /is no open slot/],
  ])('%s is a mistake', (pattern, words) => {
    const book = {
      slots: { branch: ['a'] },
      answers: [{ when: [pattern], say: ['x'] }],
      otherwise: 'pass' as const,
    };
    expect(() => new AnswerBook(book)).toThrow(words);
  });

  it('are what callers are expected to say', () => {
    const { phrases, slots } = library.expected;
    const drawn = expandPhrases({ phrases, slots }, 'en').map((words) => words.join(' '));
    expect(
      drawn.some((one) =>
        /^my card is( (zero|oh|one|two|three|four|five|six|seven|eight|nine)){4}$/.test(one),
      ),
    ).toBe(true);
    const expected = new ExpectedPhrases({ phrases, slots }, 'en');
    expect(expected.match('my card is four seven'.split(' '))).toMatchObject({ whole: false, begun: true });
    expect(expected.match('my card is four seven one two'.split(' '))).toMatchObject({ whole: true });
  });
});
