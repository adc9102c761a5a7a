/**
 * Words are one thing, however they came: typed ones are obeyed, and two wishes are taken one after the
 * other.
 */
import { describe, expect, it } from '@jest/globals';
import { done, says, stage, WHOLE } from './errand-stage.js';
import type { Stage } from './stage.js';

/** A line types it, and listens to what the assistant says to it. */
function types(on: Stage, text: string): string {
  on.wait(1_000);
  on.happen({ kind: 'typed', text });
  on.playAll();
  return on.told('turn').at(-1)!.report.heard;
}

describe('words are one thing, however they came', () => {
  it('whoever types on and on before it is answered is read to a bound', () => {
    const on = stage();
    on.happen({ kind: 'voiceBegan', atMs: on.nowMs });
    const { recognition } = on.last('openRecognition');
    for (let i = 0; i < 50; i++) on.happen({ kind: 'typed', text: 'three bunks and what. '.repeat(180) });
    on.happen({ kind: 'voiceEnded', atMs: on.nowMs, voicedMs: 300, pitchedMs: 300 });
    on.heard(recognition, 'please');
    on.wait(2_500);
    on.playAll();
    const { text } = on.told('turn').at(-1)!.report;
    expect(text.length).toBeGreaterThan(7_000);
    expect(text.length).toBeLessThan(8_100);
  });

  it('typed, they are obeyed like spoken ones', () => {
    const on = stage({ person: true });
    types(on, 'book three bunks at rowan hut for friday');
    expect(types(on, 'goodbye')).toBe('Goodbye.');
    expect(on.all('hangUp')).toHaveLength(1);
    expect(on.all('doErrand')).toHaveLength(0);
  });

  it.each(['a person, please', 'can I talk to a human', 'I want to speak to somebody'])(
    'a person is called for at any time, said or typed: %s',
    (text) => {
      const on = stage({ person: true, errands: [] });
      types(on, text);
      expect(on.told('handOver')).toHaveLength(1);
      const spoken = stage({ person: true });
      says(spoken, text);
      expect(spoken.told('handOver')).toHaveLength(1);
      const nobody = stage({ errands: [] });
      nobody.happen({ kind: 'typed', text });
      expect(nobody.all('think')).toHaveLength(1);
    },
  );

  it('the answer length is moved, and a fresh start begins', () => {
    const on = stage({ errands: [] });
    on.happen({ kind: 'typed', text: 'shorter' });
    expect(on.told('answerLength')).toMatchObject([{ length: 'brief' }]);
    on.happen({ kind: 'typed', text: 'start over' });
    expect(on.told('fresh')).toHaveLength(1);
  });
});

describe('two wishes in one saying', () => {
  it('the second is come back to when the first is done', () => {
    const on = stage();
    expect(types(on, `${WHOLE} and what time is supper there`)).toMatch(
      /^One after the other: first I'll book bunks\. /,
    );
    types(on, 'yes');
    done(on);
    on.playAll();
    expect(on.last('think').messages.at(-1)).toMatchObject({
      role: 'caller',
      text: 'what time is supper there',
    });
    const { thought } = on.last('think');
    on.happen({ kind: 'piece', thought, text: 'At half past six.' });
    on.happen({ kind: 'thoughtDone', thought });
    on.playAll();
    expect(on.told('turn').at(-1)!.report).toMatchObject({
      source: 'later',
      text: 'what time is supper there',
      heard: 'At half past six.',
    });
    expect(on.all('think')).toHaveLength(1);
  });

  it('a fresh start forgets what waits', () => {
    const on = stage();
    types(on, `${WHOLE} and what time is supper there`);
    on.happen({ kind: 'typed', text: 'never mind' });
    on.happen({ kind: 'typed', text: 'please start over' });
    on.playAll();
    expect(on.all('think')).toHaveLength(0);
  });
});
