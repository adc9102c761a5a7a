/** Errands in a conversation, on a virtual clock: asked, read back, taken back, done once, told. */
import { describe, expect, it } from '@jest/globals';
import { done, says, stage, WHOLE } from './errand-stage.js';
import { ERRANDS } from './hut-errands.js';
import type { NamedErrand } from '../../src/errands/contract.js';
import { begin, type Stage } from './stage.js';

describe('an errand', () => {
  it('is asked for what is missing, read back, corrected, confirmed, done once, and told', () => {
    const on = stage();
    expect(says(on, 'i need three bunks')).toBe('At which hut?');
    expect(says(on, 'at rowan hut for friday')).toBe('Under which name?');
    expect(says(on, 'miller')).toBe(
      'Three bunks at Rowan Hut, tomorrow, the 27th of November, under the name Miller. Shall I book that?',
    );
    expect(says(on, 'no four')).toBe(
      'Four bunks at Rowan Hut, tomorrow, the 27th of November, under the name Miller. Shall I book that?',
    );
    on.say('yes please');
    on.wait(2_500);
    expect(on.all('doErrand')).toMatchObject([
      {
        run: 1,
        errand: 'book-bunks',
        slots: { bunks: 4, hut: 'Rowan Hut', night: '2026-11-27', name: 'Miller' },
        cause: { kind: 'errandConfirmed' },
      },
    ]);
    done(on);
    on.playAll();
    expect(on.told('turn').at(-1)!.report).toMatchObject({
      heard: 'It is booked. The number is 1207.',
      answered: true,
      errands: [{ run: 1, errand: 'book-bunks', stage: 'done' }],
    });
    expect(on.all('doErrand')).toHaveLength(1);
    expect(on.all('think')).toHaveLength(0);
    expect(on.history.slice(-4)).toEqual([
      { role: 'caller', text: 'yes please' },
      {
        role: 'assistant',
        text: '',
        calls: [
          {
            id: 'errand-1',
            name: 'book-bunks',
            arguments: { bunks: 4, hut: 'Rowan Hut', night: '2026-11-27', name: 'Miller' },
          },
        ],
      },
      { role: 'result', call: 'errand-1', name: 'book-bunks', text: '{"outcome":"done","number":"1207"}' },
      { role: 'assistant', text: 'It is booked. The number is 1207.' },
    ]);
  });

  it.each([
    ['a value of a choice', [], 'heron', true],
    ['… in a short sentence', [], 'at heron hut please', true],
    ['a date', ['heron hut'], 'on the twenty eighth', true],
    ['a value and more to come', [], 'heron hut and', false],
    ['a name, which may go on', ['heron hut', 'on friday'], 'miller', false],
    ['something else', [], 'what is the weather', false],
  ])('its question is answered by %s: then the turn is over soon', (_, before, text, isAnswer) => {
    const on = stage();
    says(on, 'i need three bunks');
    for (const one of before) says(on, one);
    on.wait(1_000);
    const wait = on.pauseAfter((recognition) => on.heard(recognition, text));
    const sign = wait?.cause.kind === 'evidence' ? wait.cause.grounds.sign.sign : '';
    expect(sign === 'slotAskedFor').toBe(isAnswer);
    if (isAnswer) expect(wait!.ms).toBeLessThan(0.35 * on.conductor.snapshot().plan!.manners.leewayMs);
  });

  it('shows values while the caller still speaks, and says when they are settled', () => {
    const on = stage();
    const recognition = begin(on, 'book three bunks at rowan');
    expect(on.told('errand').at(-1)).toMatchObject({
      stage: 'asking',
      slots: [
        { name: 'bunks', value: 3, settled: false },
        { name: 'hut', value: 'Rowan Hut', settled: false },
      ],
    });
    on.nowMs += 400;
    on.happen({ kind: 'voiceEnded', atMs: on.nowMs, voicedMs: 900, pitchedMs: 900 });
    on.heard(recognition, 'book three bunks at rowan hut');
    on.wait(2_500);
    expect(
      on
        .told('errand')
        .at(-1)!
        .slots.map(({ settled }) => settled),
    ).toEqual([true, true]);
  });

  it('takes both halves as one when the caller goes on before anything was heard', () => {
    const on = stage();
    on.say('book three bunks at rowan hut');
    on.wait(2_500);
    on.say('no at lantern hut for friday');
    on.wait(2_500);
    on.playAll();
    expect(on.told('turn')).toHaveLength(1);
    expect(on.told('turn')[0]!.report.heard).toBe('Under which name?');
    expect(on.conductor.snapshot().errands.current!.slots).toMatchObject({
      hut: { value: 'Lantern Hut' },
      bunks: { value: 3 },
    });
  });

  it('is not done twice, nor taken back, when the caller goes on after the yes', () => {
    const on = stage();
    says(on, WHOLE);
    on.say('yes');
    on.wait(2_500);
    expect(on.all('doErrand')).toHaveLength(1);
    const recognition = begin(on, 'and what is the weather');
    done(on);
    on.nowMs += 500;
    on.happen({ kind: 'voiceEnded', atMs: on.nowMs, voicedMs: 900, pitchedMs: 900 });
    on.heard(recognition, 'thank you very much for that');
    on.wait(2_500);
    on.write('You are welcome.');
    on.playAll();
    on.playAll();
    expect(on.all('doErrand')).toHaveLength(1);
    expect(on.told('turn').map(({ report }) => report.heard)).toContain('It is booked. The number is 1207.');
    expect(on.told('turn').at(-1)!.report.source).toBe('errand');
  });

  it('is left when the caller leaves before the yes: nothing is done, and that is told', () => {
    const on = stage();
    says(on, WHOLE);
    on.happen({ kind: 'left', how: 'closed' });
    expect(on.told('errand').at(-1)).toMatchObject({ run: 1, stage: 'cancelled' });
    expect(on.all('doErrand')).toHaveLength(0);
  });

  it('goes on after a question that the model answers', () => {
    const on = stage();
    says(on, 'book three bunks at rowan hut for friday');
    on.say('what time is supper there');
    on.wait(2_500);
    on.write('Supper is at half past six.');
    on.playAll();
    expect(on.told('turn').at(-1)!.report.heard).toBe('Supper is at half past six. Under which name?');
    expect(says(on, 'it is fisher')).toContain('under the name Fisher');
  });

  it('waits while another one is done, and is taken up again', () => {
    const on = stage();
    says(on, 'book three bunks at rowan hut for friday');
    on.say('what is the weather at heron hut');
    on.wait(2_500);
    expect(on.last('doErrand')).toMatchObject({ errand: 'weather', slots: { hut: 'Heron Hut' } });
    done(on, { text: 'Dry in the morning. Clouds from the west at noon, and some wind. Rain at night.' });
    on.playAll();
    expect(on.told('turn').at(-1)!.report.heard).toBe(
      'According to the warden’s sheet: Dry in the morning. Shall we go on with what we began: book bunks?',
    );
    expect(says(on, 'go on')).toBe('Clouds from the west at noon, and some wind. Rain at night.');
    expect(says(on, 'yes')).toBe('Under which name?');
  });

  it('is left for good when the caller begins another one instead of going on', () => {
    const on = stage();
    says(on, 'book three bunks at rowan hut for friday');
    for (const hut of ['heron', 'lantern']) {
      on.wait(1_000);
      on.say(`what is the weather at ${hut} hut`);
      on.wait(2_500);
      done(on, { text: 'Dry.' });
      on.playAll();
    }
    const heard = on.told('turn').map(({ report }) => report.heard);
    expect(heard.slice(-2)).toEqual([
      'According to the warden’s sheet: Dry. Shall we go on with what we began: book bunks?',
      'According to the warden’s sheet: Dry.',
    ]);
  });

  it('counts as understood: what is not understood after it is said so again', () => {
    const on = stage();
    const unheard = () => {
      on.wait(1_000);
      on.happen({ kind: 'voiceBegan', atMs: on.nowMs });
      on.nowMs += 900;
      on.happen({ kind: 'voiceEnded', atMs: on.nowMs - 280, voicedMs: 620, pitchedMs: 620 });
      on.heard(on.last('openRecognition').recognition, '');
      on.wait(2_500);
      on.playAll();
    };
    const saidSo = () =>
      on.told('turn').filter(({ report }) => report.heard === on.conductor.snapshot().plan!.sayings.unheard)
        .length;
    for (let i = 0; i < 3; i++) unheard();
    expect(saidSo()).toBe(2);
    says(on, 'weather');
    unheard();
    expect(saidSo()).toBe(3);
  });

  it('that is not possible so asks for the value that may make it possible, and gets another id', () => {
    const on = stage();
    says(on, WHOLE);
    on.say('yes');
    on.wait(2_500);
    on.happen({
      kind: 'errandDone',
      run: 1,
      outcome: { ending: 'failed', code: 'full', given: {}, asks: 'night' },
    });
    on.playAll();
    expect(on.told('turn').at(-1)!.report.heard).toBe('There are not so many bunks free. For which night?');
    says(on, 'saturday');
    on.say('yes');
    on.wait(2_500);
    expect(on.all('doErrand').map(({ run, slots }) => [run, slots.night])).toEqual([
      [1, '2026-11-27'],
      [2, '2026-11-28'],
    ]);
  });
});

describe('a model', () => {
  const called = (on: Stage, slots: object) => {
    const { thought } = on.last('think');
    on.happen({ kind: 'called', thought, call: { id: 'c1', name: 'book-bunks', arguments: slots } });
    on.happen({ kind: 'thoughtDone', thought });
  };

  it('is offered each errand as a function, and may begin one; the same checks hold', () => {
    const on = stage();
    on.say('we are three and would stay at rowan on friday');
    on.wait(2_500);
    expect(on.last('think').functions!.map(({ name }) => name)).toEqual(['book-bunks', 'weather']);
    called(on, { bunks: 30, hut: 'Rowan Hut', night: '2026-11-27' });
    on.playAll();
    expect(on.told('turn').at(-1)!.report.heard).toBe('It can be at most twelve. How many bunks?');
    expect(says(on, 'three')).toBe('Under which name?');
    expect(on.all('doErrand')).toHaveLength(0);
  });

  it('that thinks ahead of the end of the turn begins nothing before the turn is over', () => {
    const on = stage({}, 2);
    const recognition = begin(on, 'we are three and would stay at rowan hut tonight');
    on.nowMs += 300;
    on.happen({
      kind: 'voicePaused',
      atMs: on.nowMs,
      voicedMs: 900,
      pitchedMs: 900,
      ending: { moveSt: -4, placeSt: -3 },
    });
    on.heard(recognition, 'we are three and would stay at rowan hut tonight');
    if (on.all('think').length === 0) on.wait(1);
    expect(on.last('think').purpose).toBe('speculative');
    called(on, { bunks: 3, hut: 'Rowan Hut' });
    expect(on.told('errand')).toEqual([]);
    on.happen({ kind: 'voiceEnded', atMs: on.nowMs, voicedMs: 900, pitchedMs: 900 });
    on.wait(2_500);
    on.playAll();
    expect(on.told('errand').at(-1)).toMatchObject({ stage: 'asking', asking: 'night' });
    expect(on.told('turn').at(-1)!.report.heard).toBe('For which night?');
  });
});

const LOG: NamedErrand = {
  name: 'log',
  title: 'write a log entry',
  about: 'Writes into the log.',
  begins: ['write a log entry'],
  slots: { entry: { kind: 'text', ask: 'What shall I write?' } },
  readBack: '{entry} Shall I keep that?',
  says: { done: 'It is kept.' },
};

describe('a dictation', () => {
  const dictating = () => {
    const on = stage({ errands: [...ERRANDS, LOG] });
    expect(says(on, 'write a log entry')).toBe('What shall I write?');
    on.wait(500);
    return on;
  };

  it('goes on over pauses that would end any other turn', () => {
    const on = dictating();
    const turns = on.told('turn').length;
    on.say('the pump is loose');
    on.wait(1_900);
    expect(on.told('turn')).toHaveLength(turns);
    on.say('and the window does not close');
    on.wait(6_000);
    on.playAll();
    const { report } = on.told('turn').at(-1)!;
    expect(report.heard).toMatch(/pump is loose and the window does not close\. Shall I keep that\?$/i);
  });

  it('ends at once with words that end it, and these are no part of it', () => {
    const on = dictating();
    on.say('the pump is loose that is all');
    on.wait(2_400);
    on.playAll();
    expect(on.told('turn').at(-1)!.report.heard).toBe('The pump is loose. Shall I keep that?');
  });

  it('tells the ears what is asked for, and nothing when it is read back', () => {
    const on = dictating();
    on.say('the pump is loose that is all');
    expect(on.last('openRecognition').expecting).toBe('log/entry');
    on.wait(2_400);
    on.playAll();
    on.say('yes');
    expect(on.last('openRecognition').expecting).toBeUndefined();
  });
});

describe('a form', () => {
  it('takes what is written, asks for it no more, and does nothing without a yes', () => {
    const on = stage();
    expect(says(on, 'i need three bunks')).toBe('At which hut?');
    on.happen({ kind: 'wrote', slot: 'name', value: 'Fisher' });
    on.happen({ kind: 'wrote', slot: 'night', value: '2026-12-01' });
    on.happen({ kind: 'wrote', slot: 'none', value: 'x' });
    expect(
      on
        .told('errand')
        .at(-1)!
        .slots.map(({ name, value }) => [name, value]),
    ).toEqual([
      ['bunks', 3],
      ['name', 'Fisher'],
      ['night', '2026-12-01'],
    ]);
    on.happen({ kind: 'wrote', slot: 'hut', value: 'Rowan Hut' });
    on.playAll();
    expect(on.told('turn').at(-1)!.report.heard).toMatch(/^Three bunks at Rowan Hut.*Shall I book that\?$/);
    expect(on.all('doErrand')).toHaveLength(0);
    expect(on.told('errand').at(-1)!.stage).toBe('reading back');
  });

  it('an errand that is done at once is read back when its last value was written', () => {
    const on = stage();
    expect(says(on, 'weather')).toBe('At which hut?');
    on.happen({ kind: 'wrote', slot: 'hut', value: 'Rowan Hut' });
    expect(on.all('doErrand')).toHaveLength(0);
    expect(on.told('errand').at(-1)!.stage).toBe('reading back');
  });
});

describe('messages that did not arrive', () => {
  it('are told when nobody speaks, each way in its own words', () => {
    const on = stage();
    on.happen({ kind: 'undelivered', names: ['Pavel Orsk', 'Ines Quill'], unsure: ['Maren Holt'] });
    on.playAll();
    expect(on.told('turn').at(-1)!.report.heard).toBe(
      'Your last message to Pavel Orsk and Ines Quill could not be delivered. I cannot tell whether your last message to Maren Holt arrived.',
    );
  });

  it('are told again when the caller spoke before a word of it was heard', () => {
    const on = stage();
    on.happen({ kind: 'undelivered', names: ['Pavel Orsk'], unsure: [] });
    says(on, 'weather');
    says(on, 'never mind');
    const heard = on.told('turn').map(({ report }) => report.heard);
    expect(heard.filter((text) => text.startsWith('Your last message'))).toHaveLength(1);
  });
});
