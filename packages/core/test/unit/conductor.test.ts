import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { Conductor } from '../../src/conductor/conductor.js';
import type { Happening } from '../../src/conductor/contract/happenings.js';
import { OVER_MS, plan, Stage, WORD_MS } from './stage.js';

const ANSWER = 'There are four bunks. Two of them are beside the window.';

describe('a turn', () => {
  it('is answered after the leeway, phrase by phrase, and both sides enter the history', () => {
    const stage = new Stage();
    stage.say('how many bunks are free');
    expect(stage.all('think')).toHaveLength(0);
    stage.wait(OVER_MS);
    expect(stage.last('think')).toMatchObject({
      messages: [{ role: 'caller', text: 'how many bunks are free' }],
      cause: { kind: 'evidence', grounds: { sign: { sign: 'wholeQuestion' } } },
    });
    stage.write(ANSWER);
    expect(stage.all('synthesise').map(({ text }) => text)).toEqual([
      'There are four bunks.',
      'Two of them are beside the window.',
    ]);
    stage.playAll();
    expect(stage.history).toEqual([
      { role: 'caller', text: 'how many bunks are free' },
      { role: 'assistant', text: ANSWER },
    ]);
    const [report] = stage.told('turn').map((message) => message.report);
    expect(report).toMatchObject({
      answered: true,
      interrupted: null,
      wait: {
        probability: expect.any(Number),
        growth: expect.arrayContaining([expect.anything()]),
      },
      text: 'how many bunks are free',
    });
    expect(report!.gap!.parts.reduce((sum, { ms }) => sum + ms, 0)).toBe(report!.gap!.ms);
    expect(stage.told('state').at(-1)!.state).toBe('listening');
  });

  it('goes on over a pause shorter than the leeway: two segments, one turn', () => {
    const stage = new Stage();
    stage.say('book three bunks');
    stage.wait(200);
    stage.say('at rowan hut');
    const [first, second] = stage.all('openRecognition');
    expect(second!.fromMs).toBeGreaterThanOrEqual(stage.all('closeRecognition')[0]!.toMs);
    expect(first!.fromMs).toBe(0);
    stage.wait(OVER_MS);
    expect(stage.last('think').messages).toEqual([{ role: 'caller', text: 'book three bunks at rowan hut' }]);
  });

  it('waits for a final that is late, and does without one that never comes', () => {
    const stage = new Stage();
    stage.happen({ kind: 'voiceBegan', atMs: 0 });
    const { recognition } = stage.last('openRecognition');
    stage.happen({ kind: 'partial', recognition, words: [{ word: 'supper', fromMs: 0, toMs: 300 }] });
    stage.wait(OVER_MS);
    stage.happen({ kind: 'voiceEnded', atMs: 320, voicedMs: 320, pitchedMs: 320 });
    stage.wait(1_000);
    expect(stage.all('think')).toHaveLength(0);
    stage.wait(4_000);
    expect(stage.last('dropRecognition').recognition).toBe(recognition);
    expect(stage.last('think').messages).toEqual([{ role: 'caller', text: 'supper' }]);
    stage.heard(recognition, 'when is supper');
    expect(stage.last('ignore')).toMatchObject({ happening: 'final', id: recognition });
  });

  it('is not answered when no word was understood', () => {
    const stage = new Stage();
    stage.say('');
    stage.wait(OVER_MS);
    expect(stage.all('think')).toHaveLength(0);
    expect(stage.told('unheard')).toHaveLength(1);
    stage.wait(30_000);
    expect(stage.told('state').at(-1)!.state).toBe('resting');
  });

  it('is taken back when the caller goes on before anything of the answer was heard', () => {
    const stage = new Stage();
    stage.say('is there supper');
    stage.wait(OVER_MS);
    const { thought } = stage.last('think');
    stage.happen({ kind: 'piece', thought, text: 'Yes there is, and' });
    stage.say('at lantern hut');
    expect(stage.last('dropThought').thought).toBe(thought);
    stage.happen({ kind: 'piece', thought, text: ' more' });
    expect(stage.last('ignore')).toMatchObject({ happening: 'piece', id: thought });
    stage.wait(OVER_MS);
    expect(stage.last('think').messages).toEqual([
      { role: 'caller', text: 'is there supper at lantern hut' },
    ]);
  });

  it('says so when thinking fails, after what was written already, and the talk goes on', () => {
    const stage = new Stage();
    stage.say('hello');
    stage.wait(OVER_MS);
    const { thought } = stage.last('think');
    stage.happen({ kind: 'piece', thought, text: 'The path is open. ' });
    stage.happen({ kind: 'thoughtTrouble', thought, code: 'engine-down', detail: 'gone' });
    stage.playAll();
    expect(stage.told('trouble')).toEqual([{ kind: 'trouble', code: 'engine-down', detail: 'gone' }]);
    expect(stage.history.at(-1)!.text).toBe('The path is open. I cannot think just now.');
    expect(stage.told('turn')[0]!.report).toMatchObject({ answered: false, trouble: 'engine-down' });
    stage.say('again please');
    stage.wait(OVER_MS);
    expect(stage.all('think')).toHaveLength(2);
  });
});

describe('an interruption', () => {
  function answering(): Stage {
    const stage = new Stage();
    stage.say('tell me');
    stage.wait(OVER_MS);
    const { thought } = stage.last('think');
    stage.happen({
      kind: 'piece',
      thought,
      text: 'There are four bunks. Two of them are beside the window. Then',
    });
    stage.synthesise();
    stage.play(stage.all('play')[0]!.speech, 2.5 * WORD_MS);
    return stage;
  }

  it('keeps only the words that were played before the caller spoke', () => {
    const stage = answering();
    const speech = stage.all('play')[0]!.speech;
    stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
    expect(stage.last('duck').cause).toEqual({ kind: 'spokeOver' });
    stage.wait(120);
    stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs: 660, pitchedMs: 500 });
    expect(stage.last('hush').cause).toEqual({ kind: 'spokeOverFor', ms: 660 });
    // It may turn out to have been nothing: the answer is thought on until that is known.
    expect(stage.all('dropThought')).toHaveLength(0);
    stage.happen({ kind: 'played', speech, playedMs: 3.2 * WORD_MS, atMs: stage.nowMs, flushed: true });
    expect(stage.history.at(-1)).toEqual({ role: 'assistant', text: 'There are four' });
    expect(stage.told('turn').at(-1)!.report.interrupted?.kind).toBe('spokeOverFor');
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs, voicedMs: 900, pitchedMs: 700 });
    stage.heard(stage.last('openRecognition').recognition, 'i mean two bunks');
    stage.wait(OVER_MS);
    expect(stage.all('dropThought')).toHaveLength(1);
    expect(stage.last('think').messages.at(-1)!.text).toBe('i mean two bunks');
  });

  it('takes the conservative estimate when the line does not say what was played', () => {
    const stage = answering();
    stage.happen({ kind: 'hushAsked' });
    stage.wait(149);
    expect(stage.told('turn')).toHaveLength(0);
    stage.wait(2);
    expect(stage.history.at(-1)).toEqual({ role: 'assistant', text: 'There are' });
  });

  it('is not made by a short noise: the voice comes back and nothing is lost', () => {
    const stage = answering();
    stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
    const { recognition } = stage.last('openRecognition');
    stage.wait(300);
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs - 280, voicedMs: 100, pitchedMs: 100 });
    stage.heard(recognition, '');
    expect(stage.last('unduck').cause.kind).toBe('soundWithoutWord');
    expect(stage.all('hush')).toHaveLength(0);
    const { thought } = stage.last('think');
    stage.happen({ kind: 'piece', thought, text: ' come.' });
    stage.happen({ kind: 'thoughtDone', thought });
    stage.playAll();
    expect(stage.history.at(-1)!.text).toBe(
      'There are four bunks. Two of them are beside the window. Then come.',
    );
  });

  it('by voice is not possible where only keys count, and the ear is deaf in the meantime', () => {
    const stage = new Stage({ ...plan, manners: { ...plan.manners, interrupt: 'key' } });
    stage.say('tell me');
    stage.wait(OVER_MS);
    stage.write(ANSWER);
    stage.synthesise();
    const before = stage.all('openRecognition').length;
    stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
    stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs: 400, pitchedMs: 400 });
    expect(stage.all('hush')).toHaveLength(0);
    expect(stage.all('openRecognition')).toHaveLength(before);
    stage.happen({ kind: 'hushAsked' });
    expect(stage.all('hush')).toHaveLength(1);
  });

  it('before any word was heard joins the halves into one turn', () => {
    const stage = new Stage();
    stage.say('how far is it');
    stage.wait(OVER_MS);
    stage.write(ANSWER);
    stage.synthesise();
    stage.happen({ kind: 'voiceBegan', atMs: stage.nowMs });
    stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs: 660, pitchedMs: 660 });
    stage.happen({
      kind: 'played',
      speech: stage.last('play').speech,
      playedMs: 20,
      atMs: stage.nowMs,
      flushed: true,
    });
    stage.heard(stage.last('openRecognition').recognition, 'to saddle hut');
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs, voicedMs: 600, pitchedMs: 600 });
    stage.wait(OVER_MS);
    expect(stage.last('think').messages).toEqual([{ role: 'caller', text: 'how far is it to saddle hut' }]);
  });
});

describe('the rest of a talk', () => {
  it('ends an answer whose sound was played before its end was known, with its last word', () => {
    const stage = new Stage();
    stage.happen({ kind: 'typed', text: 'hello' });
    stage.write('Yes.');
    const { speech } = stage.last('synthesise');
    const words = [{ word: 'Yes.', endMs: 200 }];
    stage.happen({ kind: 'audio', speech, audioMs: 200, words, estimated: false, done: false });
    stage.happen({ kind: 'played', speech, playedMs: 198.5, atMs: 300, flushed: false });
    expect(stage.told('turn')).toHaveLength(0);
    stage.happen({ kind: 'audio', speech, audioMs: 200, words, estimated: false, done: true });
    expect(stage.told('turn')[0]!.report.heard).toBe('Yes.');
  });

  it('begins with the greeting where the assistant speaks first', () => {
    const stage = new Stage({
      ...plan,
      greeting: 'Hello, this is Tansy.',
      manners: { ...plan.manners, speaksFirst: 'assistant' },
    });
    stage.playAll();
    expect(stage.history).toEqual([{ role: 'assistant', text: 'Hello, this is Tansy.' }]);
    expect(stage.told('turn')[0]!.report.source).toBe('greeting');
  });

  it('takes typed turns, also over a spoken answer', () => {
    const stage = new Stage();
    stage.happen({ kind: 'typed', text: ' when is supper ' });
    expect(stage.last('think').cause).toEqual({ kind: 'typed' });
    stage.write(ANSWER);
    stage.synthesise();
    stage.play(stage.all('play')[0]!.speech, 2 * WORD_MS);
    stage.happen({ kind: 'typed', text: 'and breakfast' });
    stage.wait(150);
    expect(stage.last('think').messages).toEqual([
      { role: 'caller', text: 'when is supper' },
      { role: 'assistant', text: 'There are' },
      { role: 'caller', text: 'and breakfast' },
    ]);
  });

  it('forgets everything at a fresh start', () => {
    const stage = new Stage();
    stage.happen({ kind: 'typed', text: 'my name is miller' });
    stage.write(ANSWER);
    stage.playAll();
    stage.happen({ kind: 'freshAsked' });
    expect(stage.history).toEqual([]);
    expect(stage.told('fresh')).toHaveLength(1);
    stage.happen({ kind: 'typed', text: 'who am i' });
    expect(stage.last('think').messages).toEqual([{ role: 'caller', text: 'who am i' }]);
  });

  it('only listens where that is the purpose', () => {
    const stage = new Stage({ ...plan, purpose: 'listen' });
    stage.say('how many bunks');
    stage.wait(OVER_MS);
    expect(stage.all('think')).toHaveLength(0);
    expect(stage.told('final')[0]!.text).toBe('how many bunks');
  });

  it('ignores everything after the caller has left', () => {
    const stage = new Stage();
    stage.happen({ kind: 'typed', text: 'hello' });
    stage.happen({ kind: 'left', how: 'closed' });
    expect(stage.all('dropThought')).toHaveLength(1);
    expect(stage.happen({ kind: 'typed', text: 'still there' })).toEqual([
      { kind: 'ignore', happening: 'typed', id: 0, cause: { kind: 'ofThePast' } },
    ]);
  });
});

const id = fc.integer({ min: 1, max: 40 });
const ms = fc.integer({ min: 0, max: 3_000 });
const word = fc.constantFrom('', 'hut', 'the path is open', 'wait');
const happening = fc.oneof(
  fc.record({ kind: fc.constant('voiceBegan' as const), atMs: ms }),
  fc.record({ kind: fc.constant('voiceGoes' as const), atMs: ms, voicedMs: ms }),
  fc.record({ kind: fc.constant('voiceEnded' as const), atMs: ms, voicedMs: ms }),
  fc.record({ kind: fc.constant('typed' as const), text: fc.constantFrom('hello', 'more') }),
  fc.record({ kind: fc.constantFrom('hushAsked' as const, 'freshAsked' as const) }),
  fc.record({
    kind: fc.constant('final' as const),
    recognition: id,
    words: word.map((text) =>
      text
        .split(' ')
        .filter(Boolean)
        .map((one) => ({ word: one, fromMs: 0, toMs: 1 })),
    ),
    alternatives: fc.constant([]),
  }),
  fc.record({
    kind: fc.constant('piece' as const),
    thought: id,
    text: fc.constantFrom('The path ', 'is open. ', 'Bring a map, please, '),
  }),
  fc.record({ kind: fc.constant('thoughtDone' as const), thought: id }),
  fc.record({
    kind: fc.constantFrom('thoughtTrouble' as const),
    thought: id,
    code: fc.constant('engine-down'),
    detail: fc.constant(''),
  }),
  fc.record({
    kind: fc.constant('audio' as const),
    speech: id,
    audioMs: fc.constant(900),
    words: fc.constant([
      { word: 'one', endMs: 400 },
      { word: 'two', endMs: 800 },
    ]),
    estimated: fc.constant(false),
    done: fc.boolean(),
  }),
  fc.record({
    kind: fc.constant('synthesisTrouble' as const),
    speech: id,
    code: fc.constant('engine-down'),
    detail: fc.constant(''),
  }),
  fc.record({
    kind: fc.constant('played' as const),
    speech: id,
    playedMs: fc.integer({ min: 0, max: 900 }),
    atMs: ms,
    flushed: fc.boolean(),
  }),
  fc.record({ kind: fc.constant('rang' as const), timer: id }),
);

describe('whatever happens', () => {
  it('roles alternate, nothing unheard enters the history, and a typed turn can always be answered', () => {
    fc.assert(
      fc.property(fc.array(happening, { maxLength: 40 }), (happenings) => {
        const stage = new Stage();
        for (const one of happenings) {
          stage.nowMs += 50;
          stage.happen(one as never);
        }
        const { history } = stage;
        history.forEach((entry, i) => expect(entry.role).not.toBe(history[i - 1]?.role));
        for (const { role, text } of history)
          if (role === 'assistant') expect(text).toMatch(/^(one|two)( (one|two))*$/);
        stage.happen({ kind: 'freshAsked' });
        if (stage.conductor.snapshot().floor.voiceActive)
          stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs, voicedMs: 100, pitchedMs: 100 });
        stage.happen({ kind: 'typed', text: 'are you there' });
        stage.wait(200);
        expect(stage.last('think').messages.at(-1)!.text).toContain('are you there');
      }),
      { numRuns: 2_000, seed: 5 },
    );
  });

  it('the state can be written down and taken up again at any moment', () => {
    fc.assert(
      fc.property(fc.array(happening, { maxLength: 30 }), (happenings) => {
        const whole = new Conductor();
        let taken = new Conductor();
        const all = [{ kind: 'joined', plan }, ...happenings] as object[];
        all.forEach((one, i) => {
          const stamped = { ...one, nowMs: i * 50 } as Happening;
          taken = new Conductor(JSON.parse(JSON.stringify(taken.snapshot())) as never);
          expect(taken.conduct(stamped)).toEqual(whole.conduct(stamped));
        });
      }),
      { numRuns: 300, seed: 6 },
    );
  });
});
