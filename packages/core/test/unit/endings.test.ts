/**
 * What is carried from one turn or answer to the next, and what must not be: keys, timers, wishes of an
 * engine.
 */
import { describe, expect, it } from '@jest/globals';
import { begin, OVER_MS, planned, Stage, WORD_MS } from './stage.js';

const ENDING = { moveSt: null, placeSt: null };
const expecting = { expect: { phrases: ['how many bunks are free at heron hut'], slots: {} } };

describe('an engine that asks for a person', () => {
  it('is told of when its answer is given, not when it was only begun ahead', () => {
    const stage = new Stage(planned({ headStarts: 2 }, expecting));
    const recognition = begin(stage, 'how many bunks are free at heron hut');
    const { thought } = stage.last('think');
    stage.happen({ kind: 'piece', thought, text: 'A warden will tell you. ' });
    stage.happen({ kind: 'thoughtDone', thought, closes: 'hand over' });
    expect(stage.told('handOver')).toHaveLength(0);
    const voiced = { voicedMs: 1_000, pitchedMs: 1_000 };
    stage.happen({ kind: 'voicePaused', atMs: stage.nowMs, ...voiced, ending: ENDING });
    stage.heard(recognition, 'how many bunks are free at heron hut');
    stage.wait(OVER_MS);
    expect(stage.told('handOver')).toHaveLength(1);
  });

  it('is not told of at all when the caller said something else', () => {
    const stage = new Stage(planned({ headStarts: 1 }, expecting));
    const recognition = begin(stage, 'how many bunks are free at heron hut');
    const { thought } = stage.last('think');
    stage.happen({ kind: 'piece', thought, text: 'A warden. ' });
    stage.happen({ kind: 'thoughtDone', thought, closes: 'hand over' });
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs, voicedMs: 1_000, pitchedMs: 1_000 });
    stage.heard(recognition, 'how many bunks are free at rowan hut');
    stage.wait(OVER_MS);
    expect(stage.told('handOver')).toHaveLength(0);
  });
});

describe('an answer that ends the talk', () => {
  it('ends it too when a noise had stopped it and it was taken up again', () => {
    const stage = new Stage();
    stage.say('tell me about it please');
    stage.wait(OVER_MS);
    const { thought } = stage.last('think');
    stage.happen({
      kind: 'piece',
      thought,
      text: 'There are four bunks. Two of them are beside the window. ',
    });
    stage.synthesise();
    stage.play(stage.all('play')[0]!.speech, 2.5 * WORD_MS);
    const recognition = begin(stage, 'goldberg');
    stage.nowMs += 700;
    stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs: 700, pitchedMs: 600 });
    const { speech } = stage.all('play')[0]!;
    stage.happen({ kind: 'played', speech, playedMs: 3 * WORD_MS, atMs: stage.nowMs, flushed: true });
    // Only now the engine says that the talk is to end with this.
    stage.happen({ kind: 'piece', thought, text: 'Goodbye.' });
    stage.happen({ kind: 'thoughtDone', thought, closes: 'end' });
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs, voicedMs: 700, pitchedMs: 600 });
    stage.heard(recognition, 'mm hm');
    stage.playAll();
    expect(stage.all('hangUp')).toHaveLength(1);
  });
});

describe('a key', () => {
  function pressAndSay(stage: Stage, text: string): void {
    const from = stage.nowMs;
    stage.happen({ kind: 'pressed', atMs: from });
    stage.happen({ kind: 'voiceBegan', atMs: from + 100 });
    stage.nowMs += 1_200;
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs - 280, voicedMs: 800, pitchedMs: 800 });
    stage.happen({ kind: 'released', atMs: stage.nowMs });
    stage.heard(stage.last('openRecognition').recognition, text);
  }

  it('that was let go holds the floor for nobody: who goes on without it may pause', () => {
    const stage = new Stage();
    pressAndSay(stage, 'book three');
    expect(stage.all('think')).toHaveLength(1);
    // Nothing was heard of the answer yet, and the caller goes on by voice: the halves are one turn.
    stage.nowMs += 100;
    const recognition = begin(stage, 'bunks and');
    stage.nowMs += 600;
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs - 280, voicedMs: 300, pitchedMs: 300 });
    stage.heard(recognition, 'bunks and');
    expect(stage.all('think')).toHaveLength(1);
    stage.wait(5_000);
    expect(stage.last('think').messages.at(-1)!.text).toBe('book three bunks and');
  });

  it('whose turn is over ends no later one: its timer goes with it', () => {
    const stage = new Stage();
    stage.happen({ kind: 'pressed', atMs: 0 });
    stage.happen({ kind: 'voiceBegan', atMs: 100 });
    stage.nowMs = 900;
    stage.happen({ kind: 'released', atMs: 900 });
    stage.nowMs = 1_300;
    stage.happen({ kind: 'voiceEnded', atMs: 1_020, voicedMs: 900, pitchedMs: 900 });
    expect(stage.all('clearTimer').filter(({ name }) => name === 'release')).toHaveLength(1);
    expect(stage.conductor.snapshot().timers.release).toBeUndefined();
  });
});
