/** Files of a project: what is wrong in one is told with its line. */
import { describe, expect, it } from '@jest/globals';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Project } from '@verbalon/service';
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
