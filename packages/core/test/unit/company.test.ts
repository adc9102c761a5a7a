/**
 * People besides the caller: whoever else presses to talk, and a person who takes over, on a virtual clock.
 */
import { describe, expect, it } from '@jest/globals';
import { planned, Stage } from './stage.js';

const stage = () => new Stage(planned({ headStarts: 0, firstWordMs: 5_000 }));
const turns = (on: Stage) => on.told('turn').map(({ report }) => report);

describe('somebody else who presses to talk', () => {
  it('is named in the report of the turn, and the caller is not', () => {
    const on = stage();
    on.wait(500);
    on.happen({ kind: 'pressed', atMs: on.nowMs, by: 'Ada' });
    on.say('when is breakfast');
    on.happen({ kind: 'released', atMs: on.nowMs });
    on.wait(2_000);
    on.write('At seven.');
    on.playAll();
    on.say('how many bunks are free');
    on.wait(3_000);
    on.write('Three.');
    on.playAll();
    expect(turns(on).map(({ by, text }) => [by, text])).toEqual([
      ['Ada', 'when is breakfast'],
      [undefined, 'how many bunks are free'],
    ]);
  });
});

describe('a person who takes over', () => {
  it('silences the assistant; what the caller says is told and not answered', () => {
    const on = stage();
    on.wait(500);
    on.say('when is breakfast');
    on.wait(2_000);
    on.happen({ kind: 'tookOver', name: 'the warden' });
    const thoughts = on.all('think').length;
    on.wait(1_000);
    on.say('how many bunks are free');
    on.wait(20_000);
    expect(on.all('think')).toHaveLength(thoughts);
    expect(on.told('person')).toEqual([{ kind: 'person', name: 'the warden' }]);
    expect(turns(on).at(-1)).toMatchObject({ text: 'how many bunks are free', answered: false });
    expect(on.told('farewell')).toEqual([]);
  });

  it('is told what the caller has just asked, which nobody answers any more', () => {
    const on = stage();
    on.wait(500);
    on.say('when is breakfast');
    on.happen({ kind: 'tookOver', name: 'the warden' });
    on.wait(5_000);
    expect(turns(on).at(-1)).toMatchObject({ text: 'when is breakfast', answered: false, heard: '' });
    expect(on.all('synthesise').filter(({ text }) => /seven/.test(text))).toEqual([]);
  });

  it('gives back, and the assistant says so and answers again', () => {
    const on = stage();
    on.wait(500);
    on.happen({ kind: 'tookOver', name: 'the warden' });
    on.wait(5_000);
    on.happen({ kind: 'gaveBack' });
    expect(
      on
        .all('synthesise')
        .map(({ text }) => text)
        .join(' '),
    ).toContain('You are talking with me again.');
    on.playAll();
    on.say('when is breakfast');
    on.wait(3_000);
    expect(on.all('think')).toHaveLength(1);
  });

  it('who is not there cannot give back', () => {
    const on = stage();
    on.wait(500);
    on.happen({ kind: 'gaveBack' });
    expect(on.all('ignore').at(-1)).toMatchObject({ happening: 'gaveBack' });
  });
});
