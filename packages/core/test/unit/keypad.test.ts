/** The keys of a telephone as answers, on a virtual clock. */
import { describe, expect, it } from '@jest/globals';
import type { Plan } from '../../src/conductor/contract/plan.js';
import type { NamedErrand } from '../../src/errands/contract.js';
import { planned, Stage } from './stage.js';

const CANCEL: NamedErrand = {
  name: 'cancel-booking',
  title: 'cancel a booking',
  about: 'Cancels a booking.',
  begins: ['[i want to] cancel (a|my) booking'],
  slots: {
    number: { kind: 'digits', length: 4, ask: 'Which number has it?' },
    nights: { kind: 'count', ask: 'How many nights?' },
  },
  readBack: 'Cancel {number} for {nights} nights, shall I?',
};

function stage(other: Partial<Plan> = {}): Stage {
  return new Stage(
    planned({ headStarts: 0, firstWordMs: 5_000 }, { errands: [CANCEL], person: true, ...other }),
  );
}

function press(on: Stage, keys: string): void {
  for (const key of keys) {
    on.happen({ kind: 'keyed', key });
    on.wait(200);
  }
}

/** What was asked of a model, or said by an errand, last. */
const said = (on: Stage) => on.all('synthesise').at(-1)?.text ?? '';
const turns = (on: Stage) => on.told('turn').map(({ report }) => report.text);

function asked(on: Stage): void {
  on.wait(1_000);
  on.say('i want to cancel my booking');
  on.wait(2_500);
  on.playAll();
}

describe('keys', () => {
  it('fill a slot of digits as soon as it is full', () => {
    const on = stage();
    asked(on);
    press(on, '1207');
    on.wait(500);
    on.playAll();
    expect(on.told('turn').at(-1)!.report.text).toBe('1207');
    expect(on.conductor['state'].errands.current).toMatchObject({
      slots: { number: { value: '1207' } },
      asking: 'nights',
    });
  });

  it('end with #, or when no more come; * takes them back', () => {
    const on = stage();
    asked(on);
    press(on, '12*1207');
    on.wait(500);
    on.playAll();
    press(on, '3#');
    on.playAll();
    expect(on.told('turn').at(-1)!.report.text).toBe('3');
    expect(on.conductor['state'].errands.current?.slots).toMatchObject({
      number: { value: '1207' },
      nights: { value: 3 },
    });
    const slow = stage();
    asked(slow);
    press(slow, '12');
    slow.wait(2_000);
    expect(turns(slow)).toHaveLength(1);
    slow.wait(1_500);
    slow.playAll();
    expect(turns(slow).at(-1)).toBe('12');
  });

  it('interrupt what is being said', () => {
    const on = stage();
    on.wait(1_000);
    on.say('i want to cancel my booking');
    on.wait(2_500);
    on.synthesise();
    on.play(on.last('play').speech, 400);
    press(on, '1');
    expect(on.all('hush')).toHaveLength(1);
  });

  it('0 by itself asks for a person where a person can be had, and digits are digits where they are asked for', () => {
    const night: NamedErrand = {
      ...CANCEL,
      readBack: false,
      slots: { night: { kind: 'date', ask: 'Which night?' } },
    };
    for (const person of [true, false]) {
      const on = stage({ person, errands: [night] });
      asked(on);
      press(on, '0');
      on.wait(2_000);
      on.playAll();
      expect(on.told('handOver')).toHaveLength(person ? 1 : 0);
    }
    const digits = stage();
    asked(digits);
    press(digits, '0000');
    digits.wait(500);
    expect(digits.told('handOver')).toHaveLength(0);
  });

  it('stand for the words that the assistant gives them', () => {
    const on = stage({ keys: { '5': 'I want to cancel my booking' } });
    on.wait(1_000);
    press(on, '5');
    on.wait(2_000);
    on.playAll();
    expect(said(on)).toContain('Which number');
  });

  it('choose by number: the first value is 1', () => {
    const hut: NamedErrand = {
      ...CANCEL,
      slots: { hut: { kind: 'choice', values: ['Heron Hut', 'Rowan Hut'], ask: 'Which hut?' } },
      readBack: 'Cancel at {hut}, shall I?',
    };
    const on = stage({ errands: [hut] });
    asked(on);
    press(on, '2');
    on.wait(2_000);
    expect(on.conductor['state'].errands.current).toMatchObject({ slots: { hut: { value: 'Rowan Hut' } } });
  });

  it('that are none are left, and too many are cut', () => {
    const on = stage();
    on.wait(1_000);
    press(on, 'A');
    press(on, '#');
    expect(turns(on)).toHaveLength(0);
    for (let i = 0; i < 60; i++) on.happen({ kind: 'keyed', key: '9' });
    press(on, '#');
    on.wait(100);
    expect(on.all('think').at(-1)?.kind).toBe('think');
    expect(JSON.stringify(on.all('think').at(-1))).toContain('9'.repeat(40));
    expect(JSON.stringify(on.all('think').at(-1))).not.toContain('9'.repeat(41));
  });
});

describe('a call on hold', () => {
  it('is not talked to, and not asked whether anybody is there', () => {
    const on = stage({ sayings: { ...planned({}).sayings, silence: 'Are you there?' } });
    asked(on);
    on.happen({ kind: 'phoned', stage: 'on hold', detail: '' });
    on.wait(20_000);
    expect(on.all('synthesise').map(({ text }) => text)).not.toContain('Are you there?');
    const free = stage({ sayings: { ...planned({}).sayings, silence: 'Are you there?' } });
    asked(free);
    free.wait(20_000);
    expect(said(free)).toBe('Are you there?');
  });
});
