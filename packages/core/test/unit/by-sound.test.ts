/**
 * Expected phrases known by their sound, and words put right by it: on their own, and in a talk on the
 * virtual clock.
 */
import { describe, expect, it } from '@jest/globals';
import { bySound, PhraseSounds, replay, type HeardWord, type Sounds } from '../../src/index.js';
import { putBySound } from '../../src/hearing/by-sound.js';
import type { Kept } from '../../src/journal/folds.js';
import { OVER_MS, planned, Stage } from './stage.js';

/** As the dictionary has them. */
const SOUNDS: Sounds = {
  who: ['HH UW'],
  is: ['IH Z'],
  the: ['DH AH', 'DH IY'],
  warden: ['W AO R D AH N'],
  of: ['AH V'],
  how: ['HH AW'],
  many: ['M EH N IY'],
  bunks: ['B AH NG K S'],
  are: ['AA R', 'ER'],
  free: ['F R IY'],
  at: ['AE T'],
  heron: ['HH EH R AH N'],
  rowan: ['R OW AH N'],
  hut: ['HH AH T'],
  on: ['AA N'],
  tuesday: ['T UW Z D EY'],
  thursday: ['TH ER Z D EY'],
  we: ['W IY'],
  will: ['W AH L'],
  arrive: ['ER AY V'],
  late: ['L EY T'],
  tell: ['T EH L'],
  that: ['DH AE T'],
  my: ['M AY'],
  card: ['K AA R D'],
};
const OTHERS: Sounds = {
  use: ['Y UW Z'],
  three: ['TH R IY'],
  oh: ['OW'],
  eight: ['EY T'],
  those: ['DH OW Z'],
  be: ['B IY'],
  has: ['HH AE Z'],
  seen: ['S IY N'],
  a: ['AH'],
  walker: ['W AO K ER'],
  no: ['N OW'],
  one: ['W AH N'],
  nine: ['N AY N'],
};
const EXPECT = {
  phrases: [
    'who is the warden of <hut>',
    'how many bunks are free at <hut> on <night>',
    'tell the warden at <hut> that we will arrive late',
    'my card is <card: digits 4>',
  ],
  slots: { hut: ['Heron Hut', 'Rowan Hut'], night: ['Tuesday', 'Thursday'] },
};
const phrases = new PhraseSounds(EXPECT, SOUNDS);

/** `use:26`: heard, and how sure recognition is in percent; 95 where it does not say. */
function heard(text: string): HeardWord[] {
  return text.split(' ').map((part, i) => {
    const [word, sure = '95'] = part.split(':') as [string, string?];
    const phones = (SOUNDS[word] ?? OTHERS[word])?.[0];
    const times = { fromMs: 300 * i, toMs: 300 * i + 250 };
    return { word, ...times, confidence: Number(sure) / 100, ...(phones === undefined ? {} : { phones }) };
  });
}
const settled = (text: string, before = '') =>
  bySound(phrases, before === '' ? [] : heard(before), heard(text))
    .map(({ word }) => word)
    .join(' ');

describe('words are put right by their sound', () => {
  it.each([
    ['use:26 the warden of:92 rowan hut', '', 'who is the warden of rowan hut'],
    [
      'how many bunks are three:67 at rowan hut on tuesday',
      '',
      'how many bunks are free at rowan hut on tuesday',
    ],
    // The end of a saying whose beginning was final before.
    ['we will arrive oh:18 eight:30', 'tell the warden at heron hut that', 'we will arrive late'],
    // A phrase that has only begun.
    ['how many bunks are three:40 at', '', 'how many bunks are free at'],
    // A word that is one too many.
    [
      'tell the warden at heron hut a:10 that we will arrive late',
      '',
      'tell the warden at heron hut that we will arrive late',
    ],
  ])('"%s" after "%s"', (text, before, said) => expect(settled(text, before)).toBe(said));

  it.each([
    ['what is expected', 'who is the warden of rowan hut'],
    ['what only begins like a phrase', 'has:90 a walker seen the warden'],
    [
      'words of which recognition is sure, unless they sound nearly the same',
      'use:95 the warden of rowan hut',
    ],
    [
      'a value that an errand may act on, when what was heard is far from it',
      'how many bunks are free at rowan hut on no:20',
    ],
    ['what is short', 'three:20 at rowan hut'],
    ['a saying of whose end nothing was heard', 'tell the warden at heron hut that we will arrive'],
    [
      'a word in whose place nothing was heard, unless it is short',
      'tell the at heron hut that we will arrive late',
    ],
    ['a phrase within a longer saying', 'my walker has seen no one use:26 the warden of rowan hut'],
    ['a word that changes what is wanted', 'how many bunks are no:20 free at rowan hut on tuesday'],
    ['free text: numbers of an open slot', 'my card is no:30 one nine nine'],
  ])('leaves %s as it was heard', (_, text) => {
    const words = heard(text);
    expect(bySound(phrases, [], words, new Set(['no']))).toEqual(words);
  });

  it('leaves words of which no sound is known, and changes nothing that was final before', () => {
    const unknown = heard('use:26 the warden of rowan hut').map(({ word, fromMs, toMs }) => ({
      word,
      fromMs,
      toMs,
    }));
    expect(bySound(phrases, [], unknown)).toEqual(unknown);
    expect(settled('of rowan hut', 'use:26 the warden')).toBe('of rowan hut');
  });

  it('says what was heard, keeps the time of it, and is no surer than recognition was', () => {
    const words = bySound(phrases, [], heard('use:26 the warden of rowan hut'));
    expect(words.slice(0, 3)).toMatchObject([
      { word: 'who', fromMs: 0, heardAs: 'use', confidence: 0.26 },
      { word: 'is', toMs: 250, heardAs: 'use', confidence: 0.26 },
      { word: 'the', fromMs: 300, toMs: 550 },
    ]);
    expect(words[0]!.toMs).toBe(words[1]!.fromMs);
    expect(words[2]).not.toHaveProperty('heardAs');
    expect(putBySound(words)).toEqual([{ put: 'who is', heard: 'use' }]);
  });

  it('comes to an end with phrases that say very much, and with long sayings', () => {
    const many = Array.from(
      { length: 40 },
      (_, i) =>
        Array.from({ length: 8 }, () => '(who|is|the|warden|of|at|hut|on|we|will)').join(' ') +
        (i % 2 ? ' late' : ''),
    );
    const wide = new PhraseSounds({ phrases: many }, SOUNDS);
    const long = heard(
      Array.from({ length: 400 }, (_, i) => ['the', 'warden', 'of', 'hut'][i % 4]).join(' '),
    );
    expect(bySound(wide, [], long)).toEqual(long);
    expect(bySound(wide, long, heard('the warden of hut'))).toHaveLength(4);
  });
});

describe('in a talk', () => {
  function asked(text: string, withSounds = true) {
    const kept: { side: 'happening' | 'order'; body: unknown }[] = [];
    const plan = planned({}, { expect: EXPECT, ...(withSounds ? { sounds: SOUNDS } : {}) });
    const stage = new Stage(plan, kept);
    const words = heard(text);
    const wait = stage.pauseAfter((recognition) =>
      stage.happen({ kind: 'final', recognition, words, alternatives: [] }),
    );
    stage.wait(OVER_MS);
    stage.write('Her name is Quill.');
    stage.playAll();
    return { stage, kept, wait };
  }

  it('the model is asked what was put right, the report and the words say what was heard, and the wait is that of the phrase', () => {
    const text = 'use:26 the warden of rowan hut';
    const { stage, wait } = asked(text);
    expect(stage.last('think').messages.at(-1)).toMatchObject({ text: 'who is the warden of rowan hut' });
    const [turn] = stage.told('turn');
    expect(turn!.report).toMatchObject({
      text: 'who is the warden of rowan hut',
      bySound: [{ put: 'who is', heard: 'use' }],
    });
    expect(stage.told('final')[0]!.words.map(({ heardAs }) => heardAs)).toEqual([
      'use',
      'use',
      ...Array.from({ length: 5 }, () => undefined),
    ]);
    const without = asked(text, false);
    expect(without.stage.told('turn')[0]!.report).not.toHaveProperty('bySound');
    expect(without.stage.told('turn')[0]!.report.text).toBe('use the warden of rowan hut');
    expect(wait!.ms).toBeLessThan(without.wait!.ms);
  });

  it('is replayed word by word from its journal, which keeps what was heard', () => {
    const { kept } = asked('use:26 the warden of rowan hut');
    const final = kept.find(({ body }) => (body as { kind: string }).kind === 'final')!;
    expect((final.body as { words: HeardWord[] }).words[0]).toMatchObject({ word: 'use' });
    expect(replay(kept as Kept[], {}).difference).toBeNull();
  });
});
