/** A floor that a press opens for one turn, and an assistant that only a tap wakes: on a virtual clock. */
import { describe, expect, it } from '@jest/globals';
import { OVER_MS, planned, Stage } from './stage.js';

const phases = (stage: Stage) => stage.told('state').map(({ state }) => state);
const tap = (stage: Stage) => {
  stage.happen({ kind: 'pressed', atMs: stage.nowMs });
  stage.happen({ kind: 'released', atMs: stage.nowMs + 50 });
};

describe('a floor that is opened once', () => {
  const once = (purpose: 'talk' | 'listen' = 'talk') => new Stage(planned({ floor: 'once' }, { purpose }));

  it('hears nothing before it is opened, one turn then, and nothing after that', () => {
    const stage = once();
    stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs + 500, voicedMs: 500, pitchedMs: 500 });
    expect(stage.all('openRecognition')).toEqual([]);
    tap(stage);
    stage.say('is the path open today');
    stage.wait(OVER_MS);
    expect(stage.last('think').messages).toEqual([{ role: 'caller', text: 'is the path open today' }]);
    stage.write('Yes.');
    stage.synthesise();
    // A voice over the answer is not heard: the floor is closed.
    stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
    expect(stage.all('openRecognition')).toHaveLength(1);
    stage.playAll();
    expect(phases(stage)).toEqual(['listening', 'working', 'answering', 'resting']);
  });

  it('a second press ends the turn at once; with nothing said it closes the floor', () => {
    const stage = once();
    tap(stage);
    stage.say('is the path open and');
    tap(stage);
    expect(stage.all('think')).toHaveLength(1);
    const other = once();
    tap(other);
    tap(other);
    expect(phases(other).at(-1)).toBe('resting');
  });

  it('a press over the answer stops it, and opens the floor', () => {
    const stage = once();
    tap(stage);
    stage.say('is the path open today');
    stage.wait(OVER_MS);
    stage.write('Yes, the path is open all day.');
    stage.synthesise();
    stage.play(stage.last('play').speech, 300);
    tap(stage);
    expect(stage.all('hush')).toHaveLength(1);
    expect(phases(stage).at(-1)).toBe('listening');
  });

  it('closes when nobody speaks, and while only words are wanted too', () => {
    const stage = once('listen');
    tap(stage);
    stage.say('two bunks please');
    stage.wait(OVER_MS);
    expect(phases(stage).at(-1)).toBe('resting');
    const silent = once();
    tap(silent);
    silent.wait(60_000);
    expect(phases(silent).at(-1)).toBe('resting');
    silent.happen({ kind: 'voiceBegan', atMs: silent.nowMs });
    expect(silent.all('openRecognition')).toEqual([]);
  });
});

it('an assistant that only a tap wakes hears nothing while it rests', () => {
  const stage = new Stage(planned({ wake: 'tap', restAfterMs: 5_000 }));
  stage.wait(6_000);
  expect(phases(stage).at(-1)).toBe('resting');
  stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
  stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs + 500, voicedMs: 500, pitchedMs: 500 });
  expect(stage.all('openRecognition')).toEqual([]);
  tap(stage);
  expect(phases(stage).at(-1)).toBe('listening');
  stage.say('is the path open today');
  stage.wait(OVER_MS);
  stage.write('Yes.');
  stage.playAll();
  // It is awake: the next turn needs no tap.
  stage.say('thank you');
  expect(stage.all('openRecognition')).toHaveLength(2);
});

describe('an assistant that a phrase wakes', () => {
  /** It rests since RESTS_MS. */
  const RESTS_MS = 6_000;
  const sleeping = () => {
    const lineup = { stt: ['cloud'], llm: ['mind'], tts: ['voice'] };
    const stage = new Stage(
      planned({ wake: ['hello tansy'], restAfterMs: 5_000 }, { wakeEars: 'local', lineup }),
    );
    stage.wait(RESTS_MS);
    return stage;
  };
  const voice = (stage: Stage, ms: number) => {
    stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
    stage.nowMs += ms;
    stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs: ms, pitchedMs: ms });
    return stage.last('openRecognition');
  };
  const said = (stage: Stage, { recognition }: { recognition: number }) =>
    stage.happen({
      kind: 'partial',
      recognition,
      words: [{ word: 'hello tansy', fromMs: RESTS_MS + 100, toMs: RESTS_MS + 900 }],
    });

  it('listens on this machine for its phrase, and to nothing else', () => {
    const stage = sleeping();
    const watch = voice(stage, 800);
    expect(watch).toMatchObject({ engine: 'local', phrases: ['hello tansy'] });
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs, voicedMs: 800, pitchedMs: 800 });
    expect(stage.last('closeRecognition').recognition).toBe(watch.recognition);
    stage.happen({ kind: 'final', recognition: watch.recognition, words: [], alternatives: [] });
    expect(stage.all('openRecognition')).toHaveLength(1);
    expect(phases(stage).at(-1)).toBe('resting');
  });

  it('is asked in the same breath, and hears what comes after the phrase', () => {
    const stage = sleeping();
    const watch = voice(stage, 1_000);
    said(stage, watch);
    expect(phases(stage).at(-1)).toBe('listening');
    expect(stage.last('dropRecognition').recognition).toBe(watch.recognition);
    // The end of the phrase itself is nothing that was said.
    stage.happen({ kind: 'voiceGoes', atMs: RESTS_MS + 1_050, voicedMs: 1_050, pitchedMs: 1_050 });
    expect(stage.all('openRecognition')).toHaveLength(1);
    stage.nowMs = RESTS_MS + 1_200;
    stage.happen({ kind: 'voiceGoes', atMs: RESTS_MS + 1_200, voicedMs: 1_200, pitchedMs: 1_200 });
    expect(stage.last('openRecognition')).toMatchObject({ engine: 'cloud', fromMs: RESTS_MS + 900 });
  });

  it('answers nothing to the phrase alone, listens, and rests again', () => {
    const stage = sleeping();
    const watch = voice(stage, 900);
    said(stage, watch);
    stage.happen({ kind: 'voiceEnded', atMs: RESTS_MS + 900, voicedMs: 900, pitchedMs: 900 });
    expect(phases(stage).at(-1)).toBe('listening');
    stage.say('is the path open today');
    stage.wait(OVER_MS);
    stage.write('Yes.');
    stage.playAll();
    stage.wait(60_000);
    expect(phases(stage).at(-1)).toBe('resting');
    expect(stage.all('think')).toHaveLength(1);
    expect(voice(stage, 500)).toMatchObject({ engine: 'local' });
  });

  it('goes on listening to a voice that does not pause, and stops when a tap wakes it', () => {
    const stage = sleeping();
    const first = voice(stage, 31_000);
    expect(stage.all('closeRecognition')).toHaveLength(1);
    expect(first.fromMs).toBe(RESTS_MS + 29_000);
    tap(stage);
    stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs: 32_000, pitchedMs: 32_000 });
    expect(stage.all('dropRecognition').map(({ recognition }) => recognition)).toContain(first.recognition);
    expect(stage.last('openRecognition').phrases).toBeUndefined();
  });
});
