/** Models that ask for functions, and engines that act: on a virtual clock. */
import { describe, expect, it } from '@jest/globals';
import { plan, Stage } from './stage.js';

const several = { stt: ['ears'], llm: ['mind', 'other-mind'], tts: ['voice'] };
const stage = () => new Stage({ ...plan, lineup: several });

describe('functions', () => {
  const call = (id: string, name = 'book') => ({ id, name, arguments: { bunks: 2 } });

  it('that there are not are said not to be there, and the talk goes on', () => {
    const on = stage();
    on.happen({ kind: 'typed', text: 'book two bunks' });
    const { thought } = on.last('think');
    on.happen({ kind: 'piece', thought, text: 'One moment.' });
    for (const id of ['a', 'b']) on.happen({ kind: 'called', thought, call: call(id) });
    on.happen({ kind: 'thoughtDone', thought });
    const again = on.last('think');
    expect(again).toMatchObject({
      engine: 'mind',
      purpose: 'answer',
      cause: { kind: 'calledUnknown', names: 'book, book' },
    });
    const asked = [
      { role: 'caller', text: 'book two bunks' },
      { role: 'assistant', text: 'One moment.', calls: [call('a'), call('b')] },
      { role: 'result', call: 'a', name: 'book', text: 'There is no function "book". Answer without it.' },
      { role: 'result', call: 'b', name: 'book', text: 'There is no function "book". Answer without it.' },
    ];
    expect(again.messages).toEqual(asked);
    on.write('I cannot book.');
    on.playAll();
    expect(on.told('turn').at(-1)!.report.heard).toBe('One moment. I cannot book.');
    expect(on.history).toEqual([
      asked[0],
      { role: 'assistant', text: '', calls: [call('a'), call('b')] },
      ...asked.slice(2),
      { role: 'assistant', text: 'One moment. I cannot book.' },
    ]);
  });

  it('asked for again and again end in a sentence of the assistant', () => {
    const on = new Stage(plan);
    on.happen({ kind: 'typed', text: 'book two bunks' });
    for (let round = 0; round < 5; round++) {
      const { thought } = on.last('think');
      on.happen({ kind: 'called', thought, call: call(`c${round}`) });
      on.happen({ kind: 'thoughtDone', thought });
    }
    expect(on.all('think')).toHaveLength(5);
    on.playAll();
    expect(on.told('turn').at(-1)!.report).toMatchObject({
      trouble: 'thought-circling',
      heard: 'I cannot think just now.',
    });
  });
});

describe('an engine that acts', () => {
  const acting = () =>
    new Stage({ ...plan, lineup: several, acting: ['mind'], manners: { ...plan.manners, headStarts: 2 } });

  it('is asked only when the turn is over, and nobody beside it', () => {
    const on = acting();
    on.say('is the path open today');
    expect(on.all('think')).toEqual([]);
    on.wait(3_000);
    expect(on.all('think')).toHaveLength(1);
    const first = on.last('think');
    expect(first).toMatchObject({ engine: 'mind', purpose: 'answer', attempt: 1 });
    on.happen({ kind: 'thoughtLate', thought: first.thought });
    expect(on.all('think')).toHaveLength(1);
  });

  it('is not asked once more in other words when the caller goes on before the answer is heard', () => {
    const on = acting();
    on.say('book two bunks');
    on.wait(3_000);
    const first = on.last('think');
    on.say('at heron hut');
    on.wait(3_000);
    const second = on.last('think');
    expect(second.turn).not.toBe(first.turn);
    expect(second.messages).toEqual([{ role: 'caller', text: 'book two bunks at heron hut' }]);
    expect(on.told('turn')[0]!.report).toMatchObject({ text: 'book two bunks', heard: '', answered: false });
  });
});

describe('a model that opens the talk', () => {
  const opening = () =>
    new Stage({
      ...plan,
      greeting: 'Hello.',
      opening: 'Greet the caller.',
      manners: { ...plan.manners, speaksFirst: 'assistant' },
    });

  it('is asked to, and what it was asked enters no history', () => {
    const on = opening();
    expect(on.last('think').messages).toEqual([{ role: 'caller', text: 'Greet the caller.' }]);
    on.write('Good morning. What can I do for you?');
    on.playAll();
    expect(on.history).toEqual([{ role: 'assistant', text: 'Good morning. What can I do for you?' }]);
    expect(on.told('turn')[0]!.report).toMatchObject({ source: 'greeting', trouble: null });
  });

  it('is relieved by a plain sentence', () => {
    const on = opening();
    const { thought } = on.last('think');
    on.happen({ kind: 'thoughtTrouble', thought, code: 'engine-down', detail: 'gone' });
    on.happen({
      kind: 'thoughtTrouble',
      thought: on.last('think').thought,
      code: 'engine-down',
      detail: 'gone',
    });
    on.playAll();
    expect(on.history).toEqual([{ role: 'assistant', text: 'Hello.' }]);
  });
});

it('what it says by itself is in the language that it speaks now', () => {
  const own = { ...plan.sayings, cannotThink: 'I cannot think just now.' };
  const on = new Stage({
    ...plan,
    sayings: own,
    sayingsIn: { en: own, de: { ...own, cannotThink: 'Ich kann nicht denken.' } },
  });
  const fail = () => {
    on.happen({ kind: 'typed', text: 'is it open' });
    on.happen({
      kind: 'thoughtTrouble',
      thought: on.last('think').thought,
      code: 'engine-down',
      detail: 'gone',
    });
    on.playAll();
    return on.told('turn').at(-1)!.report.heard;
  };
  const set = (speaks: string) =>
    on.happen({
      kind: 'languageSet',
      hears: 'en',
      speaks,
      lineup: { stt: ['ears'], llm: ['mind'], tts: ['voice'] },
    });
  expect(fail()).toBe('I cannot think just now.');
  set('de-AT');
  expect(fail()).toBe('Ich kann nicht denken.');
  set('en');
  expect(fail()).toBe('I cannot think just now.');
});
