/** A voice over the assistant's: what stops it, and what does not. */
import { describe, expect, it } from '@jest/globals';
import type { Manners, Plan } from '../../src/conductor/contract/plan.js';
import { begin, OVER_MS, planned, Stage, WORD_MS } from './stage.js';

const ENDING = { moveSt: null, placeSt: null };
const ANSWER = 'There are four bunks. Two of them are beside the window. The others are under the roof.';

function answering(manners: Partial<Manners> = {}, other: Partial<Plan> = {}): Stage {
  const stage = new Stage(planned(manners, other));
  stage.say('tell me about it please');
  stage.wait(OVER_MS);
  stage.write(ANSWER);
  stage.synthesise();
  stage.play(stage.all('play')[0]!.speech, 2.5 * WORD_MS);
  return stage;
}
function over(stage: Stage, text: string, voicedMs = 400, confidence = 1): void {
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
  stage.heard(recognition, text, confidence);
}

describe('a voice over the assistant', () => {
  it('ducks it at once, and stops it at "wait", even as a provisional word', () => {
    const stage = answering();
    over(stage, 'wait', 200);
    expect(stage.all('duck')).toHaveLength(1);
    expect(stage.last('hush').cause).toEqual({ kind: 'stopSaid', words: 'wait' });
  });

  it.each([
    ['uh huh', 1, 'backchannel'],
    ['', 1, 'soundWithoutWord'],
    ['goldberg', 0.4, 'tooLittle'],
    ['what the', 1, 'tooLittle'],
    ['are four bunks', 1, 'ownVoice'],
  ])('"%s" does not: it goes on', (text, confidence, kind) => {
    const stage = answering();
    over(stage, text, 400, confidence);
    expect(stage.all('hush')).toHaveLength(0);
    expect(stage.last('unduck').cause.kind).toBe(kind);
    expect(stage.conductor.snapshot()).toMatchObject({ turn: null, floor: { overlap: null } });
    stage.playAll();
    expect(stage.history.at(-1)!.text).toBe(ANSWER);
  });

  it('counts, when it is short, only for words that are expected, where it is said which are', () => {
    const stage = answering(
      {},
      { expect: { phrases: ['(on|for) <day>'], slots: { day: ['Friday', 'Monday'] } } },
    );
    over(stage, 'goldberg');
    expect(stage.all('hush')).toHaveLength(0);
    over(stage, 'friday');
    expect(stage.last('hush').cause).toEqual({ kind: 'saidOver', words: 'friday' });
  });

  it('is judged anew after a nod: what was nodded does not count for its length', () => {
    const stage = answering();
    over(stage, 'okay', 400);
    const goes = (voicedMs: number) => {
      stage.nowMs += 60;
      stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs, pitchedMs: voicedMs });
    };
    goes(460);
    goes(700);
    expect(stage.all('duck')).toHaveLength(2);
    expect(stage.all('hush')).toHaveLength(0);
    goes(1_060);
    expect(stage.last('hush').cause).toEqual({ kind: 'spokeOverFor', ms: 660 });
  });

  it('that may become a nod is waited for a little longer', () => {
    const stage = answering();
    begin(stage, 'i');
    const goes = (voicedMs: number) =>
      stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs, pitchedMs: voicedMs });
    goes(700);
    expect(stage.all('hush')).toHaveLength(0);
    goes(920);
    expect(stage.all('hush')).toHaveLength(1);
  });

  it('stops it by its length, but not where only words count, nor in an important sentence', () => {
    const long = (stage: Stage) => over(stage, 'goldberg', 700, 1);
    const [voiced, worded, important] = [
      answering(),
      answering({ interrupt: 'words' }),
      answering({ important: ['four bunks'] }),
    ];
    [voiced, worded].forEach(long);
    expect(voiced.last('hush').cause).toEqual({ kind: 'spokeOverFor', ms: 700 });
    expect(worded.last('hush').cause).toMatchObject({ words: 'goldberg' });
    important.happen({ kind: 'voiceBegan', atMs: important.nowMs });
    expect(important.all('duck')).toHaveLength(0);
    important.happen({ kind: 'hushAsked' });
    expect(important.all('hush')).toHaveLength(1);
  });

  it('is forgotten with all the rest when the caller asks for a fresh start or leaves before it is known what it was', () => {
    for (const kind of ['freshAsked', 'left'] as const) {
      const stage = answering();
      over(stage, 'goldberg', 700);
      stage.happen(kind === 'left' ? { kind, how: 'closed' } : { kind });
      expect(stage.conductor.snapshot()).toMatchObject({ answers: [] });
      expect(stage.all('synthesise').filter(({ text }) => text === 'There are four bunks.')).toHaveLength(1);
    }
  });

  it('that turns out to be nothing lets it take the sentence up again where it was not heard whole', () => {
    const stage = answering();
    const recognition = begin(stage, 'goldberg');
    stage.nowMs += 700;
    stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs: 700, pitchedMs: 600 });
    const { speech } = stage.all('play')[0]!;
    stage.happen({ kind: 'played', speech, playedMs: 3 * WORD_MS, atMs: stage.nowMs, flushed: true });
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs, voicedMs: 700, pitchedMs: 600 });
    stage.heard(recognition, 'mm hm');
    // At once, not after the wait for the end of a turn.
    expect(stage.all('think')).toHaveLength(1);
    const again = stage.all('synthesise').filter(({ text }) => text === 'There are four bunks.');
    expect(again).toHaveLength(2);
    stage.playAll();
    expect(stage.told('turn').at(-1)!.report).toMatchObject({ source: 'resumed', interrupted: null });
    expect(stage.history.map(({ role }) => role)).toEqual(['caller', 'assistant']);
  });
});
