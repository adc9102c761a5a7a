/**
 * What people really do in conversations: not being understood, asking back, goodbye, keys, leaving in
 * mid-sentence.
 */
import { describe, expect, it } from '@jest/globals';
import { languageOf } from '../../src/index.js';
import type { Plan } from '../../src/conductor/contract/plan.js';
import { OVER_MS, plan, planned, Stage, WORD_MS } from './stage.js';

const ANSWER = 'There are four bunks free at Heron Hut on Saturday, and supper is at six.';

/** A caller says this and waits until the turn is over. */
function turn(stage: Stage, text: string, confidence = 1): void {
  stage.say(text, confidence);
  stage.wait(OVER_MS);
}

function press(stage: Stage, holdMs: number, voicedMs: number, text: string): void {
  const from = stage.nowMs;
  stage.happen({ kind: 'pressed', atMs: from });
  const { recognition } = stage.last('openRecognition');
  if (voicedMs > 0) {
    stage.happen({ kind: 'voiceBegan', atMs: from + 50 });
    stage.nowMs = from + 50 + voicedMs + 280;
    stage.happen({ kind: 'voiceEnded', atMs: from + 50 + voicedMs, voicedMs, pitchedMs: voicedMs });
  }
  stage.nowMs = Math.max(stage.nowMs, from + holdMs);
  stage.happen({ kind: 'released', atMs: from + holdMs });
  if (voicedMs > 0) stage.heard(recognition, text);
}

describe('what cannot be understood', () => {
  it('voice without words is said so twice in a row at most, and always shown with its reason', () => {
    const stage = new Stage();
    for (let i = 0; i < 3; i++) {
      stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
      stage.nowMs += 900;
      stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs - 280, voicedMs: 620, pitchedMs: 620 });
      stage.heard(stage.last('openRecognition').recognition, '');
      stage.wait(OVER_MS);
      stage.playAll();
    }
    expect(stage.all('think')).toHaveLength(0);
    expect(stage.told('unheard').map(({ reason }) => reason)).toEqual(['no-words', 'no-words', 'no-words']);
    expect(stage.told('unheard')[0]!.cause).toEqual({ kind: 'voiceWithoutWord', ms: 620 });
    expect(stage.told('turn').map(({ report }) => report.heard)).toEqual([
      plan.sayings.unheard,
      plan.sayings.unheard,
    ]);
  });

  it('a noise is shown and not spoken about', () => {
    const stage = new Stage();
    stage.happen({ kind: 'voiceBegan', atMs: 0 });
    stage.nowMs = 500;
    stage.happen({ kind: 'voiceEnded', atMs: 220, voicedMs: 180, pitchedMs: 180 });
    stage.heard(stage.last('openRecognition').recognition, '');
    stage.wait(OVER_MS);
    expect(stage.told('unheard')[0]).toMatchObject({ reason: 'noise' });
    expect(stage.all('synthesise')).toHaveLength(0);
  });

  it('silence at the caller’s turn is asked about once, until the caller speaks again', () => {
    const stage = new Stage({ ...plan, manners: { ...plan.manners, firstWordMs: 8_000 } });
    turn(stage, 'hello');
    stage.write(ANSWER);
    stage.playAll();
    stage.wait(8_000);
    stage.playAll();
    stage.wait(20_000);
    expect(stage.told('turn').map(({ report }) => report.source)).toEqual(['voice', 'silence']);
    stage.wait(20_000);
    expect(stage.conductor.snapshot().phase).toBe('resting');
    turn(stage, 'hello again');
    stage.write(ANSWER);
    stage.playAll();
    stage.wait(8_000);
    stage.playAll();
    expect(stage.told('turn').filter(({ report }) => report.source === 'silence')).toHaveLength(2);
  });

  it('uncertain words are asked back; yes answers them, no asks anew, anything else counts itself', () => {
    const sure = { ...plan, written: true, manners: { ...plan.manners, askBackBelow: 0.4 } };
    const stage = new Stage(sure);
    turn(stage, 'how many bunks are free', 0.2);
    stage.playAll();
    expect(stage.told('turn')[0]!.report.heard).toBe('Did you say: How many bunks are free?');
    turn(stage, 'yes please');
    expect(stage.last('think').messages.at(-1)!.text).toBe('How many bunks are free?');
    const denied = new Stage(sure);
    turn(denied, 'how many bunks are free', 0.2);
    denied.playAll();
    turn(denied, 'no');
    denied.playAll();
    expect(denied.all('think')).toHaveLength(0);
    turn(denied, 'when is supper');
    expect(denied.last('think').messages.at(-1)!.text).toBe('When is supper?');
  });
});

describe('sayings about the talk itself', () => {
  it.each([
    ['start over', 'fresh', ''],
    ['okay tansy let us start again please', 'fresh', ''],
    ['can we start over', 'fresh', ''],
    ['please start over and tell me about the huts', 'fresh', 'tell me about the huts'],
    ['no forget everything how far is it', 'fresh', 'how far is it'],
    ['start over the saddle', null, ''],
    ['please start over the saddle tomorrow', null, ''],
    ['where does the path start again', null, ''],
    ['goodbye', 'goodbye', ''],
    ['that is all thank you', 'goodbye', ''],
    ['okay thank you very much bye', 'goodbye', ''],
    ['thank you', null, ''],
    ['is that all', null, ''],
    ['can i say goodbye to the warden', null, ''],
    ['shorter please', 'shorter', ''],
    ['no keep it short', 'shorter', ''],
    ['is there a shorter path', null, ''],
    ['more detail please', 'longer', ''],
  ])('"%s" means %s', (text, command, rest) => {
    expect(languageOf('en').command(text, ['Tansy'])).toEqual(command === null ? null : { command, rest });
  });

  it('a fresh start by voice forgets, and answers what else was said', () => {
    const stage = new Stage();
    turn(stage, 'my name is miller');
    stage.write(ANSWER);
    stage.playAll();
    turn(stage, 'please start over and tell me about the huts');
    expect(stage.told('fresh')).toHaveLength(1);
    expect(stage.last('think').messages).toEqual([{ role: 'caller', text: 'tell me about the huts' }]);
  });

  it('goodbye by voice is answered by the farewell, which no voice stops; then the talk closes', () => {
    const stage = new Stage();
    turn(stage, 'that is all goodbye');
    stage.synthesise();
    stage.play(stage.last('play').speech, 50);
    stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
    stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs: 300, pitchedMs: 300 });
    expect(stage.all('hush')).toHaveLength(0);
    expect(stage.all('hangUp')).toHaveLength(0);
    stage.playAll();
    expect(stage.told('turn').at(-1)!.report.heard).toBe('Goodbye.');
    expect(stage.all('hangUp')).toHaveLength(1);
    expect(stage.conductor.snapshot().ended).toBe(true);
  });

  it('"shorter" and "longer" move the length of answers, from then on', () => {
    const stage = new Stage();
    const lengths = ['shorter please', 'even more words', 'longer', 'more detail'].map((text) => {
      turn(stage, text);
      const { answerLength } = stage.last('think');
      stage.write(ANSWER);
      stage.playAll();
      return answerLength;
    });
    expect(lengths).toEqual(['brief', 'brief', 'short', 'long']);
  });
});

describe('push-to-talk', () => {
  const keyed = { ...plan, manners: { ...plan.manners, floor: 'press' as const } };

  it('hears only while the key is down, from a little before, and answers at once on release', () => {
    const stage = new Stage(keyed);
    stage.say.bind(stage);
    stage.happen({ kind: 'voiceBegan', atMs: 0 });
    stage.happen({ kind: 'voiceEnded', atMs: 500, voicedMs: 500, pitchedMs: 500 });
    expect(stage.all('openRecognition')).toHaveLength(0);
    stage.nowMs = 2_000;
    press(stage, 1_500, 1_000, 'when is supper');
    expect(stage.last('openRecognition').fromMs).toBe(1_700);
    expect(stage.last('think').messages.at(-1)!.text).toBe('when is supper');
    expect(stage.told('turn')).toHaveLength(0);
  });

  it('forgives an early release: the voice is heard to its end', () => {
    const stage = new Stage(keyed);
    stage.happen({ kind: 'pressed', atMs: 0 });
    stage.happen({ kind: 'voiceBegan', atMs: 100 });
    stage.nowMs = 900;
    stage.happen({ kind: 'released', atMs: 900 });
    expect(stage.all('closeRecognition')).toHaveLength(0);
    stage.nowMs = 1_500;
    stage.happen({ kind: 'voiceEnded', atMs: 1_220, voicedMs: 1_100, pitchedMs: 1_100 });
    stage.heard(stage.last('openRecognition').recognition, 'when is supper');
    expect(stage.last('closeRecognition').toMs).toBe(1_420);
    expect(stage.all('think')).toHaveLength(1);
  });

  it('a tap latches until the next press; double presses and releases do no harm', () => {
    const stage = new Stage(keyed);
    stage.happen({ kind: 'released', atMs: 0 });
    stage.happen({ kind: 'pressed', atMs: 0 });
    stage.happen({ kind: 'pressed', atMs: 20 });
    stage.happen({ kind: 'released', atMs: 100 });
    stage.happen({ kind: 'released', atMs: 120 });
    stage.happen({ kind: 'voiceBegan', atMs: 300 });
    stage.nowMs = 1_500;
    stage.happen({ kind: 'voiceEnded', atMs: 1_200, voicedMs: 900, pitchedMs: 900 });
    stage.heard(stage.last('openRecognition').recognition, 'is it open');
    stage.wait(2_000);
    expect(stage.all('think')).toHaveLength(0);
    stage.happen({ kind: 'pressed', atMs: stage.nowMs });
    expect(stage.last('think').messages.at(-1)!.text).toBe('is it open');
    stage.happen({ kind: 'released', atMs: stage.nowMs + 50 });
    expect(stage.conductor.snapshot().floor.press).toBeNull();
  });

  it('a press with nothing said is told so, and a press over the answer stops it', () => {
    const stage = new Stage(keyed);
    press(stage, 800, 0, '');
    expect(stage.told('unheard')[0]).toMatchObject({ reason: 'silence', cause: { kind: 'nothingSaid' } });
    expect(stage.all('dropRecognition')).toHaveLength(1);
    press(stage, 1_500, 900, 'when is supper');
    stage.write(ANSWER);
    stage.synthesise();
    stage.play(stage.all('play')[0]!.speech, 2 * WORD_MS);
    stage.happen({ kind: 'pressed', atMs: stage.nowMs });
    expect(stage.all('hush')).toHaveLength(1);
  });

  it('the floor can be changed during a talk', () => {
    const stage = new Stage(keyed);
    stage.happen({ kind: 'floorSet', floor: 'open' });
    turn(stage, 'when is supper');
    expect(stage.all('think')).toHaveLength(1);
  });
});

describe('hard cases leave a sound state', () => {
  it('two interruptions in quick succession', () => {
    const stage = new Stage();
    turn(stage, 'tell me about the huts');
    stage.write(ANSWER);
    stage.synthesise();
    stage.play(stage.all('play')[0]!.speech, 2 * WORD_MS);
    for (const voicedMs of [200, 240]) {
      stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
      stage.nowMs += 200;
      stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs, pitchedMs: voicedMs });
      stage.nowMs += 100;
      stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs, voicedMs, pitchedMs: voicedMs });
    }
    stage
      .all('openRecognition')
      .slice(1)
      .forEach(({ recognition }, i) => stage.heard(recognition, ['wait', 'supper'][i]!));
    stage.wait(OVER_MS);
    expect(stage.all('hush')).toHaveLength(1);
    expect(stage.last('think').messages.map(({ text }) => text)).toEqual([
      'tell me about the huts',
      'There are',
      'wait supper',
    ]);
  });

  it('a caller who leaves in mid-sentence: the words are reported, nothing stays open', () => {
    const stage = new Stage();
    stage.happen({ kind: 'voiceBegan', atMs: 0 });
    const { recognition } = stage.last('openRecognition');
    stage.nowMs = 900;
    stage.happen({
      kind: 'partial',
      recognition,
      words: [
        { word: 'how', fromMs: 0, toMs: 1 },
        { word: 'many', fromMs: 1, toMs: 2 },
      ],
    });
    stage.happen({ kind: 'left', how: 'closed' });
    expect(stage.all('dropRecognition')).toEqual([expect.objectContaining({ recognition })]);
    expect(stage.told('turn')[0]!.report).toMatchObject({
      text: 'how many',
      answered: false,
      interrupted: { kind: 'left', how: 'closed' },
    });
    expect(stage.conductor.snapshot().timers).toEqual({});
  });

  it('a one-word turn, an empty answer, and a reply of 2,000 words', () => {
    const stage = new Stage();
    turn(stage, 'supper');
    stage.happen({ kind: 'thoughtDone', thought: stage.last('think').thought });
    stage.playAll();
    expect(stage.told('turn')[0]!.report).toMatchObject({
      trouble: 'thought-empty',
      heard: plan.sayings.cannotThink,
    });
    turn(stage, 'more');
    stage.write(
      Array.from({ length: 250 }, () => 'The path goes on and on today.').join(' ') +
        ' It has two hundred and fifty more bends, and then the hut.',
    );
    stage.playAll();
    expect(stage.told('turn')[1]!.report.heard.split(' ').length).toBeGreaterThan(1_750);
    expect(stage.conductor.snapshot()).toMatchObject({ phase: 'listening', answers: [], turn: null });
  });
});

describe('a notice before anything of the caller’s is heard', () => {
  const NOTICE = 'This call is recorded.';
  const notified = (other: Partial<Plan>) =>
    new Stage(planned({ speaksFirst: 'assistant', important: [NOTICE] }, { notice: NOTICE, ...other }));

  it.each([
    ['a greeting', { greeting: 'Hello.' }, `${NOTICE} Hello.`],
    ['none', { greeting: '' }, NOTICE],
  ])('is said first, with %s, and no voice or key stops it or is heard before', (_, other, said) => {
    const stage = notified(other);
    stage.happen({ kind: 'voiceBegan', atMs: 100 });
    stage.happen({ kind: 'keyed', key: '1' });
    expect(stage.all('openRecognition')).toHaveLength(0);
    expect(stage.all('hush')).toHaveLength(0);
    stage.playAll();
    expect(stage.told('turn')[0]!.report).toMatchObject({ source: 'greeting', heard: said });
    stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
    expect(stage.all('openRecognition')).toHaveLength(1);
  });

  it('comes before what a model opens the talk with, and once', () => {
    const stage = notified({ greeting: 'Hello.', opening: 'Greet.' });
    stage.happen({ kind: 'piece', thought: stage.last('think').thought, text: 'Welcome.' });
    stage.happen({ kind: 'thoughtDone', thought: stage.last('think').thought });
    stage.playAll();
    expect(stage.told('turn')[0]!.report.heard).toBe(`${NOTICE} Welcome.`);
    stage.happen({ kind: 'freshAsked' });
    stage.happen({ kind: 'piece', thought: stage.last('think').thought, text: 'Welcome again.' });
    stage.happen({ kind: 'thoughtDone', thought: stage.last('think').thought });
    stage.playAll();
    expect(stage.told('turn').at(-1)!.report.heard).toBe('Welcome again.');
  });
});
