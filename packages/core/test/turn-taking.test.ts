/** The end of a turn by evidence, the head start, what a voice over the assistant means, and the pace: on the virtual clock. */
import { describe, expect, it } from '@jest/globals';
import { decideWait, languageOf, replay, type Evidence, type Kept } from '../src/index.js';
import type { Manners, Plan } from '../src/conductor/plan.js';
import { OVER_MS, plan, Stage, WORD_MS } from './stage.js';

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
    ['under the name', '', -1],
    ['how many bunks are free at heron hut', '', 1],
    ['make it four please', '', 1],
    ['that is all thank you', '', 1],
    ['what is it for', '', 1],
    ['three', 'How many bunks do you need?', 1],
    ['friday', 'Sure. Which night?', 1],
    ['yes', 'Is that right?', 1],
  ])('"%s" after "%s"', (words, asked, sign) => {
    const { score, because } = english.completeness(words.split(' '), names, asked);
    expect(Math.sign(score)).toBe(sign);
    expect(because).not.toBe('');
  });
});

describe('the wait at the end', () => {
  const evidence: Evidence = {
    leewayMs: 600,
    words: { score: 0, because: 'nobody can tell' },
    expects: true,
    expected: null,
    sureness: 1,
    ending: null,
    ownPausesMs: [],
    uncoveredMs: 0,
  };
  const wait = (change: Partial<Evidence>) => decideWait({ ...evidence, ...change }).ms;
  const said = (score: number) => ({ words: { score, because: 'of the words' } });

  it('is the leeway where nobody can tell, shorter for what is complete and longer for what is not', () => {
    expect(wait({})).toBe(600);
    expect(wait(said(0.9))).toBe(240);
    expect(wait(said(-0.9))).toBe(1_560);
    expect(wait({ ...said(0.9), leewayMs: 1_000 })).toBe(400);
  });

  it('is longer for a caller who pauses long, unless the words are complete', () => {
    const ownPausesMs = [900, 950, 1_000];
    expect(wait({ ownPausesMs })).toBeGreaterThan(1_100);
    expect(wait({ ...said(0.9), ownPausesMs })).toBe(240);
    expect(decideWait({ ...evidence, ownPausesMs }).reason).toMatch(/this caller pauses for 950 ms/);
  });

  it('trusts words less that may be misheard, and those that recognition has not reached', () => {
    expect(wait({ ...said(0.6), sureness: 0.5 })).toBeGreaterThan(600);
    expect(wait({ ...said(0.6), sureness: null })).toBeGreaterThan(wait(said(0.6)));
    expect(
      wait({ ...said(0.9), expected: { whole: true, begun: false, more: false }, uncoveredMs: 500 }),
    ).toBe(600);
  });

  it('hears in the voice whether more is to come', () => {
    const level = { moveSt: 0, placeSt: 0 };
    const fallen = { moveSt: -4, placeSt: -3 };
    expect(wait({ ending: level })).toBeGreaterThan(wait({}));
    expect(wait({ ending: fallen })).toBeLessThan(wait({}));
  });
});

function planned(manners: Partial<Manners>, other: Partial<Plan> = {}): Plan {
  return { ...plan, ...other, manners: { ...plan.manners, ...manners } };
}
const expecting = {
  expect: { phrases: ['how many bunks are free at heron hut', 'is the path open [today]'] },
};

/** The caller begins to speak, and recognition shows these words. */
function begin(stage: Stage, text: string): number {
  stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
  const { recognition } = stage.last('openRecognition');
  show(stage, recognition, text);
  return recognition;
}
function show(stage: Stage, recognition: number, text: string): void {
  const from = stage.nowMs;
  const words = text.split(' ').map((word, i) => ({ word, fromMs: from, toMs: from + i }));
  stage.happen({ kind: 'partial', recognition, words });
}
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
    expect(stage.all('setTimer').findLast(({ name }) => name === 'endpoint')!.afterMs).toBeLessThan(250);
    stage.wait(180);
    expect(stage.told('state').at(-1)!.state).toBe('working');
    stage.heard(recognition, 'book three bunks and');
    expect(stage.told('state').at(-1)!.state).toBe('listening');
    expect(stage.all('think')).toHaveLength(0);
    stage.wait(2_000);
    expect(stage.last('think').reason).toBe('it ends with "and"');
  });

  it('comes no later for a noise after the words', () => {
    const stage = new Stage();
    stage.say('is the bridge open please');
    stage.wait(10);
    expect(stage.last('think').messages[0]!.text).toBe('is the bridge open please');
  });
});

describe('the head start', () => {
  it('begins while the caller still speaks, is heard of by nobody, and is kept for the same words', () => {
    const stage = new Stage(planned({ headStarts: 2 }, expecting));
    const recognition = begin(stage, 'how many bunks are free at heron hut');
    const { thought, reason } = stage.last('think');
    expect(reason).toBe('head start: it is a phrase that is expected here');
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

const ANSWER = 'There are four bunks. Two of them are beside the window. The others are under the roof.';

function answering(manners: Partial<Manners> = {}): Stage {
  const stage = new Stage(planned(manners));
  stage.say('tell me about it please');
  stage.wait(OVER_MS);
  stage.write(ANSWER);
  stage.synthesise();
  stage.play(stage.all('play')[0]!.speech, 2.5 * WORD_MS);
  return stage;
}
function over(stage: Stage, text: string, voicedMs = 400, sureness = 1): void {
  const recognition = begin(stage, text);
  stage.nowMs += voicedMs;
  stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs, pitchedMs: voicedMs });
  if (stage.all('hush').length > 0) return;
  stage.nowMs += 100;
  stage.happen({
    kind: 'voicePaused',
    atMs: stage.nowMs - 100,
    voicedMs,
    pitchedMs: voicedMs,
    ending: ENDING,
  });
  stage.heard(recognition, text, sureness);
}

describe('a voice over the assistant', () => {
  it('ducks her at once, and stops her at "wait", even as a provisional word', () => {
    const stage = answering();
    over(stage, 'wait', 200);
    expect(stage.all('duck')).toHaveLength(1);
    expect(stage.last('hush').reason).toBe('the caller said "wait"');
  });

  it.each([
    ['uh huh', 1, /only says that the caller listens/],
    ['', 1, /without a word/],
    ['goldberg', 0.4, /too little for an interruption/],
    ['are four bunks', 1, /our own voice/],
  ])('"%s" does not: she goes on', (text, sureness, why) => {
    const stage = answering();
    over(stage, text, 400, sureness);
    expect(stage.all('hush')).toHaveLength(0);
    expect(stage.last('unduck').reason).toMatch(why);
    expect(stage.conductor.snapshot()).toMatchObject({ turn: null, overlap: null });
    stage.playAll();
    expect(stage.history.at(-1)!.text).toBe(ANSWER);
  });

  it('stops her by its length, but not where only words count, nor in an important sentence', () => {
    const long = (stage: Stage) => over(stage, 'goldberg', 700, 1);
    const [voiced, worded, important] = [
      answering(),
      answering({ interrupt: 'words' }),
      answering({ important: ['four bunks'] }),
    ];
    [voiced, worded].forEach(long);
    expect(voiced.last('hush').reason).toMatch(/spoke over the assistant for 700 ms/);
    expect(worded.last('hush').reason).toMatch(/said "goldberg"/);
    important.happen({ kind: 'voiceBegan', atMs: important.nowMs });
    expect(important.all('duck')).toHaveLength(0);
    important.happen({ kind: 'hushAsked' });
    expect(important.all('hush')).toHaveLength(1);
  });

  it('is forgotten with all the rest when the caller asks for a fresh start or leaves before it is known what it was', () => {
    for (const kind of ['freshAsked', 'left'] as const) {
      const stage = answering();
      over(stage, 'goldberg', 700);
      stage.happen(kind === 'left' ? { kind, why: 'the line was closed' } : { kind });
      expect(stage.conductor.snapshot()).toMatchObject({ cutOff: null, reply: null, ahead: null });
      expect(stage.all('synthesise').filter(({ text }) => text === 'There are four bunks.')).toHaveLength(1);
    }
  });

  it('that turns out to be nothing lets her take the sentence up again where it was not heard whole', () => {
    const stage = answering();
    const recognition = begin(stage, 'goldberg');
    stage.nowMs += 700;
    stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs: 700, pitchedMs: 600 });
    const { speech } = stage.all('play')[0]!;
    stage.happen({ kind: 'played', speech, playedMs: 3 * WORD_MS, atMs: stage.nowMs, flushed: true });
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs, voicedMs: 700, pitchedMs: 600 });
    stage.heard(recognition, 'mm hm');
    stage.wait(OVER_MS);
    expect(stage.all('think')).toHaveLength(1);
    const again = stage.all('synthesise').filter(({ text }) => text === 'There are four bunks.');
    expect(again).toHaveLength(2);
    stage.playAll();
    expect(stage.told('turn').at(-1)!.report).toMatchObject({ source: 'resumed', interrupted: null });
    expect(stage.history.map(({ role }) => role)).toEqual(['caller', 'assistant']);
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
    recorded.write(ANSWER);
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
