/** The session of one talk: an error ends it alone, and nothing is cut off by its own effects. */
import { describe, expect, it } from '@jest/globals';
import type { HeardWord } from '@verbalon/core';
import type { ServiceMessage } from '@verbalon/protocol';
import { FakeTalk, type FakeTalkOptions } from '../../../../testing/fake-talk.js';

const STAGES = {
  heard: (words: unknown) => Promise.resolve(words),
  asked: (messages: unknown) => Promise.resolve(messages),
  spoken: (text: unknown) => Promise.resolve(text),
};
const staged = (stages: object): FakeTalkOptions => ({
  options: { stages: { ...STAGES, ...stages } as never },
});
const lined = (line: object): FakeTalkOptions => ({
  options: { line: { send: () => undefined, play: () => undefined, close: () => undefined, ...line } },
});
const typed = (text: string) => ({ kind: 'typed' as const, text });
const fail = (): never => {
  throw new TypeError('x');
};

describe('an error that nobody foresaw', () => {
  it.each<[string, FakeTalkOptions]>([
    ['in an engine’s opening', { own: { ears: { open: fail } } }],
    ['in a stage', staged({ spoken: fail })],
    ['in a stage, later', staged({ spoken: () => Promise.reject(new TypeError('x')) })],
    [
      'in the record',
      { options: { record: { journal: fail, audio: () => undefined, turn: () => undefined } } },
    ],
  ])('%s ends its talk, once', async (_where, how) => {
    const talk = new FakeTalk(how);
    talk.session.happen(how.own ? { kind: 'voiceBegan', atMs: 0 } : typed('is it open'));
    await talk.until(() => talk.closed !== null);
    talk.session.happen(typed('and now'));
    talk.session.end('goodbye');
    expect(talk.closed).toMatchObject({ failed: true });
    expect(talk.open).toEqual([]);
  });

  it.each([
    ['in the line', 'send'],
    ['in the line, with sound', 'play'],
  ])('%s ends its talk, once', async (_where, what) => {
    const closed: boolean[] = [];
    const talk = new FakeTalk(
      lined({ [what]: fail, close: (_why: string, failed: boolean) => closed.push(failed) }),
    );
    talk.session.happen(typed('is it open'));
    await talk.until(() => closed.length > 0);
    talk.session.end('goodbye');
    expect(closed).toEqual([true]);
  });
});

describe('what happens while something is worked on', () => {
  it('waits until that is done: a budget that is used up during its orders ends the talk after them', async () => {
    const talk = new FakeTalk({ price: 5 });
    talk.session.happen({ kind: 'voiceBegan', atMs: 0 });
    expect(talk.hearings).toHaveLength(1);
    // Dropping the recognition costs money; that ends the talk; the talk's end drops the recognition.
    talk.session.happen({ kind: 'freshAsked' });
    await talk.until(() => talk.told('state').length > 0);
    talk.session.end('closed');
    expect(talk.closed?.failed ?? false).toBe(false);
    expect(talk.booked.filter((one) => one.startsWith('stt'))).toEqual(['stt ears cancelled']);
  });

  it('of a leaving that comes during an order is worked off before the end', () => {
    let left = false;
    let leave = (): void => undefined;
    const send = (message: ServiceMessage) => {
      if (message.kind === 'farewell') left = true;
      if (message.kind === 'state') leave();
    };
    const talk = new FakeTalk(lined({ send }));
    leave = () => talk.session.end('closed');
    talk.session.happen(typed('is it open'));
    expect(left).toBe(true);
  });
});

describe('what is cancelled', () => {
  it('while its messages pass a stage is neither sent nor booked', async () => {
    let passed: () => void = () => undefined;
    const asked = (messages: unknown) => new Promise((done) => (passed = () => done(messages)));
    const talk = new FakeTalk(staged({ asked }));
    talk.session.happen(typed('is it open'));
    talk.session.end('closed');
    passed();
    await talk.settle();
    expect(talk.asked).toEqual([]);
    expect(talk.booked).toEqual([]);
  });

  it('while its final passes a stage is booked once', async () => {
    let passed: () => void = () => undefined;
    const heard = (words: unknown) => new Promise((done) => (passed = () => done(words)));
    const talk = new FakeTalk(staged({ heard }));
    talk.session.happen({ kind: 'voiceBegan', atMs: 0 });
    const { events } = talk.hearings[0]!;
    events.push({ kind: 'final', words: [], alternatives: [] });
    events.end();
    await talk.settle();
    talk.session.end('closed');
    passed();
    await talk.settle();
    expect(talk.booked).toEqual(['stt ears used']);
  });
});

describe('words of ears that may be put right by their sound', () => {
  const profile = { key: 'own', sentences: [], weight: 0.3, pronunciations: { quill: 'K W IH L' } };
  const heardBy = async (settles: boolean) => {
    const kept: { kind: string; body: unknown }[] = [];
    const record = {
      journal: (entry: (typeof kept)[0]) => kept.push(entry),
      audio: () => undefined,
      turn: () => undefined,
    };
    const talk = new FakeTalk({ settles, options: { profile, record } });
    await talk.say('miss quill zzyx');
    const { words } = kept.find(({ kind }) => kind === 'final')!.body as { words: HeardWord[] };
    return words.map(({ phones }) => phones);
  };

  it('come with it, by the lexicon and the dictionary', async () => {
    expect(await heardBy(true)).toEqual(['M IH S', 'K W IH L', undefined]);
    expect(await heardBy(false)).toEqual([undefined, undefined, undefined]);
  });
});

describe('an answer of the caller’s screen', () => {
  it('counts for the errand that was shown there, once; forged ones count for nothing', async () => {
    const talk = new FakeTalk({});
    const screened = (run: number, done = true) => talk.session.screened({ kind: 'screen', run, done });
    // Before anything is shown.
    for (let run = -1; run < 100; run++) screened(run);
    const outcomes: string[] = [];
    const shown = talk.session['onScreen'](7, { show: 'The page of Rowan Hut' }, 60_000);
    void shown.then(({ ending }) => outcomes.push(ending));
    for (let run = -100; run < 100; run++) if (run !== 7) screened(run);
    await Promise.resolve();
    expect(outcomes).toEqual([]);
    screened(7, false);
    screened(7);
    expect((await shown).ending).toBe('failed');
    talk.session.end('closed');
    screened(7);
    await expect(talk.session['onScreen'](8, { show: 'later' }, 60_000)).resolves.toMatchObject({
      ending: 'failed',
    });
  });
});
