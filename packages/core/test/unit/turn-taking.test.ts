/**
 * The end of a turn by evidence, the head start, what a voice over the assistant means, and the pace: on the
 * virtual clock.
 */
import { describe, expect, it } from '@jest/globals';
import { languageOf, probabilityOfEnd, replay } from '../../src/index.js';
import type { Kept } from '../../src/journal/folds.js';
import { decideWait, type Evidence } from '../../src/turn-end/wait.js';
import { groundsInWords } from '../../src/vocabulary/grounds.js';
import { beginAloud as begin, OVER_MS, planned, show, Stage } from './stage.js';

const english = languageOf('en');
const names = ['Heron Hut', 'Rowan Hut'];
const ENDING = { moveSt: null, placeSt: null };

describe('how complete words are', () => {
  it.each([
    ['book three bunks and', '', -1],
    ['is the path over the', '', -1],
    ['i would like um', '', -1],
    ['how many bunks are free at heron', '', -1],
    ['my number is five five two', '', -1],
    ['we come on the twenty', '', -1],
    ['book three no', '', -1],
    ['how many', '', -1],
    ['which hut', '', -1],
    ['under the name', '', -1],
    ['how many bunks are free at heron hut', '', 1],
    ['make it four please', '', 1],
    ['that is all thank you', '', 1],
    ['what is it for', '', 1],
    ['three', 'How many bunks do you need?', 1],
    ['friday', 'Sure. Which night?', 1],
    ['yes', 'Is that right?', 1],
  ])('"%s" after "%s"', (words, asked, direction) => {
    const { score, sign } = english.completeness(words.split(' '), names, asked);
    expect(Math.sign(score)).toBe(direction);
    expect(groundsInWords({ sign })).not.toBe('');
  });
});

describe('the wait at the end', () => {
  const evidence: Evidence = {
    leewayMs: 800,
    words: { score: 0, sign: { sign: 'fewWords' as const } },
    count: 4,
    lastedMs: 1_500,
    expects: true,
    expected: null,
    confidence: 1,
    ending: { moveSt: 0, placeSt: 0, fallDb: 6 },
    ownPausesMs: [],
    uncoveredMs: 0,
    lengthening: 1,
  };
  const decided = (change: Partial<Evidence>) => decideWait({ ...evidence, ...change });
  const wait = (change: Partial<Evidence>) => decided(change).ms;
  const said = (score: number) => ({ words: { score, sign: { sign: 'fewWords' as const } } });

  it('is the leeway where nobody can tell, and all other waits are shares of it', () => {
    const unknown = { words: { score: 0, sign: { sign: 'noRules' as const } } };
    expect(wait(unknown)).toBe(800);
    for (const score of [-0.9, 0, 0.9]) {
      expect(wait({ ...said(score), leewayMs: 1_600 }) / wait(said(score))).toBeCloseTo(2, 1);
      expect(wait(said(score))).toBeGreaterThanOrEqual(240);
      expect(wait(said(score))).toBeLessThanOrEqual(2_080);
    }
  });

  it('is the shorter the more probable the end is, whatever speaks for it', () => {
    const tried = [
      said(0.9),
      said(0.5),
      {},
      said(-0.9),
      { lastedMs: 400 },
      { ending: { moveSt: -4, placeSt: -4, fallDb: 14 } },
    ];
    const found = tried.map(decided).sort((a, b) => a.ms - b.ms);
    for (const [i, { ms, features }] of found.entries())
      if (i > 0 && found[i - 1]!.ms < ms)
        expect(probabilityOfEnd(found[i - 1]!.features)).toBeGreaterThan(probabilityOfEnd(features));
  });

  it('is longer for a caller who pauses long, and says so', () => {
    const ownPausesMs = [900, 950, 1_000];
    expect(wait({ ...said(0.5), ownPausesMs })).toBeGreaterThan(1.1 * wait(said(0.5)));
    expect(decided({ ownPausesMs }).grounds.ownPauseMs).toBe(1_000);
    expect(decided({}).grounds.ownPauseMs).toBeUndefined();
  });

  it('trusts words less that may be misheard, and those that recognition has not reached', () => {
    expect(wait({ ...said(0.6), confidence: 0.5 })).toBeGreaterThan(wait({ ...said(0.6), confidence: 1 }));
    expect(wait({ ...said(0.6), confidence: null })).toBeGreaterThan(wait(said(0.6)));
    const expected = { whole: true, begun: false, more: false };
    expect(wait({ expected, uncoveredMs: 500 })).toBeGreaterThan(wait({ expected }));
  });

  it('hears in the voice whether more is to come', () => {
    expect(wait({ ending: { moveSt: -4, placeSt: -3, fallDb: 6 } })).toBeLessThan(wait({}));
    expect(wait({ ending: { moveSt: 0, placeSt: 0, fallDb: 14 } })).toBeLessThan(wait({}));
  });

  it.each<[string, Partial<Evidence>]>([
    ['an answer', { words: { score: 0.9, sign: { sign: 'answersQuestion' } }, lastedMs: 300 }],
    [
      'words that close a saying',
      { words: { score: 0.9, sign: { sign: 'endsWith', words: 'please' } }, lastedMs: 700 },
    ],
    [
      'an expected phrase to which nothing can be added',
      { expected: { whole: true, begun: false, more: false } },
    ],
  ])('is short for %s', (_, change) => {
    expect(wait(change)).toBeLessThan(480);
  });
});

const expecting = {
  expect: { phrases: ['how many bunks are free at heron hut', 'is the path open [today]'] },
};

function pause(stage: Stage): void {
  stage.nowMs += 100;
  stage.happen({
    kind: 'voicePaused',
    atMs: stage.nowMs - 100,
    voicedMs: 800,
    pitchedMs: 600,
    ending: ENDING,
  });
}

describe('the end of a turn', () => {
  it('is decided anew with every word, and taken back when the final shows that more is to come', () => {
    const stage = new Stage();
    const recognition = begin(stage, 'book three bunks please');
    pause(stage);
    expect(stage.last('setTimer')).toMatchObject({ name: 'segment' });
    expect(stage.all('setTimer').findLast(({ name }) => name === 'endpoint')!.afterMs).toBeLessThan(450);
    stage.wait(450);
    expect(stage.told('state').at(-1)!.state).toBe('working');
    stage.heard(recognition, 'book three bunks and');
    expect(stage.told('state').at(-1)!.state).toBe('listening');
    expect(stage.all('think')).toHaveLength(0);
    stage.wait(2_000);
    expect(stage.last('think').cause).toMatchObject({
      grounds: { sign: { sign: 'endsWith', words: 'and' } },
    });
  });

  it('may come before the voice is told to have ended: the line hears of both, once', () => {
    const stage = new Stage(planned({ leewayMs: 400 }, expecting));
    const recognition = begin(stage, 'how many bunks are free at heron hut');
    pause(stage);
    stage.heard(recognition, 'how many bunks are free at heron hut');
    stage.wait(160);
    expect(stage.all('think')).toHaveLength(1);
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs - 280, voicedMs: 800, pitchedMs: 600 });
    expect(stage.told('voice').map(({ change }) => change)).toEqual(['began', 'ended']);
  });

  it('comes no later for a noise after the words', () => {
    const stage = new Stage();
    stage.say('is the bridge open please');
    stage.wait(200);
    expect(stage.last('think').messages[0]!.text).toBe('is the bridge open please');
  });
});

describe('the head start', () => {
  it('begins while the caller still speaks, is heard of by nobody, and is kept for the same words', () => {
    const stage = new Stage(planned({ headStarts: 2 }, expecting));
    const recognition = begin(stage, 'how many bunks are free at heron hut');
    const { thought, purpose, cause } = stage.last('think');
    expect(purpose).toBe('speculative');
    expect(cause).toMatchObject({ kind: 'headStart', grounds: { sign: { sign: 'expectedPhrase' } } });
    stage.happen({ kind: 'piece', thought, text: 'There are four. Two of them are beside the window. ' });
    stage.synthesise();
    expect(stage.all('synthesise')).toHaveLength(1);
    expect(stage.all('play')).toHaveLength(0);
    expect(stage.told('reply')).toHaveLength(0);
    pause(stage);
    stage.wait(80);
    stage.heard(recognition, 'how many bunks are free at heron hut');
    stage.wait(300);
    expect(stage.all('think')).toHaveLength(1);
    expect(stage.all('play')).toHaveLength(1);
    expect(stage.told('reply')[0]!.text).toMatch(/^There are four/);
    stage.happen({ kind: 'thoughtDone', thought });
    stage.playAll();
    expect(stage.told('turn')[0]!.report).toMatchObject({
      answered: true,
      headStarts: { begun: 1, kept: true },
    });
  });

  it('is dropped when the words change, and begins no more often than it may', () => {
    const stage = new Stage(planned({ headStarts: 1 }, expecting));
    const recognition = begin(stage, 'how many bunks are free at heron hut');
    const { thought } = stage.last('think');
    show(stage, recognition, 'how many bunks are free at heron hut and at rowan hut');
    expect(stage.last('dropThought').thought).toBe(thought);
    stage.happen({ kind: 'piece', thought, text: 'There' });
    expect(stage.last('ignore')).toMatchObject({ happening: 'piece' });
    show(stage, recognition, 'how many bunks are free at heron hut');
    expect(stage.all('think')).toHaveLength(1);
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs, voicedMs: 900, pitchedMs: 700 });
    stage.heard(recognition, 'how many bunks are free at heron hut');
    stage.wait(OVER_MS);
    expect(stage.all('think')).toHaveLength(2);
  });

  it('is begun by nobody who wants none for nothing, and just in time by others', () => {
    const text = 'how many bunks are free';
    const begunAfter = (headStartWaste: number) => {
      const stage = new Stage(planned({ headStarts: 2, headStartWaste }));
      // What is known of how long answers take: the first one tells.
      stage.say(text);
      while (stage.all('think').length === 0) stage.wait(10);
      stage.wait(200);
      stage.write('Four.');
      stage.synthesise();
      stage.wait(OVER_MS);
      stage.playAll();
      const before = stage.all('think').length;
      const recognition = begin(stage, text);
      pause(stage);
      const pausedMs = stage.nowMs - 100;
      stage.heard(recognition, text);
      while (stage.all('think').length === before && stage.nowMs < pausedMs + OVER_MS) stage.wait(10);
      return { purpose: stage.last('think').purpose, ms: stage.nowMs - pausedMs };
    };
    expect(begunAfter(0).purpose).toBe('answer');
    const justInTime = begunAfter(0.25);
    expect(justInTime.purpose).toBe('speculative');
    expect(justInTime.ms).toBeGreaterThan(150);
    expect(justInTime.ms).toBeLessThan(begunAfter(0).ms);
  });

  it('waits for a word that may still follow, and makes no second thought when one fails', () => {
    const stage = new Stage(planned({ headStarts: 3 }, expecting));
    const recognition = begin(stage, 'is the path open');
    expect(stage.all('think')).toHaveLength(0);
    pause(stage);
    const { thought } = stage.last('think');
    stage.happen({ kind: 'thoughtTrouble', thought, code: 'engine-down', detail: 'gone' });
    expect(stage.told('trouble')).toHaveLength(0);
    stage.heard(recognition, 'is the path open');
    stage.wait(OVER_MS);
    expect(stage.last('think').messages).toEqual([{ role: 'caller', text: 'is the path open' }]);
  });
});

describe('the pace', () => {
  it('bridges a long wait with a few words, but never twice in a row', () => {
    const stage = new Stage(planned({ fillerAfterMs: 1_000 }));
    const fillers = () => stage.all('synthesise').filter(({ text }) => text === 'One moment.').length;
    for (const count of [1, 1, 2]) {
      stage.say('is the bridge open please');
      stage.wait(3_000);
      expect(fillers()).toBe(count);
      stage.write('Yes.');
      stage.playAll();
    }
    expect(stage.told('turn')[0]!.report).toMatchObject({ heard: 'Yes.', generated: 'Yes.' });
    expect(stage.history.filter(({ text }) => text.includes('moment'))).toEqual([]);
  });

  it('follows the caller within bounds, where that is wanted', () => {
    const stage = new Stage(planned({ followPace: true }));
    const { recognition } = (stage.happen({ kind: 'voiceBegan', atMs: 0 }), stage.last('openRecognition'));
    const words = 'is the bridge open please'
      .split(' ')
      .map((word, i) => ({ word, fromMs: i * 150, toMs: i * 150 + 150 }));
    stage.happen({ kind: 'voiceEnded', atMs: 750, voicedMs: 750, pitchedMs: 700 });
    stage.happen({ kind: 'final', recognition, words, alternatives: [] });
    stage.wait(OVER_MS);
    stage.write('Yes.');
    expect(stage.last('synthesise').rate).toBe(1.15);
  });
});

describe('a talk taken once more', () => {
  it('decides the same with its own manners, and tells what others would have changed', () => {
    const journal: Kept[] = [];
    const recorded = new Stage(planned({ headStarts: 2 }, expecting), journal);
    recorded.wait(1_000);
    recorded.say('book three bunks');
    recorded.wait(500);
    recorded.say('at rowan hut please');
    recorded.wait(OVER_MS);
    recorded.write('There are four bunks. Two of them are beside the window.');
    recorded.playAll();
    const same = replay(journal, {});
    expect(same.difference).toBeNull();
    expect(same.turns).toHaveLength(1);
    expect(same.turns[0]!.wouldBe.cutOffs).toBe(same.turns[0]!.was.cutOffs);
    const hasty = replay(journal, { leewayMs: 250, headStarts: 0 });
    expect(hasty.turns[0]!.wouldBe.cutOffs).toBe(1);
    expect(hasty.turns[0]!.wouldBe.headStarts.begun).toBe(0);
    const changed = journal.map((one) =>
      one.side === 'order' && (one.body as { kind: string }).kind === 'think'
        ? { ...one, body: { kind: 'duck' } }
        : one,
    );
    expect(replay(changed, {}).difference).toMatch(/"duck" was ordered, now "think"/);
  });
});
