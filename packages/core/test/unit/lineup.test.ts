/** Choosing engines, relief within a turn, and health: on a virtual clock. */
import { describe, expect, it } from '@jest/globals';
import { EngineHealth } from '../../src/lineup/health.js';
import { forbidden, isThisMachine, nextEngine, speaks } from '../../src/lineup/choose.js';
import { OVER_MS, plan, Stage } from './stage.js';

const several = {
  stt: ['ears', 'other-ears'],
  llm: ['mind', 'other-mind', 'third-mind'],
  tts: ['voice', 'other-voice'],
};
const stage = () => new Stage({ ...plan, lineup: several });

it('another language is spoken from the next answer on, by the engines that know it', () => {
  const on = stage();
  on.happen({ kind: 'typed', text: 'is it open' });
  expect(on.last('think')).toMatchObject({ engine: 'mind', language: 'en' });
  const lineup = { stt: ['ears'], llm: ['third-mind'], tts: ['other-voice'] };
  on.happen({ kind: 'languageSet', hears: 'en-GB', speaks: 'de', lineup });
  on.happen({ kind: 'typed', text: 'and tomorrow' });
  expect(on.last('think')).toMatchObject({ engine: 'third-mind', language: 'de' });
  on.write('Ja, auch morgen.');
  expect(on.last('synthesise')).toMatchObject({ engine: 'other-voice', language: 'de' });
  on.playAll();
  on.happen({ kind: 'voiceBegan', atMs: on.nowMs });
  expect(on.last('openRecognition')).toMatchObject({ engine: 'ears', language: 'en-GB' });
});

describe('relief of a model', () => {
  it('goes on after what was already cut into phrases, and drops what was not', () => {
    const on = stage();
    on.happen({ kind: 'typed', text: 'is it open' });
    const { thought } = on.last('think');
    on.happen({ kind: 'piece', thought, text: 'Yes, the path is open today. There is some loo' });
    on.happen({ kind: 'thoughtTrouble', thought, code: 'engine-down', detail: 'mind cut the connection' });
    const again = on.last('think');
    expect(again).toMatchObject({
      engine: 'other-mind',
      purpose: 'relief',
      cause: { kind: 'engineFailed', detail: 'mind cut the connection' },
    });
    const said = on
      .all('synthesise')
      .map(({ text }) => text)
      .join(' ');
    expect(again.messages.at(-1)).toEqual({ role: 'assistant', text: said });
    on.happen({ kind: 'piece', thought, text: 'too late' });
    on.happen({ kind: 'piece', thought: again.thought, text: 'There is loose stone.' });
    on.happen({ kind: 'thoughtDone', thought: again.thought });
    on.playAll();
    const { report } = on.told('turn').at(-1)!;
    expect(report.heard).toBe('Yes, the path is open today. There is loose stone.');
    expect(report).toMatchObject({ generated: report.heard, trouble: null, answered: true });
    expect(report.reliefs).toEqual([
      {
        role: 'llm',
        from: 'mind',
        to: 'other-mind',
        cause: { kind: 'engineFailed', detail: 'mind cut the connection' },
      },
    ]);
    const shown = on
      .told('reply')
      .reduce((text, one) => (one.after === undefined ? text : text.slice(0, one.after)) + one.text, '');
    expect(shown).toBe(report.heard);
  });

  it('says so when nobody is left, and the talk survives', () => {
    const on = stage();
    on.happen({ kind: 'typed', text: 'is it open' });
    for (const name of several.llm) {
      const { thought, engine } = on.last('think');
      expect(engine).toBe(name);
      on.happen({ kind: 'thoughtTrouble', thought, code: 'engine-down', detail: 'gone' });
    }
    on.playAll();
    expect(on.told('turn').at(-1)!.report).toMatchObject({
      heard: 'I cannot think just now.',
      trouble: 'engine-down',
    });
    on.happen({ kind: 'typed', text: 'and now' });
    on.write('Yes.');
    on.playAll();
    expect(on.told('turn').at(-1)!.report.heard).toBe('Yes.');
  });

  it('leaves those that rest, unless all do', () => {
    const on = stage();
    on.happen({ kind: 'engineIs', engine: 'mind', resting: 'it failed twice' });
    on.happen({ kind: 'typed', text: 'one' });
    expect(on.last('think').engine).toBe('other-mind');
    on.happen({ kind: 'engineIs', engine: 'mind', resting: null });
    on.happen({ kind: 'typed', text: 'two' });
    expect(on.last('think').engine).toBe('mind');
    expect(nextEngine(['a', 'b'], { a: 'x', b: 'y' }, [])).toBe('a');
    expect(nextEngine(['a', 'b'], {}, ['a', 'b'])).toBeNull();
  });

  it.each(['the first', 'the second'])(
    'asks another beside one that is late; %s answers first, the other is dropped',
    (who) => {
      const on = stage();
      on.happen({ kind: 'typed', text: 'is it open' });
      const first = on.last('think');
      on.happen({ kind: 'thoughtLate', thought: first.thought });
      on.happen({ kind: 'thoughtLate', thought: first.thought });
      const second = on.last('think');
      expect(on.all('think').map(({ engine }) => engine)).toEqual(['mind', 'other-mind']);
      const [winner, loser] = who === 'the first' ? [first, second] : [second, first];
      on.happen({ kind: 'piece', thought: winner.thought, text: 'Yes.' });
      expect(on.all('dropThought').map(({ thought }) => thought)).toEqual([loser.thought]);
      on.happen({ kind: 'piece', thought: loser.thought, text: 'No.' });
      on.happen({ kind: 'thoughtDone', thought: winner.thought });
      on.playAll();
      expect(on.told('turn').at(-1)!.report.heard).toBe('Yes.');
    },
  );

  it('ends the talk when the engine says so', () => {
    const on = stage();
    on.happen({ kind: 'typed', text: 'I will leave then' });
    const { thought } = on.last('think');
    on.happen({ kind: 'piece', thought, text: 'Have a safe walk.' });
    on.happen({ kind: 'thoughtDone', thought, closes: 'end' });
    on.playAll();
    expect(on.all('hangUp')).toHaveLength(1);
  });
});

describe('relief of ears', () => {
  it('plays the segment so far into the next engine, also when all of it had come', () => {
    const on = stage();
    on.happen({ kind: 'voiceBegan', atMs: 100 });
    const first = on.last('openRecognition');
    on.happen({
      kind: 'recognitionTrouble',
      recognition: first.recognition,
      code: 'engine-down',
      detail: 'cut',
    });
    const second = on.last('openRecognition');
    // Nobody could take over from the second: that one is worth waiting for.
    expect(first.alone).toBe(false);
    expect(second).toMatchObject({ engine: 'other-ears', alone: true, fromMs: first.fromMs, toMs: null });
    on.nowMs = 2_000;
    on.happen({ kind: 'voiceEnded', atMs: 1_700, voicedMs: 1_600, pitchedMs: 1_600 });
    expect(on.last('closeRecognition').recognition).toBe(second.recognition);
    on.heard(second.recognition, 'is the path open');
    on.wait(1_600);
    expect(on.last('think').messages.at(-1)!.text).toBe('is the path open');
  });

  it('waits longer for the last ears, where the words do not reach the end of the voice', () => {
    const asked = (stage: Stage) => stage.all('think').map(({ messages }) => messages.at(-1)!.text);
    const overdue = () => {
      const stage = new Stage();
      stage.happen({ kind: 'voiceBegan', atMs: 0 });
      const { recognition } = stage.last('openRecognition');
      stage.happen({ kind: 'partial', recognition, words: [{ word: 'how', fromMs: 0, toMs: 300 }] });
      stage.wait(2_400);
      stage.happen({
        kind: 'voicePaused',
        atMs: 2_400,
        voicedMs: 2_400,
        pitchedMs: 2_400,
        ending: { moveSt: null, placeSt: null },
      });
      stage.wait(OVER_MS);
      stage.happen({ kind: 'voiceEnded', atMs: 2_400, voicedMs: 2_400, pitchedMs: 2_400 });
      stage.wait(9_000);
      expect(asked(stage)).toEqual([]);
      return { stage, recognition };
    };
    const late = overdue();
    late.stage.heard(late.recognition, 'how many bunks are free');
    expect(asked(late.stage)).toEqual(['how many bunks are free']);
    const never = overdue();
    never.stage.wait(9_000);
    expect(never.stage.last('dropRecognition').recognition).toBe(never.recognition);
    expect(asked(never.stage)).toEqual(['how']);
  });

  it('says that it cannot hear when no ears are left', () => {
    const on = stage();
    on.happen({ kind: 'voiceBegan', atMs: 100 });
    on.nowMs = 2_000;
    on.happen({ kind: 'voiceEnded', atMs: 1_700, voicedMs: 1_600, pitchedMs: 1_600 });
    for (let i = 0; i < 2; i++) {
      const { recognition } = on.last('openRecognition');
      on.happen({ kind: 'recognitionTrouble', recognition, code: 'engine-late', detail: 'no final' });
    }
    expect(on.last('openRecognition')).toMatchObject({
      engine: 'other-ears',
      toMs: on.last('closeRecognition').toMs,
    });
    on.wait(3_000);
    expect(
      on
        .all('synthesise')
        .map(({ text }) => text)
        .join(' '),
    ).toMatch(/cannot hear/);
  });
});

describe('relief of a voice', () => {
  it('goes on after the last word of which there is sound', () => {
    const on = stage();
    on.happen({ kind: 'typed', text: 'is it open' });
    on.write('The path over the saddle is open.');
    const { speech, text } = on.all('synthesise')[0]!;
    const words = text.split(' ').map((word, i) => ({ word, endMs: (i + 1) * 200 }));
    on.happen({ kind: 'audio', speech, audioMs: 490, words, estimated: false, done: false });
    on.happen({ kind: 'synthesisTrouble', speech, code: 'engine-down', detail: 'cut' });
    const again = on.last('synthesise');
    expect(again).toMatchObject({ speech, engine: 'other-voice', keep: { ms: 400, words: 2 } });
    expect(again.text).toBe(text.split(' ').slice(2).join(' '));
  });

  it('tells the line that a phrase ends of which all words had sound before the voice failed', () => {
    const on = stage();
    on.happen({ kind: 'typed', text: 'is it open' });
    on.write('Yes, it is.');
    const { speech } = on.last('synthesise');
    const words = ['Yes,', 'it', 'is.'].map((word, i) => ({ word, endMs: (i + 1) * 200 }));
    on.happen({ kind: 'audio', speech, audioMs: 600, words, estimated: false, done: false });
    on.happen({ kind: 'synthesisTrouble', speech, code: 'engine-late', detail: 'slow' });
    expect(on.last('synthesise')).toMatchObject({ speech, text: '', keep: { ms: 600, words: 3 } });
    on.happen({ kind: 'audio', speech, audioMs: 600, words, estimated: false, done: true });
    on.happen({ kind: 'played', speech, playedMs: 600, atMs: on.nowMs, flushed: false });
    expect(on.told('turn').at(-1)!.report).toMatchObject({ heard: 'Yes, it is.', answered: true });
  });

  it('says from kept sound that no voice is left', () => {
    const on = stage();
    on.happen({ kind: 'typed', text: 'is it open' });
    on.write('Yes.');
    for (let i = 0; i < 2; i++) {
      const { speech } = on.last('synthesise');
      on.happen({ kind: 'synthesisTrouble', speech, code: 'engine-down', detail: 'gone' });
    }
    const kept = on.all('synthesise').filter(({ engine }) => engine === 'kept');
    expect(kept.map(({ text }) => text).join(' ')).toBe(plan.sayings.cannotSpeak);
    for (const { speech } of kept)
      on.happen({ kind: 'synthesisTrouble', speech, code: 'engine-down', detail: 'none kept' });
    expect(on.told('turn').at(-1)!.report).toMatchObject({ heard: '', trouble: 'engine-down' });
    on.happen({ kind: 'typed', text: 'still there' });
    expect(on.last('think').messages.at(-1)!.text).toContain('still there');
  });
});

it('a swap serves from the next answer on and keeps the history', () => {
  const on = stage();
  on.happen({ kind: 'typed', text: 'one' });
  on.write('First.');
  on.happen({ kind: 'swapAsked', role: 'llm', engine: 'third-mind' });
  on.playAll();
  on.happen({ kind: 'typed', text: 'two' });
  expect(on.last('think')).toMatchObject({
    engine: 'third-mind',
    messages: [{ text: 'one' }, { text: 'First.' }, { text: 'two' }],
  });
  expect(on.told('swapped')).toHaveLength(1);
});

describe('the health of an engine', () => {
  it('rests after two faults in a row, longer each time, and is used again after an answer', () => {
    const health = new EngineHealth({ firstMs: 4_000, betweenMs: 2_000 });
    health.failed(0, 'a');
    expect(health.resting(1)).toBeNull();
    health.failed(10, 'b');
    expect(health.resting(11)).toBe('b');
    expect(health.resting(3_011)).toBeNull();
    health.failed(3_100, 'c');
    expect(health.resting(3_100 + 5_900)).toBe('c');
    expect(health.resting(3_100 + 6_000)).toBeNull();
    health.succeeded();
    health.failed(20_000, 'd');
    expect(health.resting(20_001)).toBeNull();
    health.failed(20_002, 'later', 30_000);
    expect(health.resting(45_000)).toBe('later');
  });

  it('learns how long to wait from its own times, within what the card allows', () => {
    const health = new EngineHealth({ firstMs: 4_000, betweenMs: 2_000 });
    expect(health.deadlines()).toEqual({ firstMs: 4_000, betweenMs: 2_000 });
    for (let i = 0; i < 20; i++) health.answeredFirst(300 + i);
    expect(health.deadlines().firstMs).toBeCloseTo(2.5 * 318, -1);
    for (let i = 0; i < 60; i++) health.answeredFirst(3_000);
    expect(health.deadlines().firstMs).toBe(4_000);
  });
});

describe('who may serve', () => {
  const facts = {
    name: 'x',
    role: 'llm' as const,
    where: 'on-machine' as const,
    languages: ['en-GB', 'de'],
    hosts: [] as string[],
  };
  it('is not told by the card’s word alone', () => {
    expect(forbidden({ ...facts, hosts: ['127.0.0.1', '[::1]'] }, 'on-machine')).toBeNull();
    expect(forbidden({ ...facts, hosts: ['192.0.2.7'] }, 'on-machine')).toMatch(/192\.0\.2\.7/);
    expect(forbidden({ ...facts, where: 'cloud' }, 'on-machine')).toMatch(/cloud/);
    expect(forbidden({ ...facts, where: 'cloud' }, undefined)).toBeNull();
    expect(['127.0.0.1.example.org', '0.0.0.0', '128.0.0.1'].map(isThisMachine)).toEqual([
      false,
      false,
      false,
    ]);
  });
  it('knows the language, whatever its region', () => {
    expect([speaks(facts, 'en-US'), speaks(facts, 'DE'), speaks(facts, 'fr')]).toEqual([true, true, false]);
  });
});
