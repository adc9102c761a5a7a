/** Files of a project: what is wrong in one is told with its line. */
import { describe, expect, it } from '@jest/globals';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Project } from '@verbalon/service';
import { findingsIn } from '../../src/project/index.js';
import { ASSISTANT, cloudsProject } from '../../../../testing/clouds-project.js';

describe('what is wrong in a file is told with its line', () => {
  it.each([
    [
      'thinker',
      '{ piece: /say }',
      '{ piece: say }',
      /thinker\.yaml:\d+: .*must be a JSON Pointer \(RFC 6901\), such as/,
    ],
    [
      'alder-ears',
      '{ when: { /type: guess }',
      '{ when: { type: guess }',
      /alder-ears\.yaml:\d+: "type" is no JSON Pointer/,
    ],
    ['thinker', 'wire: http', 'wire: pigeon', /thinker\.yaml:\d+: "wire" must be/],
    [
      'thinker',
      "persona: '{persona}'",
      "persona: '{persna}'",
      /thinker\.yaml:\d+: \{persna\} stands for nothing/,
    ],
    ['thinker', 'millionTokensIn: 0.4', 'millionTokensIn: -1', /thinker\.yaml:\d+: .*>= 0/],
    ['alder-mind', 'secret: ALDER_KEY\n', '', /alder-mind\.yaml:\d+: \{secret\} is used/],
    ['alder-ears', 'final:', 'partial:', /alder-ears\.yaml:\d+: it reads nothing of use/],
  ])('%s: %s', (name, from, to, words) => {
    const folder = cloudsProject();
    const path = join(folder, 'engines', `${name}.yaml`);
    const text = readFileSync(path, 'utf8');
    expect(text).toContain(from);
    writeFileSync(path, text.replace(from, to));
    expect([...new Project(folder).problems().values()][0]).toMatchObject({
      detail: expect.stringMatching(words),
    });
  });

  it('two cards of one name', () => {
    const folder = cloudsProject();
    writeFileSync(join(folder, 'engines/echo.yml'), 'title: again\n');
    expect(new Project(folder).problems().get('engines/echo')!.detail).toMatch(/two files have one name/);
  });

  it.each([
    ['llm: []', /fewer than 1|llm/],
    ['llm: nobody', /"nobody" has no card/],
    ['llm: voice', /is of the role tts/],
    [
      'llm: thinker\n  tts: voice\nstay: on-machine',
      /runs in a cloud, and this assistant stays on the machine/,
    ],
    ['llm: [desk, birch-mind]\n  tts: voice\nstay: on-machine', /birch-mind/],
    ['llm: desk\n  tts: voice\nspeaks: de', /knows en, not de; alder-mind, birch-mind would do/],
    [
      'llm: desk\n  tts: voice\nstay: on-machine\nstages: { heard: { at: "http://example.org/x" } }',
      /not on this machine/,
    ],
  ])('a lineup with %s', (llm, words) => {
    const folder = cloudsProject();
    const rest = llm.includes('tts:') ? '' : '  tts: voice\n';
    writeFileSync(join(folder, 'assistants/bad.yaml'), `${ASSISTANT}lineup:\n  stt: ears\n  ${llm}\n${rest}`);
    const problem = new Project(folder).problems().get('assistants/bad');
    expect(problem!.detail).toMatch(words);
    expect(problem!.detail).toMatch(/bad\.yaml:\d+:/);
  });
});

describe('an assistant knows how its expected phrases sound', () => {
  const EXPECT = 'expect: { phrases: ["is <hut> open"], slots: { hut: [Heron Hut] } }\nlexicon: own.pls\n';
  const LEXICON = `<lexicon version="1.0" alphabet="x-arpabet" xml:lang="en" xmlns="http://www.w3.org/2005/01/pronunciation-lexicon">
    <lexeme><grapheme>heron</grapheme><phoneme>HH IY R AH N</phoneme></lexeme></lexicon>`;
  const planOf = (lineup: string, language = 'en') => {
    const folder = cloudsProject();
    writeFileSync(join(folder, 'assistants/own.pls'), LEXICON);
    writeFileSync(
      join(folder, 'assistants/knows.yaml'),
      `${ASSISTANT.replace('language: en', `language: ${language}`)}${EXPECT}lineup: { ${lineup}, llm: alder-mind, tts: alder-voice }\n`,
    );
    const card = join(folder, 'engines/alder-ears.yaml');
    writeFileSync(card, `${readFileSync(card, 'utf8')}settle: by sound\n`);
    const ears = join(folder, 'engines/plain-ears.yaml');
    writeFileSync(ears, `${readFileSync(join(folder, 'engines/ears.yaml'), 'utf8')}settle: as heard\n`);
    return new Project(folder).assistant('knows').plan;
  };

  it('by its lexicon and the dictionary, where its ears may have words put right by it', () => {
    const sounds = planOf('stt: ears').sounds!;
    expect(sounds.heron).toEqual(['HH IY R AH N', 'HH EH R AH N']);
    expect(sounds.open).toEqual(['OW P AH N']);
    expect(planOf('stt: alder-ears').sounds).toEqual(sounds);
    expect(planOf('stt: [birch-ears, ears]').sounds).toEqual(sounds);
  });

  it.each([
    ['whose card says "as heard"', 'stt: plain-ears', 'en'],
    ['of another kind, whose card does not say', 'stt: birch-ears', 'en'],
    ['that hear another language', 'stt: alder-ears', 'de'],
  ])('and not with ears %s', (_, lineup, language) =>
    expect(planOf(lineup, language)).not.toHaveProperty('sounds'),
  );
});

/** Everything that can be known without running it is found by `check`, with its line. */
describe('check finds', () => {
  const ERRAND = `title: take a ticket
about: Takes a ticket.
begins: [take a ticket for <day>]
slots: { day: { kind: date, ask: 'Which day?' }, ticket: { kind: digits, ask: 'Which ticket, {day}?' } }
does: { http: { to: 'http://127.0.0.1:9/tickets/{ticket}', gives: { number: /number } } }
says: { done: 'It is {number}.' }
`;
  /** @returns what is found that was not found before the change */
  function found(files: Record<string, string>): string[] {
    const folder = cloudsProject();
    const path = (name: string) => join(folder, name);
    mkdirSync(path('errands'), { recursive: true });
    writeFileSync(path('errands/ticket.yaml'), ERRAND);
    const assistant = `${ASSISTANT}lineup: { stt: ears, llm: alder-mind, tts: voice }\n`;
    writeFileSync(path('assistants/desk-clerk.yaml'), `${assistant}errands: [ticket]\n`);
    const told = () =>
      findingsIn(folder, process.env)
        .filter(({ grade, detail }) => grade === 'error' && !detail.startsWith('there is no errands/'))
        .map(({ file, line, detail }) => `${file}:${line}: ${detail}`);
    const before = told();
    for (const [name, text] of Object.entries(files)) {
      const whole =
        name === 'project.yaml'
          ? readFileSync(path(name), 'utf8').replace(new RegExp(`${text.split(/\s+/)[0]!} .*`), text)
          : text.startsWith('+')
            ? `${assistant}${text.slice(1)}`
            : text;
      writeFileSync(path(name), whole);
    }
    return told().filter((one) => !before.includes(one));
  }

  const errand = (from: string, to: string) => {
    expect(ERRAND).toContain(from);
    return { 'errands/ticket.yaml': ERRAND.replace(from, to) };
  };

  it.each<[string, () => Record<string, string>, RegExp]>([
    [
      'a zone that is none',
      () => ({ 'project.yaml': 'zone: London' }),
      /project\.yaml:\d+: .*no zone.*write "zone: Europe\/London"/,
    ],
    [
      'a place in an address',
      () => errand('tickets/{ticket}', 'tickets/{tickt}'),
      /ticket\.yaml:5: nothing fills \{tickt\}: known here are \{day\}, \{ticket\}, \{run\}/,
    ],
    [
      'a place in a sentence',
      () => errand('It is {number}', 'It is {nmber}'),
      /ticket\.yaml:6: nothing fills \{nmber\}: .*\{number\}/,
    ],
    [
      'a place in a question',
      () => errand('ticket, {day}', 'ticket, {dy}'),
      /ticket\.yaml:4: nothing fills \{dy\}/,
    ],
    [
      'a module that is not there',
      () =>
        errand(
          "http: { to: 'http://127.0.0.1:9/tickets/{ticket}', gives: { number: /number } }",
          'module: take.js',
        ),
      /ticket\.yaml:5: "take\.js" is no file of the project/,
    ],
    [
      'a number of nobody',
      () => ({ 'project.yaml': "numbers: { '100': nobody }" }),
      /project\.yaml:\d+: .*names the assistant "nobody", which is not there/,
    ],
    [
      'a phoneme that is none',
      () => ({
        'assistants/own.pls':
          '<lexicon version="1.0" alphabet="x-arpabet" xml:lang="en"><lexeme><grapheme>heron</grapheme><phoneme>HH IX R</phoneme></lexeme></lexicon>',
        'assistants/desk-clerk.yaml': '+errands: [ticket]\nlexicon: own.pls\nexpect: { phrases: [heron] }\n',
      }),
      /^assistants\/own\.pls:1: "heron" has the phoneme "IX"/,
    ],
    [
      'errands that begin alike',
      () => ({
        'errands/other.yaml': ERRAND.replace('title: take a ticket', 'title: fetch it')
          .replace(
            '[take a ticket for <day>]',
            '["... ticket (for|on) <day>", "take a ticket (for|on) <day>"]',
          )
          .replace("'Which ticket, {day}?'", "'Which?'"),
        'assistants/desk-clerk.yaml': '+errands: [other, ticket]\n',
      }),
      /errands\/ticket\.yaml:3: "take a ticket for .*" begins the errand "other" as well/,
    ],
    [
      'a pattern that fits everything',
      () => errand('[take a ticket for <day>]', "['[take] [a ticket]']"),
      /ticket\.yaml:3: .*fits whatever is said/,
    ],
    [
      'a list that is none',
      () => errand("ask: 'Which day?'", "ask: 'Which day?', days: Monday"),
      /ticket\.yaml:4: "slots\.day\.days" must be a list of Monday, Tuesday/,
    ],
  ])('%s', (_, change, words) => {
    expect(found(change())).toEqual([expect.stringMatching(words)]);
  });

  it('one mistake of a wrong "does", and not one for each way of doing', () => {
    const wrong = found(errand('does: { http: { to:', 'does: { htp: { to:'));
    expect(wrong).toEqual([expect.stringMatching(/"does" must have one of http, module, program/)]);
    expect(
      found(errand(', gives: { number: /number }', ', gives: { number: /number }, body: 3, deadline: 2')),
    ).toEqual([expect.stringMatching(/"does\.http" has "deadline", which is not known here/)]);
  });

  it('an assistant may expect its answers and phrases of its own', () => {
    const folder = cloudsProject();
    mkdirSync(join(folder, 'answers'), { recursive: true });
    writeFileSync(
      join(folder, 'answers/few.yaml'),
      'title: Few\nanswers: [{ when: [are you open], say: [Yes.] }]\notherwise: [No.]\n',
    );
    writeFileSync(
      join(folder, 'engines/few.yaml'),
      'title: Few\nrole: llm\nwire: answers\nwhere: on-machine\nlanguages: [en]\nanswers: few\n',
    );
    writeFileSync(
      join(folder, 'assistants/both.yaml'),
      `${ASSISTANT}lineup: { stt: ears, llm: few, tts: voice }\nexpect: { from: answers, phrases: [where is it] }\n`,
    );
    expect(new Project(folder).assistant('both').plan.expect.phrases).toEqual([
      'where is it',
      'are you open',
    ]);
  });
});
